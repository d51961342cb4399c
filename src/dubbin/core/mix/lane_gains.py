"""Puts the balance of an episode together: from what every lane is measured to be, the gain of each through time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, Lane, Role
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.mix.bleed import bleed_db, on_session
from dubbin.core.mix.cover import uncovered
from dubbin.core.mix.ducking import ducking_db
from dubbin.core.mix.gain_curve import POINTS_PER_S, GainCurve, curve_from_db
from dubbin.core.mix.levelling import STEP_S, levelling_db, line_db
from dubbin.core.sound.source import Source, blocks
from dubbin.core.speech.own_voice import FRAMES_PER_S, find_own_voices


@dataclass(frozen=True)
class VoiceFacts:
    """Of a voice's lane, FRAMES_PER_S a second of its recording. power: K-weighted mean square of the treated sound in the program's two channels.
    own: where its own voice speaks."""

    power: NDArray[np.float64]
    own: NDArray[np.bool_]


@dataclass(frozen=True)
class LaneGain:
    """POINTS_PER_S a second of the recording, in dB. level: levelling and the line drawn by hand; bleed: of bleed control."""

    level_db: NDArray[np.float64]
    bleed_db: NDArray[np.float64]
    rate: int

    def curve(self) -> GainCurve:
        """All of it together, as the mix reads it."""
        return curve_from_db(self.level_db + self.bleed_db, self.rate)


@dataclass(frozen=True)
class Balance:
    """gains: of the lanes whose gain changes through time. speech: own speech of the voices that are heard, by lane."""

    gains: dict[str, LaneGain] = field(default_factory=dict)
    speech: dict[str, NDArray[np.bool_]] = field(default_factory=dict)

    @cached_property
    def curves(self) -> dict[str, GainCurve]:
        """The gains by the ids of their lanes."""
        return {name: gain.curve() for name, gain in self.gains.items()}


def program_power(source: Source, task: Task | None = None) -> NDArray[np.float64]:
    """K-weighted mean square, FRAMES_PER_S a second, that a lane gives to the program's two channels; mono sounds on both."""
    return loudness_and_power(source, task)[1]


def loudness_and_power(source: Source, task: Task | None = None) -> tuple[Loudness, NDArray[np.float64]]:
    """Loudness of a lane, without the true peak, and its `program_power`."""
    meter = LoudnessMeter(source.rate, source.channels, true_peak=False)
    for start, x in blocks(source):
        if task is not None:
            task.step(start / max(source.frames, 1))
        meter.push(x)
    return meter.result(), np.asarray(meter.steps() * (2.0 if source.channels == 1 else 1.0))


def measure_own(lanes: Sequence[tuple[Lane, Source]], rate: int, task: Task | None = None) -> dict[str, NDArray[np.bool_]]:
    """Own speech of all voices; those of the session are compared with one another."""
    task = task or Task()
    session = [(lane, s) for lane, s in lanes if not lane.is_insert]
    own = find_own_voices([(lane.start_frame / rate, source) for lane, source in session], task.part(0.0, 0.9))
    out = {lane.id: marks for (lane, _), marks in zip(session, own, strict=True)}
    for lane, source in lanes:
        if lane.is_insert:
            out[lane.id] = find_own_voices([(0.0, source)])[0]
    return out


def find_balance(episode: Episode, facts: Mapping[str, VoiceFacts]) -> Balance:
    """All gains with the present settings: quick, since everything slow is in the facts. Lanes without facts stay as they are."""
    facts = without_covered(episode, facts)
    bleeds = _bleed(episode, facts)
    gains: dict[str, LaneGain] = {}
    for lane in episode.lanes:
        fact = facts.get(lane.id)
        levels = lane.role is Role.VOICE and lane.levelling.on and fact is not None
        if not levels and not lane.line and lane.id not in bleeds:
            continue
        count = max(1, round(episode.recording(lane.recording).frames / episode.rate * POINTS_PER_S))
        level = line_db(lane.line, episode.rate, count)
        if levels and fact is not None:
            n = min(len(fact.power), len(fact.own))
            ride = levelling_db(fact.power[:n], fact.own[:n], lane.levelling)
            level = level + np.interp(np.arange(count) / POINTS_PER_S, (np.arange(len(ride)) + 0.5) * STEP_S, ride)
        gains[lane.id] = LaneGain(level, bleeds.get(lane.id, np.zeros(count)), episode.rate)
    return Balance(gains, {name: fact.own for name, fact in facts.items()})


def without_covered(episode: Episode, facts: Mapping[str, VoiceFacts]) -> dict[str, VoiceFacts]:
    """Facts of voices that do not speak where they are covered: lowered, muted or bleeped."""
    lanes = {lane.id: lane for lane in episode.lanes}
    return {
        name: replace(fact, own=uncovered(fact.own, lanes[name], episode.rate, FRAMES_PER_S))
        if name in lanes and lanes[name].covers
        else fact
        for name, fact in facts.items()
    }


def _bleed(episode: Episode, facts: Mapping[str, VoiceFacts]) -> dict[str, NDArray[np.float64]]:
    """Gain in dB of bleed control by lane, POINTS_PER_S a second of the recording."""
    voices = [lane for lane in episode.session_voices if not lane.mute and lane.id in facts]
    settings = {lane.id: lane.bleed for lane in voices if lane.bleed.on}
    if not settings or len(voices) < 2:
        return {}
    count = int(np.ceil(episode.frames / episode.rate * FRAMES_PER_S)) + 1
    own = {lane.id: on_session(facts[lane.id].own, lane.start_frame, episode.rate, count) for lane in voices}
    gains, out = bleed_db(own, settings), {}
    for lane in voices:
        if lane.id in gains:
            length = max(1, round(episode.recording(lane.recording).frames / episode.rate * POINTS_PER_S))
            at = np.arange(length) / POINTS_PER_S + lane.start_frame / episode.rate
            out[lane.id] = np.interp(at * FRAMES_PER_S, np.arange(count), gains[lane.id])
    return out


def speech_in_program(episode: Episode, time_map: TimeMap, speech: Mapping[str, NDArray[np.bool_]], heard: set[str]) -> NDArray[np.bool_]:
    """POINTS_PER_S marks a second of the program: where one of the heard voices speaks."""
    count = int(np.ceil(time_map.program_frames / episode.rate * POINTS_PER_S))
    program = np.minimum((np.arange(count) * episode.rate) // POINTS_PER_S, max(time_map.program_frames - 1, 0))
    session = time_map.many_to_session(program)
    out = np.zeros(count, bool)
    for lane in episode.lanes:
        own = speech.get(lane.id)
        if own is None or lane.id not in heard or lane.role is not Role.VOICE or not len(own):
            continue
        at = np.round((session - lane.start_frame) / episode.rate * FRAMES_PER_S).astype(np.int64)
        out |= np.where((at >= 0) & (at < len(own)), own[np.clip(at, 0, len(own) - 1)], False)
    return out


def ducking_curve(episode: Episode, lane: Lane, speech: NDArray[np.bool_]) -> GainCurve | None:
    """How a lane under the program gives way; speech: from `speech_in_program`."""
    if not lane.ducking.on:
        return None
    return curve_from_db(ducking_db(speech, lane.ducking), episode.rate)
