"""The compiled part of `engine_blend`: spectra of two results side by side, each bin looked at once."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, F64, kernel
from dubbin.core.treat.fast_math_kernels import log2

ZERO, ONE, LEAST, OCTAVE_DB = (np.float32(c) for c in (0.0, 1.0, 1e-20, 10.0 * np.log10(2.0)))


@kernel(fastmath=True)
def gained(X: F32, gains: F32, snr: F32, Y: F32, no_noise: float, network: F64, statistical: F64) -> None:
    """Multiply X by gains, in place, and write the power that Y and then X have in each frame where snr is over no_noise.

    X, Y: spectra (frames, 2 bins), real and imaginary parts in turn. gains, snr: (frames, bins). network, statistical: (frames,)."""
    frames, bins = gains.shape
    over = np.float32(no_noise)
    for t in range(frames):
        x, y, g, s = X[t], Y[t], gains[t], snr[t]
        mine, other = ZERO, ZERO
        for k in range(bins):
            re, im = x[2 * k] * g[k], x[2 * k + 1] * g[k]
            x[2 * k], x[2 * k + 1] = re, im
            counts = ONE if s[k] > over else ZERO
            mine += counts * (re * re + im * im)
            other += counts * (y[2 * k] * y[2 * k] + y[2 * k + 1] * y[2 * k + 1])
        network[t], statistical[t] = other, mine


@kernel(fastmath=True)
def blend(X: F32, Y: F32, snr: F32, dry: F32, least: float, most: float, unsure_db: float, sure_db: float) -> None:
    """Move Y towards X, in place, by a share: least, and up to most more where snr goes from unsure_db to sure_db, all of it times dry (frames,).

    X, Y: spectra (frames, 2 bins), real and imaginary parts in turn. snr: (frames, bins), of powers."""
    frames, bins = snr.shape
    low, high, begin, per_db = np.float32(least), np.float32(most), np.float32(unsure_db), np.float32(1.0 / (sure_db - unsure_db))
    for t in range(frames):
        if dry[t] == ZERO:
            continue
        x, y, s, way = X[t], Y[t], snr[t], dry[t]
        for k in range(bins):
            sure = min(max((OCTAVE_DB * log2(max(s[k], LEAST)) - begin) * per_db, ZERO), ONE)
            share = (high * sure + low) * way
            y[2 * k] += share * (x[2 * k] - y[2 * k])
            y[2 * k + 1] += share * (x[2 * k + 1] - y[2 * k + 1])


@kernel(fastmath=True)
def apart(X: F32, Y: F32, share: F32) -> None:
    """Write into X what it has more than Y, times share (frames,), in place. X, Y: spectra (frames, 2 bins), real and imaginary parts in turn."""
    frames, parts = X.shape
    for t in range(frames):
        x, y, way = X[t], Y[t], share[t]
        for k in range(parts):
            x[k] = way * (x[k] - y[k])
