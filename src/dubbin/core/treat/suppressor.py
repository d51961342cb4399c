"""How much of each bin is speech: the optimally modified log-spectral amplitude estimator.

Sources: Ephraim and Malah, "Speech enhancement using a minimum mean-square error log-spectral amplitude
estimator", IEEE TASSP 1985; Cohen and Berdugo, "Speech enhancement for non-stationary noise environments",
Signal Processing 2001 (presence probability, gain floor); the decision-directed rule is Ephraim and Malah 1984.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

DECISION_WEIGHT = 0.94  # of the last frame in the a priori SNR, for frames 8 ms apart
LOWEST_SNR = 10.0 ** (-18.0 / 10.0)
HIGHEST_RATIO = 1e4
TABLE_LOW, TABLE_HIGH, TABLE_SIZE = -6.0, 3.0, 1801  # decades of v


@lru_cache(maxsize=1)
def lsa_table() -> NDArray[np.float32]:
    """exp(E1(v) / 2) over log10 v, the factor by which LSA exceeds the Wiener gain."""
    from scipy.special import exp1

    v = 10.0 ** np.linspace(TABLE_LOW, TABLE_HIGH, TABLE_SIZE)
    return np.exp(0.5 * exp1(v)).astype(np.float32)


@lru_cache(maxsize=1)
def _kernel() -> Any:
    from numba import njit

    @njit(nogil=True, cache=True)
    def gains(P, noise, table, floor, weight, out):  # type: ignore[no-untyped-def]
        frames, bins = P.shape
        clean = np.zeros(bins, np.float32)
        for k in range(bins):
            clean[k] = 0.0
        scale = (TABLE_SIZE - 1) / (TABLE_HIGH - TABLE_LOW)
        xi_row = np.zeros(bins, np.float32)
        for t in range(frames):
            for k in range(bins):
                ratio = min(P[t, k] / max(noise[t, k], 1e-20), HIGHEST_RATIO)
                xi = weight * clean[k] + (1.0 - weight) * max(ratio - 1.0, 0.0)
                xi_row[k] = max(xi, LOWEST_SNR)
            for k in range(bins):
                ratio = min(P[t, k] / max(noise[t, k], 1e-20), HIGHEST_RATIO)
                xi = xi_row[k]
                # Presence of speech is judged by the a priori SNR of the surroundings, in decades.
                low, high = max(0, k - 2), min(bins, k + 3)
                near = 0.0
                for j in range(low, high):
                    near += xi_row[j]
                near /= high - low
                level = (np.log10(near) + 1.0) / 1.5
                present = min(max(level, 0.0), 1.0)
                absent = min(max(1.0 - present, 0.0), 0.95)
                v = max(ratio * xi / (1.0 + xi), 1e-6)
                place = (np.log10(v) - TABLE_LOW) * scale
                index = min(max(int(place), 0), TABLE_SIZE - 2)
                share = min(max(place - index, 0.0), 1.0)
                lsa = xi / (1.0 + xi) * (table[index] * (1.0 - share) + table[index + 1] * share)
                lsa = min(lsa, 1.0)
                p = 1.0 / (1.0 + absent / (1.0 - absent) * (1.0 + xi) * np.exp(-min(v, 60.0)))
                gain = lsa**p * floor ** (1.0 - p)
                out[t, k] = max(gain, floor)
                clean[k] = lsa * lsa * ratio

    return gains


def suppression_gains(
    P: NDArray[np.float32],
    noise: NDArray[np.float32],
    *,
    floor: float,
    decision_weight: float = DECISION_WEIGHT,
) -> NDArray[np.float32]:
    """Gain (frames, bins), between `floor` and 1, for the power spectra P over noise power of the same shape.

    A lower `floor` takes the noise further down; a higher `decision_weight` (0 to 1) smooths more in time.
    """
    out = np.empty_like(P)
    _kernel()(P, noise, lsa_table(), np.float32(floor), np.float32(decision_weight), out)
    return out
