"""Drop-outs: places where the recorder lost samples, heard as a tick, a stutter or a hole.

A recorder that misses a buffer writes zeros, or holds the last value. Either way samples stand exactly still in the
middle of sound, and they begin and end abruptly: the fade into a gate or into digital silence does not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.quantisation import step_above
from dubbin.core.sound.source import Samples

SHORTEST_S, LONGEST_S = 0.0008, 0.6
EDGE_S = 0.003  # of sound on both sides that must not have died away
EDGE_DBFS, OTHER_EDGE_DBFS = -55.0, -75.0  # of the louder and of the other side: a hole may end in a pause
STEPS = 32.0  # of a coarsely quantised sound: what is softer stands still by itself, at its crests and in between
ABOVE_STILL = 10.0 ** (12.0 / 20.0)  # sound beside a hole over what the hole's edges would have faded to


@dataclass(frozen=True)
class Dropouts:
    """spans_s: start and end of each hole in seconds, of all channels together, in order."""

    spans_s: tuple[tuple[float, float], ...]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.spans_s)


class DropoutMeter:
    """Streams blocks of (channels, frames); keeps as much of the last block as a hole and its edges may need."""

    def __init__(self, rate: int, channels: int) -> None:
        self._rate = rate
        self._edge = max(4, round(EDGE_S * rate))
        self._keep = round(LONGEST_S * rate) + 2 * self._edge
        self._tail: Samples = np.zeros((channels, 0), np.float32)
        self._done = 0
        self._found: set[tuple[int, int]] = set()

    def push(self, x: Samples) -> None:
        """Look for holes in the next samples (channels, frames)."""
        joined = np.concatenate([self._tail, x], axis=1)
        offset = self._done - self._tail.shape[1]
        for channel in joined:
            for a, b in still_runs(channel, round(SHORTEST_S * self._rate)):
                if self._is_hole(channel, a, b):
                    self._found.add((a + offset, b + offset))
        self._done += x.shape[1]
        self._tail = joined[:, -self._keep :].copy()

    def _is_hole(self, x: NDArray[np.float32], a: int, b: int) -> bool:
        if b - a > LONGEST_S * self._rate or a < self._edge or b + self._edge > len(x):
            return False
        if x[a] != 0.0 and abs(x[a]) > 0.9 * float(np.max(np.abs(x[a - self._edge : b + self._edge]))):
            return False  # a flat crest: that is clipping
        before, after = x[a - self._edge : a], x[b : b + self._edge]
        least, other = (10.0 ** (db / 20.0) for db in (EDGE_DBFS, OTHER_EDGE_DBFS))
        near = max(4, self._edge // 4)  # what is right beside the hole, against what is further off: a fade gives it away
        loud = [float(np.sqrt(np.mean(np.square(side)))) for side in (before, after)]
        close = [float(np.sqrt(np.mean(np.square(side)))) for side in (before[-near:], after[:near])]
        abrupt = all(c * ABOVE_STILL > whole for c, whole in zip(close, loud, strict=True))
        if not (max(loud) > least and min(loud) > other and abrupt):
            return False
        return max(loud) > STEPS * step_above(np.concatenate([before, after]), max(loud) / STEPS, 0.0)

    def result(self) -> Dropouts:
        """The holes in all that was pushed, in seconds; of several channels together."""
        spans: list[tuple[int, int]] = []
        for a, b in sorted(self._found):
            if spans and a <= spans[-1][1] + self._edge:
                spans[-1] = (spans[-1][0], max(spans[-1][1], b))
            else:
                spans.append((a, b))
        return Dropouts(tuple((a / self._rate, b / self._rate) for a, b in spans))


def still_runs(x: NDArray[np.float32], shortest: int) -> list[tuple[int, int]]:
    """First and one past the last index of runs of at least `shortest` samples that are exactly alike."""
    same = np.diff(x) == 0.0
    edges = np.flatnonzero(np.diff(np.concatenate([[False], same, [False]]).astype(np.int8)))
    starts, ends = edges[::2], edges[1::2] + 1
    long = ends - starts >= max(shortest, 3)
    return [(int(a), int(b)) for a, b in zip(starts[long], ends[long], strict=True)]
