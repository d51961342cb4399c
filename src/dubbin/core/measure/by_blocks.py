"""Figures of each of very many frames, worked out some of them at a time."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

BLOCK = 30_000  # frames, five minutes of a hundred a second


def by_blocks(
    work: Callable[[NDArray[np.float32]], NDArray[np.float64]], rows: NDArray[np.float32], margin: int = 0
) -> NDArray[np.float64]:
    """`work` of all rows (frames, values), one figure each, BLOCK at a time: hours of what lies between would take hundreds of megabytes. margin: rows to both sides that a figure
    depends on."""
    out = np.zeros(len(rows))
    for start in range(0, len(rows), BLOCK):
        stop, low = min(start + BLOCK, len(rows)), max(start - margin, 0)
        out[start:stop] = work(rows[low : stop + margin])[start - low : stop - low]
    return out
