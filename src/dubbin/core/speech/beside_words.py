"""Edges of automatic cuts against the words that stay: none lies inside one of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

INSIDE_S = 0.03  # further in than this, an edge is inside a word
DRAWN_IN_S = 0.15  # by which an edge gives way to a word at most: what goes on for longer without being heard is no word

Frames = NDArray[np.int64]


def beside_words(starts: Frames, ends: Frames, start: int, end: int, rate: int) -> tuple[int, int]:
    """The cut from `start` to `end` drawn in so far that it touches none of the words around it.

    starts, ends: (words,) session frames of the words that may not be touched. One whose middle lies in the cut is not around it. The result may be empty.
    """
    inside, most = round(INSIDE_S * rate), round(DRAWN_IN_S * rate)
    middles = (starts + ends) // 2
    around = (middles < start) | (middles >= end)
    before = around & (starts + inside < start) & (start < ends - inside)
    after = around & (starts + inside < end) & (end < ends - inside)
    first = min(int(ends[before].max()), start + most) if before.any() else start
    last = max(int(starts[after].min()), end - most) if after.any() else end
    return first, last
