"""Passing noises between the words: keys that are typed on, paper, a cup that is put down.

One begins within two hundredths of a second, has no pitch, and lies away from every vowel. A consonant begins as fast, beside its vowel, and a breath slowly. They are counted by the minute of
pauses; in a long recording a few stretches are looked at, for whoever types does so for long.

Figures: eight real voices by themselves have 0 to 44 in a minute of pauses, with another voice 15 to 30 dB below them in the same microphone 0 to 32. With keys 22 dB below them it is
54 to 154, with rustling paper 32 to 158; the fewest of somebody who reads on without a pause, where next to nothing can be looked at.
Limits: under the words nothing is looked for, and what has a pitch (a bird, a telephone) is not one of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.own_stretches import loud_level
from dubbin.core.measure.voicing import FRAMES_PER_S, find_voicing, vowels
from dubbin.core.sound import neighbours
from dubbin.core.sound.filtering import StreamFilter, band_pass
from dubbin.core.sound.source import Sound, Source, read_padded

LOOKED_AT, STRETCH_S = 12, 20.0
BAND_HZ = (150.0, 12000.0)
RISE_DB, RISE_FRAMES = 12.0, 2
OVER_FLOOR_DB, UNDER_LOUD_DB = 15.0, 40.0
FLOOR_QUANTILE = 0.1
SILENT_DBFS = -105.0  # what begins out of nothing does so because a gate opens
AWAY_S, APART_S = 0.2, 0.05
SHORTEST_S, LEAST_PAUSES_S, CLICK_S = 2.0, 1.0, 0.03
FEWEST, MANY_A_MINUTE = 12, 60.0  # below which nothing is said: somebody smacks his lips


@dataclass(frozen=True)
class PassingNoises:
    """times_s: where they begin, in what was looked at; pauses_s: how long nobody speaks there. least_dbfs: from which level on one counts."""

    times_s: tuple[float, ...] = ()
    pauses_s: float = 0.0
    least_dbfs: float | None = None

    @property
    def a_minute(self) -> float | None:
        """How many there are in a minute of pauses; None where hardly anybody pauses."""
        return 60.0 * len(self.times_s) / self.pauses_s if self.pauses_s >= LEAST_PAUSES_S else None

    @property
    def are_many(self) -> bool:
        """Whether they go on beside the voice."""
        return len(self.times_s) >= FEWEST and self.a_minute is not None and self.a_minute >= MANY_A_MINUTE

    def besides(self, clicks_s: Sequence[float]) -> PassingNoises:
        """Those that are no clicks. clicks_s: where clicks are."""
        clicks = np.sort(np.asarray(clicks_s, float))
        near = np.searchsorted(clicks, np.array(self.times_s) + CLICK_S) > np.searchsorted(clicks, np.array(self.times_s) - CLICK_S)
        return replace(self, times_s=tuple(t for t, is_click in zip(self.times_s, near, strict=True) if not is_click))


def all_is_looked_at(duration_s: float) -> bool:
    """Whether a recording is short enough for all of them to be found."""
    return duration_s <= LOOKED_AT * STRETCH_S


def find_passing_noises(source: Source, task: Task | None = None, least_dbfs: float | None = None) -> PassingNoises:
    """Count them in a recording, its channels together. least_dbfs: what is softer is none, whatever the recording's own levels say."""
    task = task or Task()
    if source.frames < SHORTEST_S * source.rate:
        return PassingNoises()
    longest = round(STRETCH_S * source.rate)
    count = min(LOOKED_AT, -(-source.frames // longest))
    length = min(longest, source.frames // count)
    starts = np.linspace(0, source.frames - length, count).astype(int)
    levels, pauses = [], []
    for k, start in enumerate(starts):
        task.step(k / count)
        x = read_padded(source, int(start), int(start) + length).mean(axis=0, dtype=np.float32)
        levels.append(_levels(x, source.rate))
        pauses.append(_away_from_vowels(x, source.rate, len(levels[-1])))
    level = np.concatenate(levels)
    least = max(float(np.quantile(level, FLOOR_QUANTILE)) + OVER_FLOOR_DB, loud_level(level, 1 / FRAMES_PER_S) - UNDER_LOUD_DB)
    if least_dbfs is not None:
        least = max(least, least_dbfs)
    times_s: list[float] = []
    for start, one, away in zip(starts, levels, pauses, strict=True):
        times_s += [float(start) / source.rate + k / FRAMES_PER_S for k in _begins(one, away, least)]
    return PassingNoises(tuple(times_s), sum(int(away.sum()) for away in pauses) / FRAMES_PER_S, least)


def _levels(x: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """Level of every hundredth of a second in BAND_HZ, in dBFS."""
    band = StreamFilter(band_pass(2, BAND_HZ[0], min(BAND_HZ[1], 0.45 * rate), rate), 1)
    y = np.square(band.push(x[None].astype(np.float64))[0])
    borders = np.arange(len(y) * FRAMES_PER_S // rate) * rate // FRAMES_PER_S
    power = np.add.reduceat(y, borders) / (rate / FRAMES_PER_S) if len(borders) else np.zeros(0)
    return np.asarray(10.0 * np.log10(power + 1e-12))


def _away_from_vowels(x: NDArray[np.float32], rate: int, count: int) -> NDArray[np.bool_]:
    """Which of so many frames lie further than AWAY_S from a vowel."""
    vowel = vowels(find_voicing(Sound(x[None], rate)))[:count].astype(np.float32)
    away: NDArray[np.bool_] = neighbours.maximum_filter1d(vowel, 2 * round(AWAY_S * FRAMES_PER_S) + 1, mode="nearest") == 0
    return away


def _begins(level: NDArray[np.float64], away: NDArray[np.bool_], least: float) -> list[int]:
    """The frames in which noises begin."""
    before = neighbours.minimum_filter1d(level, RISE_FRAMES + 1, mode="nearest", origin=RISE_FRAMES // 2)
    found = np.flatnonzero(away & (level > least) & (level - before > RISE_DB) & (before > SILENT_DBFS))
    return [int(k) for k in found[np.diff(found, prepend=-FRAMES_PER_S) > APART_S * FRAMES_PER_S]]
