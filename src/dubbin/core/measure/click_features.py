"""What tells a click from a sharp instant of a voice, in figures.

The closures of the glottis come back with the pitch, a plosive is loud on one side only and creaky voice has many of its kind around; a click stands
alone, and rises above the sound in bands that this sound does not have. Levels are compared with one another only: a recording that is louder has the
same figures.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.masking import BANDS, powers

# Prediction error of the instant over that of its surroundings, in dB: the highest that is not passed over, the level, the sound of 120 ms; the highest of
# 24 ms before and after, of the 36 ms beyond, of the nearest; the levels before and after. Its length in octaves of a millisecond. The sound of 11 ms before
# and after, and the step between. How well the error repeats, and the instant over the errors a period before and after: the higher, the lower.
NEAR = (
    "outstanding", "over_level", "over_sound", "over_before", "over_after", "over_long_before", "over_long_after", "over_close_before",
    "over_close_after", "over_level_before", "over_level_after", "length", "before", "after", "step", "rhythm", "over_period", "over_one_period",
)  # fmt: skip
NAMES = (
    *NEAR, *(f"rise{k}" for k in range(BANDS)), "rise", *(f"cover{k}" for k in range(BANDS)), *(f"click{k}" for k in range(BANDS)),
)  # fmt: skip
LEAST_RISE, MOST_RISE = -40.0, 60.0  # dB
FAINT_DB, LOUD_DB = -80.0, 30.0  # of a band, against the sound around
SMALLEST = 1e-18


def features(
    x: NDArray[np.float32], calm: NDArray[np.float32], size: NDArray[np.float32], level: NDArray[np.float32], highest: NDArray[np.float32],
    spans: Sequence[tuple[int, int]], rate: int,
) -> NDArray[np.float64]:  # fmt: skip
    """(spans, NAMES) of spans of x (frames,). calm: x with bridges over what stands out clearly. size: prediction errors (frames,); level, highest: of their surroundings
    (`click_kernels.surroundings`)."""
    from dubbin.core.measure.click_feature_kernels import around

    near = np.empty((len(spans), len(NEAR)))
    around(size, calm, level, highest, np.array(spans, np.int64).reshape(-1, 2), rate, near)
    click, cover = powers(x, calm, spans, rate)
    sound = np.sum(cover, axis=1, keepdims=True) + SMALLEST
    rises = np.clip(10.0 * np.log10((click + SMALLEST) / (cover + SMALLEST)), LEAST_RISE, MOST_RISE)
    against = [np.clip(10.0 * np.log10(power / sound + SMALLEST), FAINT_DB, LOUD_DB) for power in (cover, click)]
    return np.concatenate([near, rises, rises.max(axis=1, keepdims=True), *against], axis=1)
