"""The step of a sound that was quantised coarsely: of 8 bits, or recorded so softly that few of its bits are used."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

PIECE = 1 << 14  # frames that are looked at before the next
CHANGES = 0.01  # share of the frames that differ from the one before: of fewer, as of lone impulses in silence, no step is read


def step_above(x: NDArray[np.float32], least: float, of_changes: float = CHANGES) -> float:
    """Least difference between neighbours of x (frames,) that differ; 0 where it is no more than `least`, or where fewer do than `of_changes`, a share of all."""
    smallest, changes = np.inf, 0
    for start in range(0, len(x), PIECE):
        apart = np.abs(np.diff(x[start : start + PIECE + 1]))
        apart = apart[apart > 0.0]
        if len(apart):
            smallest, changes = min(smallest, float(apart.min())), changes + len(apart)
        if smallest <= least:
            return 0.0
    return smallest if changes > of_changes * len(x) else 0.0
