"""The program as a source: every span read from all lanes, joined by crossfades, summed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, Lane, PlacedKind, SeamShape
from dubbin.core.episode.time_map import Span, TimeMap
from dubbin.core.mix.bed import BedTrack
from dubbin.core.mix.gain_curve import GainCurve, fade_gain
from dubbin.core.mix.lane_gains import Balance, ducking_curve, speech_in_program
from dubbin.core.mix.monitor import MonitorMode
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
        self, episode: Episode, sources: Mapping[str, Source], gains_db: Mapping[str, float] | None = None,
        curves: Mapping[str, GainCurve] | None = None, cues: bool = True,
    ) -> None:  # fmt: skip
        """sources: for each lane id, its sound from the recording's first frame on, mono or stereo. gains_db: on top of
        the lanes' levels. curves: gains that change through time, on the recordings' frames. cues: whether cue tones sound."""
        extra, moving = gains_db or {}, curves or {}
        self.rate = episode.rate
        inside = [lane for lane in episode.lanes if lane.id in sources and lane.bed is None]
        ends = [lane.start_frame + sources[lane.id].frames for lane in inside]
        self.frames = max([episode.frames, *ends, *(x.end_frame for p in episode.placed for x in p.pieces)])
        audible = {lane.id for lane in audible_lanes(episode.lanes)}
        self._parts = [
            _Part(lane, side_gains(lane, sources[lane.id].channels, extra.get(lane.id, 0.0)), sources[lane.id], moving.get(lane.id))
            for lane in inside
            if lane.id in audible
        ]
        self._cues = [p.pieces[0].start_frame for p in episode.placed if cues and p.kind is PlacedKind.BREAK and p.cue]

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop of the session (2, stop - start): all lanes that are heard, with their gains and places."""
        out = np.zeros((2, stop - start), np.float32)
        for part in self._parts:
            offset, source = part.lane.start_frame, part.source
            a, b = max(start, offset), min(stop, offset + source.frames)
            if b <= a:
                continue
            x = source.read(a - offset, b - offset)
            if part.curve is not None:
                x = x * part.curve.at(a - offset, b - offset)
            fades = part.lane.fade_in_frames, part.lane.fade_out_frames
            faded = fade_gain(np.arange(a - offset, b - offset), source.frames, *fades) if any(fades) else None
            if faded is not None:
                x = x * faded
            add_sides(out[:, a - start : b - start], x, part.gains)
        for cue in self._cues:
            a, b = max(start, cue), min(stop, cue + round(CUE_S * self.rate))
            if b > a:
                out[:, a - start : b - start] += _cue_tone(np.arange(a - cue, b - cue), self.rate)
        return out


def _cue_tone(n: np.ndarray, rate: int) -> np.ndarray:
    length, fade = CUE_S * rate, CUE_FADE_S * rate
    shape = np.clip(np.minimum(n, length - 1 - n) / fade, 0.0, 1.0)
    return np.asarray(shape * db_to_gain(CUE_DBFS) * np.sqrt(2.0) * np.sin(2 * np.pi * CUE_HZ * n / rate), np.float32)


@dataclass(frozen=True)
class _Part:
    lane: Lane
    gains: NDArray[np.float32]
    source: Source
    curve: GainCurve | None


def side_gains(lane: Lane, channels: int, extra_db: float = 0.0) -> NDArray[np.float32]:
    """Gain of a lane to the left and the right: level, polarity, pan.

    Panned with equal power, and with 0 dB in the middle: wherever a voice sits, it is as loud. A stereo lane keeps its sides; the one that it is turned away from
    goes down.
    """
    angle = (lane.pan / 100.0 + 1.0) * np.pi / 4
    sides = np.sqrt(2.0) * np.array([np.cos(angle), np.sin(angle)])
    if channels == 2:
        sides = np.minimum(sides, 1.0)
    sides[np.abs(sides) < 1e-9] = 0.0
    gain = db_to_gain(lane.level_db + extra_db) * (-1.0 if lane.invert else 1.0)
    return np.asarray(gain * sides, np.float32)


def add_sides(out: Samples, x: Samples, gains: NDArray[np.float32]) -> None:
    """Add a lane's sound to both sides of a mix."""
    if x.shape[0] != 2:
        x = x if x.shape[0] == 1 else x.mean(axis=0, keepdims=True)
    for side in (0, 1):
        y = x[side if x.shape[0] == 2 else 0]
        out[side] += y if gains[side] == 1.0 else gains[side] * y


def to_stereo(x: Samples) -> Samples:
    """Mono to both sides at the same level; of more than two channels, their mean to both sides."""
    if x.shape[0] == 2:
        return x
    return np.repeat(x.mean(axis=0, keepdims=True), 2, axis=0)


class Program:
    """What the listener hears: a source on program time.

    At a seam the outgoing span sounds on for half the crossfade and the incoming one begins half of it early, both
    from the session's own sound; the length of the program is that of its spans. seam_ms None: each seam as long as suits its sound.
    seams: settings of single seams, by (frame before, frame after). under: what lies under the program, with its gains to both sides.
    joined_like: the whole program of which this is a part; its seams are joined in the same way, so that the parts add up to it.
    """

    def __init__(
        self, mix: Source, time_map: TimeMap, seam_ms: float | None,
        seams: Mapping[tuple[int, int], tuple[float | None, SeamShape]] | None = None,
        under: Sequence[tuple[BedTrack, NDArray[np.float32]]] = (), joined_like: Program | None = None,
    ) -> None:  # fmt: skip
        self._joined_like = joined_like
        self.mix, self.map, self.under = mix, time_map, tuple(under)
        self.rate, self.channels, self.frames = mix.rate, mix.channels, time_map.program_frames
        self._seam_ms, self._seams = seam_ms, dict(seams or {})
        longest = max([LONGEST_SEAM_MS] if self._seams else [seam_ms or 40.0])
        self._reach = round(longest * 1e-3 * mix.rate / 2) + 1
        self._plans: dict[int, SeamPlan] = {}

    def plan(self, index: int) -> SeamPlan:
        """The crossfade before span `index`; of no length where there is no seam."""
        if self._joined_like is not None:
            return self._joined_like.plan(index)
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
        """Frames start to stop of the program (channels, stop - start), with seams and what plays under them."""
        out = np.zeros((self.channels, stop - start), np.float32)
        for index in self.map.spans_between(start - self._reach, stop + self._reach):
            self._add_span(out, start, stop, self.map.spans[index], self.plan(index), self.plan(index + 1))
        for track, gains in self.under:
            if track.start < stop and track.stop > start:
                add_sides(out, track.read(start, stop), gains)
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


def program_over(episode: Episode, mix: Source, time_map: TimeMap, under: Sequence[tuple[BedTrack, NDArray[np.float32]]] = ()) -> Program:
    """A program with the episode's own way of joining."""
    seams = {(s.before_frame, s.after_frame): (s.ms, s.shape) for s in episode.seams}
    return Program(mix, time_map, None if episode.seam_auto else episode.seam_ms, seams, under)


def beds_under(
    episode: Episode, time_map: TimeMap, sources: Mapping[str, Source], balance: Balance, only: set[str] | None = None
) -> list[tuple[BedTrack, NDArray[np.float32]]]:
    """What lies under the program, placed on its clock. only: lanes that are wanted; all that are heard, by default."""
    heard = {lane.id for lane in audible_lanes(episode.lanes)}
    beds = [lane for lane in episode.beds if lane.id in sources and lane.id in (heard if only is None else only)]
    if not beds:
        return []
    speech = speech_in_program(episode, time_map, balance.speech, heard) if any(lane.ducking.on for lane in beds) else np.zeros(0, bool)
    out = []
    for lane in beds:
        source = sources[lane.id]
        start = min(time_map.to_program_or_next(lane.start_frame), time_map.program_frames)
        curve = ducking_curve(episode, lane, speech)
        track = BedTrack(lane, source, start, time_map.program_frames, curve)
        out.append((track, side_gains(lane, source.channels)))
    return out


def lane_sources(sounds: Mapping[str, object], mode: MonitorMode) -> dict[str, Source]:
    """The side of each LaneSound that `mode` asks for."""
    return {lane_id: sound.heard(mode) for lane_id, sound in sounds.items()}  # type: ignore[attr-defined]
