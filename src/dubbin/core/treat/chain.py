"""Runs treatments one after the other over a recording, and blends each by its strength.

Every stage treats the full-strength result of the one before. What a stage takes away is what it removed; the
chain's output is the recording minus what each stage removed times its strength. (One that wants the room is given a little
more of it than the stage before left; what it removed is counted from what was left all the same, what it takes of the voice from
what it was given.) So a strength slider needs nothing
computed again, strength 0 everywhere gives the recording back bit by bit, and recording = output + removed.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.report import RecordingReport
from dubbin.core.memory import give_back
from dubbin.core.seats import CORES
from dubbin.core.sound.long_recordings import OneAtATime
from dubbin.core.sound.source import Samples, Source, read_padded
from dubbin.core.treat.guard import Guard, measure_guard
from dubbin.core.treat.tiles import MemoryTileCache, TileCache, TileLocks, Tiles
from dubbin.core.treat.treatment import Context, Treatment

FADE_S = 0.01  # at the edges of a span to which a treatment is restricted
CODE_VERSION = 25  # raise when a treatment's result changes, so that cached tiles of old code are not used


@dataclass(frozen=True)
class Use:
    """One treatment as it is to be applied: strength from 0 to 1. spans: frames (start, end) outside of which it does
    nothing; none: it is applied everywhere."""

    treatment: Treatment
    settings: Any
    strength: float = 1.0
    spans: tuple[tuple[int, int], ...] = ()


class _RoomTiles:
    """Tiles of what a stage took of a room, made where somebody asks for them."""

    def __init__(self, key: str, tile_cache: TileCache) -> None:
        self._key, self._tile_cache = key, tile_cache
        self._made: Tiles | None = None

    def get(self) -> Tiles:
        """The tiles, which are kept from then on."""
        self._made = self._tile_cache.tiles(self._key)
        return self._made

    def release(self) -> None:
        """Nobody asks any more, or seldom."""
        if self._made is not None:
            self._made.clear()


class Stage:
    """One treatment over what comes before it, at full strength; a source."""

    def __init__(self, upstream: Source, use: Use, key: str, tile_cache: TileCache) -> None:
        self.upstream = upstream
        self._behind = upstream if use.treatment.wants_rooms and isinstance(upstream, Stage) else None
        self.heard = self._behind.with_room() if self._behind is not None else upstream  # what the treatment is given
        self.treatment = use.treatment
        self.settings = use.settings
        self.rate, self.channels, self.frames = upstream.rate, upstream.channels, upstream.frames
        spans = use.treatment.spans_s(use.settings)
        self.tile_frames, self._lead, self._tail = (round(s * self.rate) for s in spans)
        self._tiles = tile_cache.tiles(key)
        self._keeps_removed = tile_cache.is_compact and use.treatment.changes_little and self.heard is upstream
        self.key, self._found = key, tile_cache.findings  # key: a name for all that the stage's sound depends on
        self._locks = TileLocks()
        self._room_tiles = _RoomTiles(f"{key}-room", tile_cache)

    def findings(self, task: Task | None = None) -> Any:
        """What the treatment found in the whole recording; looked for once."""
        return self._found.get(self.key, lambda: self.treatment.analyse(self.heard, self.settings, task or Task()))

    def with_room(self) -> Source:
        """Its sound, with what it took of a room."""
        return self.treatment.with_room(self.upstream, self, self.settings, self.findings, self._room_tiles.get)

    def take_over(self, report: RecordingReport) -> None:
        """What a report on what comes before holds of the findings need not be looked for again."""
        found = self.treatment.measured(report, self.settings)
        if found is not None:
            self._found.get(self.key, lambda: found)

    def guard(self, task: Task | None = None) -> Guard:
        """How much of the voice the treatment takes along; looked at once."""
        treatment = self.treatment
        return self._found.get(  # type: ignore[no-any-return]
            f"{self.key}:guard",
            lambda: measure_guard(
                self.heard,
                self,
                mends_places=treatment.mends_places,
                takes_rooms=treatment.takes_rooms,
                takes_noises=treatment.takes_noises,
                task=task,
            ),
        )

    @property
    def tile_count(self) -> int:
        """How many tiles there are."""
        return -(-self.frames // self.tile_frames)

    @property
    def is_idle(self) -> bool:
        """Whether the treatment leaves this recording as it is."""
        return self.treatment.is_idle(self.findings())

    def is_ready(self, start: int, stop: int) -> bool:
        """Whether frames start to stop can be read without computing."""
        if all(self._tiles.has(i) for i in self._indices(start, stop)):
            return True
        return self._found.knows(self.key) and self.is_idle

    def _indices(self, start: int, stop: int) -> range:
        return range(start // self.tile_frames, -(-stop // self.tile_frames))

    def tile(self, index: int) -> Samples:
        """Tile number `index`, computed if need be."""
        start = index * self.tile_frames
        return self._part(index, 0, min(self.tile_frames, self.frames - start))

    def _part(self, index: int, start: int, stop: int, before: Samples | None = None) -> Samples:
        """Frames start to stop of a tile, counted from its own first. before: the same of what comes before, where it is at hand."""
        known = self._kept(index, start, stop, before)
        if known is not None:
            return known
        with self._locks.of(index):
            known = self._kept(index, start, stop, before)
            if known is None:
                (y,) = self._computed([index])
                known = y[:, start:stop]
        return known

    def _kept(self, index: int, start: int, stop: int, before: Samples | None) -> Samples | None:
        kept = self._tiles.get(index, start, stop)
        if kept is None or not self._keeps_removed:
            return kept
        if before is None:
            offset = index * self.tile_frames
            before = self.upstream.read(offset + start, offset + stop)
        return before - kept

    def _computed(self, indices: Sequence[int]) -> list[Samples]:
        """Compute tiles, side by side where the treatment likes that, and keep them."""
        findings, stretches = self.findings(), []
        for index in indices:
            start = index * self.tile_frames
            stop = min(start + self.tile_frames, self.frames)
            x = read_padded(self.heard, start - self._lead, stop + self._tail)
            stretches.append((x, Context(start - self._lead, self.frames, self.rate, self.settings, findings)))
        out = []
        for index, (x, _), y in zip(indices, stretches, self.treatment.process_all(stretches), strict=True):
            if y.shape != x.shape or y.dtype != np.float32:
                raise AssertionError(f"{self.treatment.name} returned {y.dtype} {y.shape} for {x.shape}")
            before, after = (np.ascontiguousarray(z[:, self._lead : z.shape[1] - self._tail]) for z in (x, y))
            out.append(before - self._tiles.put(index, before - after) if self._keeps_removed else self._tiles.put(index, after))
        return out

    def fill(self, task: Task) -> None:
        """Compute all tiles that are not there yet, on all cores. For tile caches that keep every tile."""
        missing = [index for index in range(self.tile_count) if not self._tiles.has(index)]
        if not missing or self.is_idle:
            return
        at_once = min(self.treatment.side_by_side(self.settings), -(-len(missing) // CORES))
        if at_once == 1:
            in_parallel(self.tile, missing, task)
        else:
            in_parallel(self._computed, [missing[k : k + at_once] for k in range(0, len(missing), at_once)], task)

    def release(self) -> None:
        """Let go of what was found, once every tile is there: noise and echo of hours take hundreds of megabytes. And of the room, which its treatment alone listens to."""
        if self.is_filled:
            self._found.forget(self.key)
            if self._behind is not None:
                self._behind._room_tiles.release()

    @property
    def is_filled(self) -> bool:
        """Whether every tile is there: also after a restart nothing need be looked for or computed."""
        return all(self._tiles.has(index) for index in range(self.tile_count))

    def read(self, start: int, stop: int, before: Samples | None = None) -> Samples:
        """before: these frames of what comes before, where they are at hand; else they are read where they are needed."""
        if not all(self._tiles.has(i) for i in self._indices(start, stop)) and self.is_idle:
            return self.upstream.read(start, stop) if before is None else before
        out = np.empty((self.channels, stop - start), np.float32)
        for index in self._indices(start, stop):
            offset = index * self.tile_frames
            a, b = max(start, offset), min(stop, offset + self.tile_frames)
            out[:, a - start : b - start] = self._part(
                index, a - offset, b - offset, None if before is None else before[:, a - start : b - start]
            )
        return out


_one_at_a_time = OneAtATime()  # three hours of noise and echo are hundreds of megabytes


class Chain:
    """The treated recording; a source. key: a name for the recording's content, for the tile cache."""

    def __init__(self, source: Source, uses: Sequence[Use], key: str = "", tile_cache: TileCache | None = None) -> None:
        tile_cache = tile_cache or MemoryTileCache()
        self.source = source
        self.rate, self.channels, self.frames = source.rate, source.channels, source.frames
        self.stages: list[Stage] = []
        self.strengths: list[float] = []
        self.spans: list[tuple[tuple[int, int], ...]] = []
        upstream = source
        for use in uses:
            key = _next_key(key, use, source)
            stage = Stage(upstream, use, key, tile_cache)
            self.stages.append(stage)
            self.strengths.append(use.strength)
            self.spans.append(use.spans)
            upstream = stage
        self.key = key

    @property
    def blend_key(self) -> str:
        """A name for the chain's output: its stages, their strengths and spans. Without stages it is that of the recording."""
        if not self.stages:
            return self.key
        return f"{self.key}:{list(zip(self.strengths, self.spans, strict=True))!r}"

    def prepare(self, task: Task, report: RecordingReport | None = None, then: Callable[[Stage], object] | None = None) -> None:
        """Find and compute everything, stage by stage. For tile caches that keep every tile. report: on the source; what it holds is not looked for again. then: done with
        each stage that is there, before what was found for it is let go. Long recordings wait for one another."""
        is_there = all(stage.is_filled for stage in self.stages)
        with nullcontext() if is_there else _one_at_a_time.through(self.source, task):
            self._prepare(task, report, then)

    def _prepare(self, task: Task, report: RecordingReport | None, then: Callable[[Stage], object] | None) -> None:
        count = max(len(self.stages), 1)
        if report is not None and self.stages:
            self.stages[0].take_over(report)
        for k, stage in enumerate(self.stages):
            if stage.is_filled:
                if then is not None:
                    then(stage)
                continue
            stage.findings(task.part(k / count, (k + 0.4) / count))
            stage.fill(task.part((k + 0.4) / count, (k + 1) / count))
            if then is not None:
                then(stage)
            for done in self.stages[: k if self._is_asked_after(k) else k + 1]:
                done.release()
            give_back()  # the next stage asks for other sizes
        for stage in self.stages:
            stage.release()

    def _is_asked_after(self, k: int) -> bool:
        """Whether what stage k found is asked for by the one after it."""
        return k + 1 < len(self.stages) and self.stages[k + 1].heard is not self.stages[k]

    def with_strengths(self, strengths: Sequence[float]) -> Chain:
        """The same stages and tiles under other strengths; costs nothing."""
        twin = object.__new__(Chain)
        twin.__dict__.update(self.__dict__)
        twin.strengths = list(strengths)
        return twin

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start) behind all stages, each at its strength."""
        return self._blend(start, stop, self.strengths)

    def _blend(self, start: int, stop: int, strengths: Sequence[float]) -> Samples:
        # Stages at full strength from the first on: all that they removed together is what the last of them did.
        full = 0
        while full < len(self.stages) and strengths[full] == 1.0 and not self.spans[full]:
            full += 1
        x = self.stages[full - 1].read(start, stop) if full else self.source.read(start, stop)
        if full == len(self.stages):
            return x
        out = x.copy()
        before = x
        rest = zip(self.stages[full:], strengths[full:], self.spans[full:], strict=True)
        for stage, strength, spans in rest:
            after = stage.read(start, stop, before)
            if strength > 0:
                removed = before - after
                if spans:
                    removed *= inside(spans, start, stop, round(FADE_S * self.rate))
                out -= np.float32(strength) * removed
            before = after
        return out

    def is_ready(self, start: int, stop: int) -> bool:
        """Whether the treated frames can be read without computing."""
        return all(stage.is_ready(start, stop) for stage in self.stages)


def inside(spans: Sequence[tuple[int, int]], start: int, stop: int, fade: int) -> NDArray[np.float32]:
    """1 for frames start to stop that lie in a span, 0 for others, with straight fades of `fade` frames inside the edges."""
    n = np.arange(start, stop)
    out = np.zeros(stop - start, np.float32)
    for a, b in spans:
        if a < stop and b > start:
            edge = np.minimum(n - a + 1, b - n) / max(min(fade, (b - a) // 2), 1)
            np.maximum(out, np.clip(edge, 0.0, 1.0), out=out)
    return out


def _next_key(before: str, use: Use, source: Source) -> str:
    plain = msgspec.json.encode([CODE_VERSION, before, use.treatment.name, use.settings, source.rate, source.channels, source.frames])
    return hashlib.blake2b(plain, digest_size=16).hexdigest()
