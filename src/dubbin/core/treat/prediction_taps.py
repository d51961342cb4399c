"""How long the filters are by which echo is predicted, and how far back they begin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

DELAY = 3  # hops between a frame and the last one that it is predicted from
TAPS = 28  # of the longest filter
# Echo dies away sooner the higher it is: from these frequencies on filters are shorter.
SHORTER = ((2000.0, 20), (4000.0, 12))


def taps_of(hz: NDArray[np.float64]) -> NDArray[np.int64]:
    """Length of the filter of bins at these frequencies."""
    out = np.full(len(hz), TAPS)
    for edge_hz, count in SHORTER:
        out[hz >= edge_hz] = count
    return out
