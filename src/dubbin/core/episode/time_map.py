"""Between session time and program time; nothing else computes offsets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dubbin.core.episode.model import Cut, Episode


@dataclass(frozen=True)
class Span:
    """Session frames start to end, heard at program frame `program` on."""

    start: int
    end: int
    program: int

    @property
    def frames(self) -> int:
        return self.end - self.start


class TimeMap:
    """The program as spans of the session, in the order in which they are heard."""

    def __init__(self, stretches: Sequence[tuple[int, int]]) -> None:
        spans, at = [], 0
        for start, end in stretches:
            if end > start:
                spans.append(Span(start, end, at))
                at += end - start
        self.spans: tuple[Span, ...] = tuple(spans)
        self.program_frames = at
        self._programs = np.array([s.program for s in spans], np.int64)
        order = sorted(range(len(spans)), key=lambda i: spans[i].start)
        self._by_session = np.array(order, np.int64)
        self._starts = np.array([spans[i].start for i in order], np.int64)

    def to_session(self, program: int) -> int:
        """Session frame heard at a program frame; past the end, on from the last span."""
        if not self.spans:
            return 0
        i = max(int(np.searchsorted(self._programs, program, side="right")) - 1, 0)
        return self.spans[i].start + program - self.spans[i].program

    def to_program(self, session: int) -> int | None:
        """Program frame at which a session frame is heard; None where it is cut."""
        i = int(np.searchsorted(self._starts, session, side="right")) - 1
        if i < 0:
            return None
        span = self.spans[self._by_session[i]]
        return span.program + session - span.start if session < span.end else None

    def to_program_or_next(self, session: int) -> int:
        """Like `to_program`; in a cut, where the program goes on after it."""
        at = self.to_program(session)
        if at is not None:
            return at
        i = int(np.searchsorted(self._starts, session, side="right"))
        return self.spans[self._by_session[i]].program if i < len(self._starts) else self.program_frames

    def seams(self) -> list[int]:
        """Program frames at which two spans meet that were not neighbours in the session."""
        return [
            after.program
            for before, after in zip(self.spans, self.spans[1:], strict=False)
            if before.end != after.start
        ]

    def spans_between(self, start: int, stop: int) -> range:
        """Numbers of the spans that are heard between two program frames."""
        if not self.spans:
            return range(0)
        first = max(int(np.searchsorted(self._programs, start, side="right")) - 1, 0)
        last = int(np.searchsorted(self._programs, stop, side="left"))
        return range(first, max(last, first))


def merged(cuts: Sequence[Cut]) -> list[tuple[int, int]]:
    """The union of cuts as sorted, separate stretches."""
    out: list[tuple[int, int]] = []
    for cut in sorted(cuts, key=lambda c: (c.start_frame, c.end_frame)):
        if out and cut.start_frame <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], cut.end_frame))
        else:
            out.append((cut.start_frame, cut.end_frame))
    return out


def program_map(episode: Episode) -> TimeMap:
    """The session of an episode without its cuts."""
    stretches, at = [], 0
    for start, end in merged(episode.cuts):
        stretches.append((at, min(start, episode.frames)))
        at = end
    stretches.append((at, episode.frames))
    return TimeMap(stretches)


def session_map(episode: Episode) -> TimeMap:
    """The whole session, cut material in place."""
    return TimeMap([(0, episode.frames)])
