"""All that is cut, whichever cuts it is that cover it: looked up thousands of times while one episode is shown."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dubbin.core.episode.model import Cut, Episode
from dubbin.core.episode.stretches import FURTHEST_SESSION_FRAME, Stretches, merged

KEPT = 4  # episodes: most changes are to something else than cuts


class CutUnion:
    """The union of cuts. stretches: in session frames, sorted, separate."""

    def __init__(self, cuts: Sequence[Cut]) -> None:
        self.stretches: Stretches = merged(cuts)

    @cached_property
    def frames(self) -> int:
        """How many session frames are cut; what lies beyond all sessions does not count."""
        return sum(b - a for a, b in self.stretches if a < FURTHEST_SESSION_FRAME)

    @cached_property
    def _edges(self) -> NDArray[np.int64]:
        return np.array(self.stretches, np.int64).reshape(-1)

    def covers(self, frames: ArrayLike) -> NDArray[np.bool_]:
        """Whether session frames are cut, one for each."""
        return np.asarray(np.searchsorted(self._edges, np.asarray(frames, np.int64), side="right") % 2 == 1)


_known: list[tuple[tuple[Cut, ...], CutUnion]] = []


def cut_union(episode: Episode) -> CutUnion:
    """That of an episode's cuts; kept for the last few."""
    for cuts, union in tuple(_known):
        if cuts is episode.cuts:
            return union
    made = CutUnion(episode.cuts)
    _known[:] = [(episode.cuts, made), *_known[: KEPT - 1]]
    return made
