"""Whether what stands out is a click: a small network's judgement of its features, learnt from real voices with clicks put into them (`training/clicks`)."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core import array_files

FARTHEST = 5.0  # standard deviations: what lies beyond was not learnt


def odds(features: NDArray[np.float64]) -> NDArray[np.float64]:
    """Natural logarithm of the odds (n,) that what has these features (n, `click_features.NAMES`) is a click."""
    weights = _weights()
    x = np.clip((features - weights["mean"]) / weights["deviation"], -FARTHEST, FARTHEST)
    x = np.maximum(x @ weights["hidden.weight"] + weights["hidden.bias"], 0.0)
    out: NDArray[np.float64] = (x @ weights["out.weight"] + weights["out.bias"])[:, 0]
    return out


@lru_cache(maxsize=1)
def _weights() -> dict[str, NDArray[np.float64]]:
    return {name: kept.astype(np.float64) for name, kept in array_files.weights("dubbin.core.measure", "clicks").items()}
