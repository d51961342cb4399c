"""The program as a source: every span read from all lanes, joined by crossfades, summed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dubbin.core.episode.model import Episode, Lane, PlacedKind, SeamShape
from dubbin.core.episode.time_map import Span, TimeMap
from dubbin.core.mix.hear import Hear
from dubbin.core.mix.seam import SeamPlan, plan_seam
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded

CUE_HZ, CUE_S, CUE_DBFS, CUE_FADE_S = 1000.0, 0.25, -23.0, 0.005
LONGEST_SEAM_MS = 500.0


def audible_lanes(lanes: Sequence[Lane]) -> list[Lane]:
    """Lanes that sound: the soloed ones, if any are, else those not muted."""
    soloed = [lane for lane in lanes if lane.solo]
    return [lane for lane in soloed or lanes if not lane.mute or lane.solo]


class SessionMix:
    """All lanes summed on the session clock, cuts left in place, inserts and cue tones where they lie; stereo."""

    channels = 2

    def __init__(
        self, episode: Episode, sources: Mapping[str, Source], gains_db: Mapping[str, float] | None = None
    ) -> None:
        """sources: for each lane id, its sound from the recording's first frame on, mono or stereo. gains_db: on top of
        the lanes' levels."""
        extra = gains_db or {}
        self.rate = episode.rate
        ends = [lane.start_frame + sources[lane.id].frames for lane in episode.lanes if lane.id in sources]
        self.frames = max([episode.frames, *ends, *(x.end_frame for p in episode.placed for x in p.pieces)])
        self._parts = [
            (lane.start_frame, np.float32(db_to_gain(lane.level_db + extra.get(lane.id, 0.0))), sources[lane.id])
            for lane in audible_lanes(episode.lanes)
            if lane.id in sources
        ]
        self._cues = [p.pieces[0].start_frame for p in episode.placed if p.kind is PlacedKind.BREAK and p.cue]

    def read(self, start: int, stop: int) -> Samples:
        out = np.zeros((2, stop - start), np.float32)
        for offset, gain, source in self._parts:
            if stop <= offset or start >= offset + source.frames:
                continue
            x = read_padded(source, start - offset, stop - offset)
            out += gain * (x if x.shape[0] == 2 else to_stereo(x))
        for cue in self._cues:
            a, b = max(start, cue), min(stop, cue + round(CUE_S * self.rate))
            if b > a:
                out[:, a - start : b - start] += _cue_tone(np.arange(a - cue, b - cue), self.rate)
        return out


def _cue_tone(n: np.ndarray, rate: int) -> np.ndarray:
    length, fade = CUE_S * rate, CUE_FADE_S * rate
    shape = np.clip(np.minimum(n, length - 1 - n) / fade, 0.0, 1.0)
    return np.asarray(shape * db_to_gain(CUE_DBFS) * np.sqrt(2.0) * np.sin(2 * np.pi * CUE_HZ * n / rate), np.float32)


def to_stereo(x: Samples) -> Samples:
    """Mono to both sides at the same level; of more than two channels, their mean to both sides."""
    if x.shape[0] == 2:
        return x
    return np.repeat(x.mean(axis=0, keepdims=True), 2, axis=0)


class Program:
    """What the listener hears: a source on program time.

    At a seam the outgoing span sounds on for half the crossfade and the incoming one begins half of it early, both
    from the session's own sound; the length of the program is that of its spans. seam_ms None: each seam as long as suits its sound.
    seams: settings of single seams, by (frame before, frame after).
    """

    def __init__(
        self, mix: Source, time_map: TimeMap, seam_ms: float | None,
        seams: Mapping[tuple[int, int], tuple[float | None, SeamShape]] | None = None,
    ) -> None:  # fmt: skip
        self.mix, self.map = mix, time_map
        self.rate, self.channels, self.frames = mix.rate, mix.channels, time_map.program_frames
        self._seam_ms, self._seams = seam_ms, dict(seams or {})
        longest = max([LONGEST_SEAM_MS] if self._seams else [seam_ms or 40.0])
        self._reach = round(longest * 1e-3 * mix.rate / 2) + 1
        self._plans: dict[int, SeamPlan] = {}

    def plan(self, index: int) -> SeamPlan:
        """The crossfade before span `index`; of no length where there is no seam."""
        spans = self.map.spans
        if index <= 0 or index >= len(spans) or spans[index - 1].end == spans[index].start:
            return SeamPlan(0)
        known = self._plans.get(index)
        if known is None:
            before, after = spans[index - 1], spans[index]
            room = min(before.frames, after.frames) // 2
            ms, shape = self._seams.get((before.end, after.start), (self._seam_ms, SeamShape.AUTO))
            known = plan_seam(self.mix, before.end, after.start, min(room, self._reach - 1), self._seam_ms if ms is None else ms, shape)
            self._plans[index] = known
        return known

    def read(self, start: int, stop: int) -> Samples:
        out = np.zeros((self.channels, stop - start), np.float32)
        for index in self.map.spans_between(start - self._reach, stop + self._reach):
            self._add_span(out, start, stop, self.map.spans[index], self.plan(index), self.plan(index + 1))
        return out

    def _add_span(self, out: Samples, start: int, stop: int, span: Span, head: SeamPlan, tail: SeamPlan) -> None:
        a, b = max(start, span.program - head.half), min(stop, span.program + span.frames + tail.half)
        if b <= a:
            return
        shift = span.start - span.program
        x = read_padded(self.mix, a + shift, b + shift)
        if head.half and a < span.program + head.half:
            n = np.arange(a, min(b, span.program + head.half))
            x[:, : len(n)] *= head.fades(n - (span.program - head.half))[1]
        end = span.program + span.frames
        if tail.half and b > end - tail.half:
            n = np.arange(max(a, end - tail.half), b)
            x[:, x.shape[1] - len(n) :] *= tail.fades(n - (end - tail.half))[0]
        out[:, a - start : b - start] += x


def program_over(episode: Episode, mix: Source, time_map: TimeMap) -> Program:
    """A program with the episode's own way of joining."""
    seams = {(s.before_frame, s.after_frame): (s.ms, s.shape) for s in episode.seams}
    return Program(mix, time_map, None if episode.seam_auto else episode.seam_ms, seams)


def lane_sources(sounds: Mapping[str, object], hear: Hear) -> dict[str, Source]:
    """The side of each LaneSound that `hear` asks for."""
    return {lane_id: sound.heard(hear) for lane_id, sound in sounds.items()}  # type: ignore[attr-defined]
