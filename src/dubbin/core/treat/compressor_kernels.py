"""The compiled part of `compressor`: level, what the static curve makes of it, and the gain that follows, with attack and release."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel
from dubbin.core.treat.fast_math_kernels import exp2, log2

LEAST, ZERO, ONE, OCTAVE_DB = (np.float32(c) for c in (1e-18, 0.0, 1.0, 20.0 * np.log10(2.0)))


@kernel()
def highest_before(x: F32, size: int, out: F32) -> None:
    """Write into out (frames,) the highest magnitude in x (channels, frames) over the last `size` frames, each frame itself included.

    Two comparisons a frame, whatever the size. Source: van Herk, "A fast algorithm for local minimum and maximum filters", 1992."""
    frames = x.shape[1]
    for n in range(frames):
        high = ZERO
        for c in range(x.shape[0]):
            high = max(high, abs(x[c, n]))
        out[n] = high
    later = np.zeros(size + 1, np.float32)  # the highest from each place of the block before on, as it was
    for start in range(0, frames, size):
        end = min(start + size, frames)
        following = np.zeros(size + 1, np.float32)
        for n in range(end - 1, start - 1, -1):
            following[n - start] = max(out[n], following[n - start + 1])
        high = ZERO
        for n in range(start, end):
            high = max(high, out[n])
            out[n] = max(high, later[n - start + 1])
        later = following


@kernel()
def power_before(x: F32, size: int, out: F32) -> None:
    """Write into out (frames,) the mean square of the loudest channel of x (channels, frames) over the last `size` frames; before the first there is silence."""
    share = 1.0 / size
    out[:] = ZERO
    for c in range(x.shape[0]):
        total = 0.0
        for n in range(x.shape[1]):
            total += np.float64(x[c, n]) * x[c, n]
            if n >= size:
                total -= np.float64(x[c, n - size]) * x[c, n - size]
            out[n] = max(out[n], np.float32(total * share))


@kernel(fastmath=True)
def static_gain(level: F32, octave_db: float, threshold_db: float, slope: float, knee_db: float, out: F32) -> None:
    """Write into out (frames,) the gain in dB that the static curve gives a level (frames,), of which twice as much is octave_db more: an amplitude or a power.

    slope: dB out for one dB over the threshold, less one."""
    scale, under, knee, way = np.float32(octave_db), np.float32(threshold_db - knee_db / 2), np.float32(knee_db), np.float32(slope)
    bend = way / (knee + knee) if knee > ZERO else ZERO
    for n in range(len(level)):
        over = max(scale * log2(max(level[n], LEAST)) - under, ZERO)  # from where the knee begins
        inside = min(over, knee)
        out[n] = bend * inside * inside + way * (over - inside)


@kernel(fastmath=True)
def factors(gain_db: F32, more_db: float, out: F32) -> None:
    """Write into out (frames,) what to multiply by for gain_db (frames,) and more_db together; exactly 1 for 0 dB."""
    more = np.float32(more_db)
    for n in range(len(gain_db)):
        db = gain_db[n] + more
        out[n] = ONE if db == ZERO else exp2(db / OCTAVE_DB)


@kernel()
def smooth(wanted: F32, attack: float, release: float, slow_attack: float, slow_release: float, follows: bool, out: F32) -> None:
    """Write into out (frames,) the gain in dB that follows `wanted` (frames,), at most 0.

    attack, release: shares kept from frame to frame while it goes down and up. follows: a second, slow follower (slow_attack, slow_release) holds the gain where
    it was held for long."""
    state, slow = np.float64(0.0), np.float64(0.0)
    for n in range(len(wanted)):
        w = np.float64(wanted[n])
        coefficient = attack if w < state else release
        state = coefficient * state + (1.0 - coefficient) * w
        if follows:
            # What has been held back for long is let go slowly.
            coefficient = slow_attack if w < slow else slow_release
            slow = coefficient * slow + (1.0 - coefficient) * w
            if slow < state:
                state = slow
        out[n] = state
