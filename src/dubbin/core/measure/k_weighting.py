"""The K weighting of ITU-R BS.1770: a shelf for the head, a high-pass for what the ear leaves out."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

# Analogue prototypes of the two biquads that BS.1770-5 tabulates for 48 kHz, recovered from that table by
# inverting the bilinear transform; at 48 kHz they give the table back, at other rates the same response.
SHELF_HZ, SHELF_GAIN_DB, SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
SHELF_BAND_EXPONENT = 0.4996667741545416
HIGH_PASS_HZ, HIGH_PASS_Q = 38.13547087602444, 0.5003270373238773


@lru_cache(maxsize=32)
def k_weighting_sos(rate: int) -> NDArray[np.float64]:
    """Second-order sections (2, 6) of the K weighting at `rate` Hz. Source: ITU-R BS.1770-5, annex 1."""
    k = math.tan(math.pi * SHELF_HZ / rate)
    high = 10.0 ** (SHELF_GAIN_DB / 20.0)
    band = high**SHELF_BAND_EXPONENT
    a0 = 1.0 + k / SHELF_Q + k * k
    shelf = [
        (high + band * k / SHELF_Q + k * k) / a0,
        2.0 * (k * k - high) / a0,
        (high - band * k / SHELF_Q + k * k) / a0,
        1.0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / SHELF_Q + k * k) / a0,
    ]
    k = math.tan(math.pi * HIGH_PASS_HZ / rate)
    a0 = 1.0 + k / HIGH_PASS_Q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / HIGH_PASS_Q + k * k) / a0]
    return np.array([shelf, high_pass])
