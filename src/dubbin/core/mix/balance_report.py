"""What the balance comes to: how loud each voice is in the program and how far apart the voices are, before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, Lane
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.measure.loudness import OFFSET_LU, SHORT_TERM_STEPS, STEPS_PER_S
from dubbin.core.mix.gain_curve import POINTS_PER_S
from dubbin.core.mix.lane_gains import Balance, VoiceFacts, without_covered
from dubbin.core.mix.levelling import own_loudness
from dubbin.core.mix.program import audible_lanes
from dubbin.core.sound.level import db_to_gain
from dubbin.core.speech.own_voice import FRAMES_PER_S

HISTORY_S = 0.2
QUIET_LUFS = -70.0
SPEAKS_LUFS = -36.0  # below, a voice has said next to nothing within these seconds
SHORT_TERM_S = SHORT_TERM_STEPS / STEPS_PER_S


@dataclass(frozen=True)
class VoiceLevel:
    """Loudness in LUFS of a voice's own speech in the program, before the balance and after. short_term: every HISTORY_S of the program, NaN where the
    voice is silent."""

    lane: str
    voice: str
    before_lufs: float | None
    after_lufs: float | None
    short_term: NDArray[np.float64]

    def course(self, points: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """For a picture: (instants in s, at most so many; LUFS around each, by mean power, where the voice speaks and NaN elsewhere)."""
        step = max(1, -(-len(self.short_term) // points))
        count = -(-len(self.short_term) // step)
        around = np.pad(self.short_term, (0, count * step - len(self.short_term)), constant_values=np.nan).reshape(count, step)
        speaks = around > SPEAKS_LUFS
        power = np.sum(np.where(speaks, 10.0 ** (np.nan_to_num(around) / 10.0), 0.0), axis=1)
        heard = np.count_nonzero(speaks, axis=1)
        level = np.where(heard > 0, 10.0 * np.log10(np.maximum(power, 1e-12) / np.maximum(heard, 1)), np.nan)
        times = (np.arange(count) * step + (step + 1) / 2) * HISTORY_S - SHORT_TERM_S / 2
        return np.asarray(times, np.float64), np.asarray(level, np.float64)


@dataclass(frozen=True)
class BalanceReport:
    """How loud the voices are, before and after everything that moves them."""

    voices: tuple[VoiceLevel, ...]

    @property
    def apart_before_lu(self) -> float | None:
        """How far apart they were; None with fewer than two."""
        return _apart([v.before_lufs for v in self.voices])

    @property
    def apart_after_lu(self) -> float | None:
        """How far apart they are; None with fewer than two."""
        return _apart([v.after_lufs for v in self.voices])


def _apart(values: list[float | None]) -> float | None:
    known = [v for v in values if v is not None]
    return max(known) - min(known) if len(known) > 1 else None


def report_balance(episode: Episode, time_map: TimeMap, facts: Mapping[str, VoiceFacts], balance: Balance) -> BalanceReport:
    """Figures of the voices that are heard, from what is known of them: nothing is rendered."""
    facts = without_covered(episode, facts)
    heard = {lane.id for lane in audible_lanes(episode.lanes)}
    voices = [lane for lane in episode.voices if lane.id in heard and lane.id in facts]
    return BalanceReport(tuple(_voice(episode, time_map, lane, facts[lane.id], balance) for lane in voices))


def _voice(episode: Episode, time_map: TimeMap, lane: Lane, fact: VoiceFacts, balance: Balance) -> VoiceLevel:
    n = min(len(fact.power), len(fact.own))
    power, own = fact.power[:n], fact.own[:n]
    count = int(time_map.program_frames / episode.rate * FRAMES_PER_S)
    program = ((np.arange(count) + 0.5) * episode.rate / FRAMES_PER_S).astype(np.int64)
    at = ((time_map.many_to_session(program) - lane.start_frame) / episode.rate * FRAMES_PER_S).astype(np.int64)
    inside = (at >= 0) & (at < n)
    at = np.clip(at, 0, max(n - 1, 0))
    if not n:
        return VoiceLevel(lane.id, lane.voice, None, None, np.zeros(0))
    before, own = np.where(inside, power[at], 0.0), inside & own[at]
    gain = np.full(count, db_to_gain(lane.level_db) ** 2)
    moving = balance.gains.get(lane.id)
    if moving is not None:
        curve = moving.level_db + moving.bleed_db
        gain = gain * 10.0 ** (np.interp((at + 0.5) / FRAMES_PER_S * POINTS_PER_S, np.arange(len(curve)), curve) / 10.0)
    after = before * gain
    return VoiceLevel(lane.id, lane.voice, own_loudness(before, own), own_loudness(after, own), _short_term(np.where(own, after, 0.0)))


def _short_term(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Short-term loudness every HISTORY_S, of the 3 s before; NaN where the voice has nothing to say."""
    sums = np.concatenate([[0.0], np.cumsum(power)])
    ends = np.arange(1, int(len(power) / FRAMES_PER_S / HISTORY_S) + 1) * round(HISTORY_S * FRAMES_PER_S)
    starts = np.maximum(ends - SHORT_TERM_STEPS, 0)
    mean = (sums[ends] - sums[starts]) / SHORT_TERM_STEPS
    level = OFFSET_LU + 10.0 * np.log10(mean + 1e-15)
    return np.where(level > QUIET_LUFS, level, np.nan)
