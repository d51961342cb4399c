"""The compiled part of `envelope`: levels of steps, gain that comes back slowly, gains of frames."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, F64, kernel
from dubbin.core.treat.fast_math_kernels import exp2

OCTAVES_PER_DB, ZERO, ONE = np.float32(np.log2(10.0) / 20.0), np.float32(0.0), np.float32(1.0)


@kernel(fastmath=True)
def step_powers(x: F32, offset: int, step: int, out: F64) -> None:
    """Write into out (steps,) the mean square of the loudest channel of x (channels, frames) over every `step` frames from `offset` on; behind x there is silence."""
    for k in range(len(out)):
        start = offset + k * step
        stop = min(start + step, x.shape[1])
        loudest = 0.0
        for c in range(x.shape[0]):
            total = 0.0
            for n in range(start, stop):
                total += np.float64(x[c, n]) * x[c, n]
            loudest = max(loudest, total)
        out[k] = loudest / step


@kernel()
def released(wanted: F64, keep: float) -> F64:
    """Gains (steps,) in dB that go down with `wanted` (steps,) at once, and come back by a share of 1 - keep a step."""
    out = np.empty_like(wanted)
    state = 0.0
    for n in range(len(wanted)):
        state = min(wanted[n], keep * state + (1.0 - keep) * wanted[n])
        out[n] = state
    return out


@kernel(fastmath=True)
def drawn(gain_db: F64, first: int, step: int, out: F32) -> None:
    """Write into out (frames,) the factors of gains that are straight in dB between gain_db (steps,), the first of which stands at frame `first`; level before and
    after. Exactly 1 for 0 dB."""
    frames, last = len(out), len(gain_db) - 1
    for k in range(-1, last + 1):  # from step k to the next
        start, stop = first + k * step, first + (k + 1) * step
        low = gain_db[max(k, 0)]
        rise = np.float32((gain_db[min(k + 1, last)] - low) / step)
        level = np.float32(low)
        if k < 0:
            start, rise, level = 0, ZERO, np.float32(gain_db[0])
        elif k == last:
            stop = frames
        at = start
        for n in range(max(start, 0), min(stop, frames)):
            db = level + rise * np.float32(n - at)
            out[n] = ONE if db == ZERO else exp2(db * OCTAVES_PER_DB)
