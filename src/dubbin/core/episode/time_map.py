"""Between session time and program time; nothing else computes offsets."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.cut_union import cut_union
from dubbin.core.episode.model import PARKED_FROM_FRAME, Episode, Placed, PlacedKind
from dubbin.core.episode.stretches import FURTHEST_SESSION_FRAME, Stretches, union, without


class Span(NamedTuple):
    """Session frames start to end, heard at program frame `program` on. placed: the id of what is heard out of its place."""

    start: int
    end: int
    program: int
    placed: str | None = None

    @property
    def frames(self) -> int:
        """Its length."""
        return self.end - self.start


class TimeMap:
    """The program as spans of the session, in the order in which they are heard.

    A session frame is heard once at most, but for copies: those are not asked when a session frame is looked up, unless it is heard
    nowhere else.
    """

    def __init__(self, stretches: Iterable[tuple[int, int] | tuple[int, int, str | None]], copies: frozenset[str] = frozenset()) -> None:
        spans, at = [], 0
        for stretch in stretches:
            start, end = stretch[0], stretch[1]
            if end > start:
                spans.append(Span(start, end, at, stretch[2] if len(stretch) > 2 else None))
                at += end - start
        self.spans: tuple[Span, ...] = tuple(spans)
        self.program_frames = at
        self._program_list = [s.program for s in spans]
        once = [s for s in spans if s.placed not in copies] if copies else spans
        edges = np.array([[s.start for s in once], [s.end for s in once], [s.program for s in once]], np.int64)
        self._starts, self._ends, self._at = np.ascontiguousarray(edges[:, np.argsort(edges[0], kind="stable")])
        self._start_list, self._end_list, self._at_list = (a.tolist() for a in (self._starts, self._ends, self._at))
        self._copies = [s for s in spans if s.placed in copies]

    def to_session(self, program: int) -> int:
        """Session frame heard at a program frame; past the end, on from the last span."""
        if not self.spans:
            return 0
        span = self.spans[self.span_at(program)]
        return span.start + program - span.program

    def many_to_session(self, program: NDArray[np.int64]) -> NDArray[np.int64]:
        """`to_session` for many frames at once."""
        if not self.spans:
            return np.zeros(len(program), np.int64)
        programs = np.array(self._program_list, np.int64)
        starts = np.array([s.start for s in self.spans], np.int64)
        i = np.maximum(np.searchsorted(programs, program, side="right") - 1, 0)
        return np.asarray(starts[i] + program - programs[i])

    def span_at(self, program: int) -> int:
        """Number of the span that is heard at a program frame."""
        return max(bisect_right(self._program_list, program) - 1, 0)

    def to_program(self, session: int) -> int | None:
        """Program frame at which a session frame is heard; None where it is not."""
        i = bisect_right(self._start_list, session) - 1
        if i >= 0 and session < self._end_list[i]:
            out: int | None = self._at_list[i] + session - self._start_list[i]
            return out
        for span in self._copies:
            if span.start <= session < span.end:
                return span.program + session - span.start
        return None

    def to_program_or_next(self, session: int) -> int:
        """Like `to_program`; in a cut, where the program goes on after it."""
        at = self.to_program(session)
        if at is not None:
            return at
        i = bisect_right(self._start_list, session)
        return self._at_list[i] if i < len(self._at_list) else self.program_frames

    def many_to_program(self, session: NDArray[np.int64]) -> NDArray[np.int64]:
        """`to_program` for many frames at once; -1 where one is not heard. Copies are not looked at."""
        if not len(self._starts):
            return np.full(len(session), -1, np.int64)
        i = np.searchsorted(self._starts, session, side="right") - 1
        known = np.maximum(i, 0)
        heard = (i >= 0) & (session < self._ends[known])
        return np.where(heard, self._at[known] + session - self._starts[known], -1)

    def many_to_program_or_next(self, session: NDArray[np.int64]) -> NDArray[np.int64]:
        """`to_program_or_next` for many frames at once, copies not looked at."""
        at = self.many_to_program(session)
        following = np.searchsorted(self._starts, session, side="right")
        after = np.append(self._at, self.program_frames)[following]
        return np.where(at >= 0, at, after)

    def stretches_between(self, start: int, stop: int) -> list[tuple[int, int]]:
        """The session stretches that are heard between two program frames, in order."""
        out: list[tuple[int, int]] = []
        for index in self.spans_between(start, stop):
            span = self.spans[index]
            a, b = max(start, span.program), min(stop, span.program + span.frames)
            if b > a:
                here = span.start + a - span.program, span.start + b - span.program
                if out and out[-1][1] == here[0]:
                    out[-1] = out[-1][0], here[1]
                else:
                    out.append(here)
        return out

    @cached_property
    def seam_lengths(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """(program frames of the seams, frames that are cut at each; 0 where material was placed)."""
        pairs = [(a.end, b.start, b.program) for a, b in pairwise(self.spans) if a.end != b.start]
        if not pairs:
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        before, after, at = np.array(pairs, np.int64).T
        return at, np.where(after < FURTHEST_SESSION_FRAME, np.maximum(after - before, 0), 0)

    def seams(self) -> list[int]:
        """Program frames at which two spans meet that were not neighbours in the session."""
        return list(self._seams)

    @property
    def seam_pairs(self) -> list[tuple[int, int]]:
        """`seam_frames` of all seams, in the order in which they are heard."""
        return list(self._seams.values())

    @cached_property
    def _seams(self) -> dict[int, tuple[int, int]]:
        return {after.program: (before.end, after.start) for before, after in pairwise(self.spans) if before.end != after.start}

    def seam_frames(self, seam: int) -> tuple[int, int] | None:
        """(frame past the last one before, first one after) of the seam at a program frame."""
        index = self.span_at(seam)
        if index <= 0 or self.spans[index].program != seam:
            return None
        return self.spans[index - 1].end, self.spans[index].start

    def spans_between(self, start: int, stop: int) -> range:
        """Numbers of the spans that are heard between two program frames."""
        if not self.spans:
            return range(0)
        first = max(bisect_right(self._program_list, start) - 1, 0)
        last = bisect_left(self._program_list, stop)
        return range(first, max(last, first))


def moved_away(episode: Episode) -> Stretches:
    """Stretches that are heard elsewhere, and not at their own place."""
    return union((p.start_frame, p.end_frame) for m in episode.placed if m.kind is PlacedKind.MOVE for p in m.pieces)


class _Kept:
    """The maps of the last episodes, since one edit asks for the same map many times, and most change nothing of what is heard when."""

    def __init__(self, make: Callable[[Episode], TimeMap], count: int = 4) -> None:
        self._make, self._count = make, count
        self._known: list[tuple[Episode, TimeMap]] = []

    def __call__(self, episode: Episode) -> TimeMap:
        for known, time_map in self._known:
            if known is episode or (known.cuts is episode.cuts and known.placed is episode.placed and known.frames == episode.frames):
                return time_map
        made = self._make(episode)
        self._known = [(episode, made), *self._known[: self._count - 1]]
        return made


def _program_map(episode: Episode) -> TimeMap:
    cuts, moved = cut_union(episode).stretches, moved_away(episode)
    base = without(0, episode.frames, union([*cuts, *moved]) if moved else cuts)
    return _put_together(base, [_within(p, episode.frames) for p in episode.placed], cuts)


def _session_map(episode: Episode) -> TimeMap:
    placed = [p for p in episode.placed if p.kind in (PlacedKind.INSERT, PlacedKind.BREAK)]
    return _put_together([(0, episode.frames)] if episode.frames else [], placed, [])


_program_maps, _session_maps = _Kept(_program_map), _Kept(_session_map)


def program_map(episode: Episode) -> TimeMap:
    """What is heard: the session without its cuts, with all that was moved, copied and inserted."""
    return _program_maps(episode)


def session_map(episode: Episode) -> TimeMap:
    """The whole session, cut material and what was moved in its place; inserts and breaks where they are heard."""
    return _session_maps(episode)


def _put_together(base: Stretches, placed: Sequence[Placed], cuts: Stretches) -> TimeMap:
    waiting = sorted(placed, key=lambda p: p.at_frame)
    copies = frozenset(p.id for p in placed if p.kind is PlacedKind.COPY)
    out: list[tuple[int, int, str | None]] = []
    k = 0
    for start, end in base:
        while k < len(waiting) and waiting[k].at_frame < end:
            if waiting[k].at_frame > start:
                out.append((start, waiting[k].at_frame, None))
                start = waiting[k].at_frame
            out += _pieces(waiting[k], cuts)
            k += 1
        out.append((start, end, None))
    for item in waiting[k:]:
        out += _pieces(item, cuts)
    return TimeMap(out, copies)


def _within(item: Placed, frames: int) -> Placed:
    """What is there of something placed: a lane that was longer than the others may be gone, and what was moved out of its end with it."""
    if all(p.end_frame <= frames or p.start_frame >= PARKED_FROM_FRAME for p in item.pieces):
        return item
    there = [p if p.start_frame >= PARKED_FROM_FRAME else replace(p, end_frame=min(p.end_frame, frames)) for p in item.pieces]
    return replace(item, pieces=tuple(p for p in there if p.start_frame < p.end_frame))


def _pieces(item: Placed, cuts: Stretches) -> list[tuple[int, int, str | None]]:
    """What is heard of something placed: all of a copy, since it was chosen as it is; of everything else, what is not cut."""
    gone = [] if item.kind is PlacedKind.COPY else cuts
    return [(a, b, item.id) for p in item.pieces for a, b in without(p.start_frame, p.end_frame, gone)]
