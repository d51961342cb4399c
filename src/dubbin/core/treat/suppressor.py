"""How much of each bin is speech: a log-spectral amplitude estimator in two passes over a whole stretch.

The first pass goes forward in time with the decision-directed rule. The second takes the first one's estimate of the
speech, before and after each frame, as its a priori SNR: an estimate without the lag that blurs the starts of words,
and smooth enough to leave no musical noise.

Sources: Ephraim and Malah, "Speech enhancement using a minimum mean-square error log-spectral amplitude estimator",
IEEE TASSP 1985; Cohen and Berdugo, "Speech enhancement for non-stationary noise environments", Signal Processing 2001
(presence probability and gain floor); Plapous, Marro and Scalart, "Improved signal-to-noise ratio estimation for speech
enhancement", IEEE TASLP 2006 (two steps).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

DECISION_WEIGHT = 0.9  # of the last frame in the first pass's a priori SNR
SMOOTH_WEIGHT = 0.8  # of the first pass's speech, three frames wide, in the second pass's a priori SNR
FIRST_FLOOR = 0.1  # gain floor of the first pass
LOWEST_SNR = 10.0 ** (-20.0 / 10.0)
HIGHEST_RATIO = 1e4
# Speech is taken for absent where the a priori SNR of the surroundings lies below the first, for present above the second.
ABSENT_DB, PRESENT_DB = -4.0, 5.0
MOST_ABSENT = 0.95
TABLE_LOW, TABLE_HIGH, TABLE_SIZE = -6.0, 3.0, 1801  # decades of v


@lru_cache(maxsize=1)
def lsa_table() -> NDArray[np.float32]:
    """exp(E1(v) / 2) over log10 v, the factor by which LSA exceeds the Wiener gain."""
    from scipy.special import exp1

    v = 10.0 ** np.linspace(TABLE_LOW, TABLE_HIGH, TABLE_SIZE)
    return np.exp(0.5 * exp1(v)).astype(np.float32)


@lru_cache(maxsize=1)
def _kernels() -> tuple[Any, Any]:
    from numba import njit

    scale = (TABLE_SIZE - 1) / (TABLE_HIGH - TABLE_LOW)

    @njit(nogil=True, inline="always")
    def lsa(xi, ratio, table):  # type: ignore[no-untyped-def]
        v = max(ratio * xi / (np.float32(1.0) + xi), np.float32(1e-6))
        place = (np.log10(v) - TABLE_LOW) * scale
        index = min(max(int(place), 0), TABLE_SIZE - 2)
        share = min(max(place - index, 0.0), 1.0)
        gain = xi / (1.0 + xi) * (table[index] * (1.0 - share) + table[index + 1] * share)
        return min(gain, 1.0), v

    @njit(nogil=True, cache=True)
    def first(ratio, table, weight, speech):  # type: ignore[no-untyped-def]
        """speech: the power of the speech over the noise, by the decision-directed rule."""
        frames, bins = ratio.shape
        before = np.zeros(bins, np.float32)
        for t in range(frames):
            for k in range(bins):
                r = ratio[t, k]
                xi = max(weight * before[k] + (1.0 - weight) * max(r - 1.0, 0.0), LOWEST_SNR)
                gain, _ = lsa(np.float32(xi), r, table)
                clean = gain * gain * r
                before[k] = clean
                speech[t, k] = max(clean, FIRST_FLOOR * FIRST_FLOOR * r)

    @njit(nogil=True, cache=True)
    def second(ratio, xi, near_db, table, floor, out):  # type: ignore[no-untyped-def]
        frames, bins = ratio.shape
        log_floor = np.log(floor)
        for t in range(frames):
            for k in range(bins):
                present = (near_db[t, k] - ABSENT_DB) / (PRESENT_DB - ABSENT_DB)
                absent = min(max(1.0 - min(max(present, 0.0), 1.0), 0.0), MOST_ABSENT)
                x = xi[t, k]
                gain, v = lsa(x, ratio[t, k], table)
                p = 1.0 / (1.0 + absent / (1.0 - absent) * (1.0 + x) * np.exp(-min(v, np.float32(60.0))))
                out[t, k] = max(np.exp(p * np.log(gain + 1e-9) + (1.0 - p) * log_floor), floor)

    return first, second


def suppression_gains(P: NDArray[np.float32], noise: NDArray[np.float32], *, floor: float) -> NDArray[np.float32]:
    """Gain (frames, bins), between `floor` and 1, for the power spectra P over noise power of the same shape.

    A lower `floor` takes the noise further down where nobody speaks.
    """
    first, second = _kernels()
    ratio = np.minimum(P / np.maximum(noise, np.float32(1e-20)), np.float32(HIGHEST_RATIO))
    speech, out = np.empty_like(ratio), np.empty_like(ratio)
    first(ratio, lsa_table(), np.float32(DECISION_WEIGHT), speech)
    xi = ndimage.convolve1d(speech, [0.25, 0.5, 0.25], axis=0, mode="nearest")
    xi *= np.float32(SMOOTH_WEIGHT)
    xi += np.float32(1.0 - SMOOTH_WEIGHT) * np.maximum(ratio - 1.0, 0.0)
    np.maximum(xi, np.float32(LOWEST_SNR), out=xi)
    near_db = 10.0 * np.log10(ndimage.uniform_filter(xi, (3, 5), mode="nearest"))
    second(ratio, xi, near_db, lsa_table(), np.float32(floor), out)
    return out
