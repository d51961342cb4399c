"""The compiled part of `click_features`: what a prediction error and the sound under it look like around an instant."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, F64, I64, inlined, kernel
from dubbin.core.measure.click_kernels import GRAIN

SMALLEST = 1e-9  # amplitude; keeps the level of silence finite
CELLS, CELLS_A_MS = 160, 4  # to each side, in which the error's rhythm is looked for
SHORTEST_LAG, LONGEST_LAG = 10, 64  # cells: 2.5 to 16 ms, a voice of 62 to 400 Hz


@inlined()
def level_db(x: float) -> float:
    """Of an amplitude."""
    return float(20.0 * np.log10(max(x, SMALLEST)))


@inlined()
def highest_of(x: F32, start: int, end: int) -> float:
    """The highest of x (n,), which is 0 or more, from start up to end; 0 outside of it."""
    top = np.float32(0.0)
    for i in range(max(start, 0), min(end, len(x))):
        top = max(top, x[i])
    return float(top)


@inlined()
def rms_of(x: F32, start: int, end: int) -> float:
    """Root mean square of x (n,) from start up to end, of what of it there is."""
    start, end = max(start, 0), min(end, len(x))
    total = 0.0
    for i in range(start, end):
        total += float(x[i]) * float(x[i])
    return float(np.sqrt(total / max(end - start, 1)))


@kernel()
def around(size: F32, calm: F32, level: F32, highest: F32, spans: I64, rate: int, out: F64) -> None:
    """Write into out (m, 18) the features of spans (m, 2), first and one past the last sample, that the time around them gives: see `click_features.NAMES`.

    size: (n,) prediction errors. calm: (n,) the sound without what stands out. level, highest: of the errors around, by grain."""
    ms = rate / 1000.0
    cell = max(int(rate / (1000 * CELLS_A_MS)), 1)
    rhythm = np.empty(2 * CELLS)
    for m in range(len(spans)):
        a, b = spans[m, 0], spans[m, 1]
        p, top = a, np.float32(0.0)
        for i in range(max(a, 0), min(b, len(size))):
            if size[i] > top:
                p, top = i, size[i]
        g, peak = p // GRAIN, level_db(float(top))
        loud = level_db(rms_of(calm, p - int(60 * ms), p + int(60 * ms)))
        f = out[m]
        f[0] = peak - level_db(highest[g])
        f[1] = peak - level_db(level[g])
        f[2] = peak - loud
        f[3] = peak - level_db(highest_of(size, p - int(24 * ms), p - int(2.5 * ms)))
        f[4] = peak - level_db(highest_of(size, p + int(2.5 * ms), p + int(24 * ms)))
        f[5] = peak - level_db(highest_of(size, p - int(60 * ms), p - int(24 * ms)))
        f[6] = peak - level_db(highest_of(size, p + int(24 * ms), p + int(60 * ms)))
        f[7] = peak - level_db(highest_of(size, p - int(4 * ms), p - int(ms)))
        f[8] = peak - level_db(highest_of(size, p + int(ms), p + int(4 * ms)))
        f[9] = peak - level_db(rms_of(size, p - int(24 * ms), p - int(2.5 * ms)))
        f[10] = peak - level_db(rms_of(size, p + int(2.5 * ms), p + int(24 * ms)))
        f[11] = np.log2((b - a) / ms + 0.001)
        before, after = level_db(rms_of(calm, p - int(12 * ms), p - int(ms))), level_db(rms_of(calm, p + int(ms), p + int(12 * ms)))
        f[12], f[13], f[14] = before - loud, after - loud, after - before
        most, mean = 2.0 * highest[g] + SMALLEST, 0.0
        for k in range(2 * CELLS):
            at = p + (k - CELLS) * cell
            rhythm[k] = min(highest_of(size, at, at + cell), most)
            mean += rhythm[k]
        mean /= 2 * CELLS
        power = SMALLEST * SMALLEST
        for k in range(2 * CELLS):
            rhythm[k] -= mean
            power += rhythm[k] * rhythm[k]
        best, lag = -np.inf, SHORTEST_LAG
        for j in range(SHORTEST_LAG, LONGEST_LAG):
            total = 0.0
            for k in range(2 * CELLS - j):
                total += rhythm[k] * rhythm[k + j]
            if total > best:
                best, lag = total, j
        f[15] = best / power
        earlier = level_db(highest_of(size, p - lag * cell - int(ms), p - lag * cell + int(ms)))
        later = level_db(highest_of(size, p + lag * cell - int(ms), p + lag * cell + int(ms)))
        f[16], f[17] = peak - max(earlier, later), peak - min(earlier, later)
