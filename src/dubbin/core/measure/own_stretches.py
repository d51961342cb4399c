"""Stretches of a recording in which the voice of its microphone has the word, by their level alone.

A microphone is silent, but for what bleeds into it, for as long as others speak: of a guest who speaks for a twentieth of an hour, quantiles over the whole hour are
those of the others' voices. What is said of a voice is read off the stretches that are about as loud as the loudest ones.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

STRETCH_S = 5.0
LOUD_QUANTILE = 0.95  # of the frames of a stretch
# So many of the loudest stretches may be something else (laughter, a jingle, a table that is moved): a share of them all, within bounds, and no more than that share of few.
LOUDEST_SHARE, FEWEST, MOST, SHARE_OF_FEW = 0.02, 3, 8, 0.25
UNDER_LOUDEST_DB = 12.0  # a voice is hardly softer than this anywhere; what bleeds in is


def own_stretches(level_db: NDArray[np.floating], step_s: float) -> NDArray[np.bool_]:
    """Which frames lie in such a stretch. level_db: (frames,), every step_s seconds."""
    count = max(1, round(len(level_db) * step_s / STRETCH_S))
    borders = np.linspace(0, len(level_db), count + 1).round().astype(int)
    if count == 1:
        return np.ones(len(level_db), bool)
    loud = np.array([np.quantile(level_db[a:b], LOUD_QUANTILE) for a, b in pairwise(borders)])
    place = min(round(np.clip(LOUDEST_SHARE * count, FEWEST, MOST)), math.ceil(SHARE_OF_FEW * count))
    return np.repeat(loud > np.sort(loud)[-place] - UNDER_LOUDEST_DB, np.diff(borders))


def loud_level(level_db: NDArray[np.floating], step_s: float) -> float:
    """The level of the loud frames of the recording's own voice, however seldom it is heard."""
    return float(np.quantile(level_db[own_stretches(level_db, step_s)], LOUD_QUANTILE))
