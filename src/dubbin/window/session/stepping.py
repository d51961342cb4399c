"""Going to the next or the previous of some places: one rule for pauses, seams, fillers, retakes, findings and markers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

T = TypeVar("T")


def neighbour(items: Iterable[T], at: int, direction: int, frame: Callable[[T], int], least: int = 2) -> T | None:
    """The nearest item after (direction 1) or before (-1) a place; None where there is none.

    items: in the order of their frames. at, frame: frames on the same clock. least: items nearer than this many frames are where one stands already.
    """
    if direction > 0:
        return next((item for item in items if frame(item) >= at + least), None)
    return next((item for item in reversed(list(items)) if frame(item) <= at - least), None)
