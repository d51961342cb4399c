"""The suggested voice treatments, tried on a few stretches of the voice and brought to what they are meant to do.

Figures of a whole recording tell where to begin; what a compressor and an equaliser do to this voice's s-sounds, and how loud it is behind them, is known when it has been
through them. So a minute of it goes through: s-sounds end up where they were against the vowels, or as far under that as they were too sharp, and the voice as loud as it came.
On real voices (`./benchmarks/run voices`) s-sounds move by -.3 to .9 dB against the vowels, from figures alone by -.6 to 1.3; of voices made harsh they come down by 4.1 to 8.1 dB, from figures alone by 1.6 to 8.1.
Voices that are dull even so are left as they are. Loudness is kept within .1 LU, from figures alone within 2.

Limits: where hardly an s is said in that minute, the figures' settings stay.
Sources: of the measure of s-sounds, measure/tone_balance.py; of the search, the method of secants.
"""

from __future__ import annotations

from collections.abc import Callable
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.measure.own_stretches import STRETCH_S as OWN_STRETCH_S
from dubbin.core.measure.own_stretches import own_stretches
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.tone_balance import band_levels
from dubbin.core.sound.source import Sound, Source
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.tiles import MemoryTileCache, TileCache

STRETCHES, STRETCH_S = 10, 6.0
MOST_LOOKED_AT, LOOKS, LOOK_S = 240, 4, 0.3  # stretches, and places of each, by which those of the voice itself are known
BLED_LU = 2.0  # from which on the loudness of the whole is not that of the voice
FADE_S = 0.01
CLOSE_DB = 0.3
TRIES = 4
LEAST_DOWN_DB, MOST_DOWN_DB = 5.5, 8.0  # of sharp s-sounds
MAKEUP_DB = (0.0, 15.0)
HIGHEST_THRESHOLD_DB = -3.0
FRAME_S = 0.015
VOWEL_UNDER_DB, S_OVER_VOWELS_DB, S_UNDER_DB, FEWEST = 12.0, 2.0, 27.0, 20  # of frames: which are vowels, and which are s-sounds

Suggestion = dict[str, dict[str, Any]]


@dataclass(frozen=True)
class Dial:
    """A setting that moves s-sounds against vowels, from low to high; slope: about how far, in dB of each."""

    treatment: str
    setting: str
    low: float
    high: float
    slope: float

    def turned(self, wanted: Suggestion, value: float) -> Suggestion:
        """The same settings but for this one."""
        return wanted | {self.treatment: wanted[self.treatment] | {self.setting: round(value, 1)}}


DEESSER = Dial("deess", "threshold_db", -14.0, 6.0, 0.6)
COMPRESSOR = Dial("compress", "sibilants_db", 0.0, 24.0, -0.4)


@dataclass(frozen=True)
class Outcome:
    """What the treatments did, in dB: to the s-sounds against the vowels (None where hardly an s is said), and to the loudness."""

    sibilants: float | None
    loudness: float


def probe_of(source: Source) -> Sound:
    """Stretches of a source, spread over it, one behind the other; all of a short one. Where others have the word, the next stretch of its own voice."""
    size = round(STRETCH_S * source.rate)
    if source.frames <= STRETCHES * size:
        return Sound(source.read(0, source.frames), source.rate)
    starts = _of_its_own(source, [round(k) for k in np.linspace(0, source.frames - size, STRETCHES)], size)
    fade = max(round(FADE_S * source.rate), 1)
    ramp = np.minimum(np.minimum(np.arange(size), np.arange(size)[::-1]) / fade, 1.0).astype(np.float32)
    return Sound(np.concatenate([source.read(start, start + size) * ramp for start in starts], axis=1), source.rate)


def _of_its_own(source: Source, starts: list[int], size: int) -> list[int]:
    """Starts of stretches, each moved to the nearest one in which the recording's own voice has the word; as many as there are such."""
    places = np.linspace(0, source.frames - size, min(MOST_LOOKED_AT, source.frames // size)).round().astype(int)
    levels = np.array([max(_level_db(source, start + round(k * size / LOOKS)) for k in range(LOOKS)) for start in places])
    own = places[own_stretches(levels, OWN_STRETCH_S)]
    found: list[int] = []
    for start in starts:
        nearest = int(own[np.argmin(np.abs(own - start))])
        start = start if abs(nearest - start) < size // 2 else nearest
        if all(abs(start - other) >= size // 2 for other in found):
            found.append(start)
    return sorted(found)


def _level_db(source: Source, start: int) -> float:
    x = source.read(start, min(start + round(LOOK_S * source.rate), source.frames))
    return float(10.0 * np.log10(np.mean(np.square(x, dtype=np.float64)) + 1e-14))


class Trial:
    """A voice that goes through voice treatments. What comes before the one that changes is not computed again."""

    def __init__(self, probe: Sound) -> None:
        self._probe, self._tiles = probe, MemoryTileCache()
        self._levels = band_levels(probe.samples, probe.rate, FRAME_S)
        self.loudness = measure_loudness(probe, true_peak=False).integrated_lufs
        self._is_vowel, self._is_s = _marks(self._levels)

    def outcome(self, wanted: Suggestion) -> Outcome:
        """What treatments under these settings do."""
        treated = _treated(self._probe, wanted, self._tiles)
        levels = band_levels(treated.samples, treated.rate, FRAME_S)
        moved = None
        if np.count_nonzero(self._is_s) >= FEWEST:
            moved = _apart(levels, self._is_s, self._is_vowel) - _apart(self._levels, self._is_s, self._is_vowel)
        loudness = measure_loudness(treated, true_peak=False).integrated_lufs
        return Outcome(moved, loudness - self.loudness if loudness is not None and self.loudness is not None else 0.0)


def _treated(probe: Sound, wanted: Suggestion, tiles: TileCache) -> Sound:
    uses = [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]
    return Sound(Chain(probe, uses, "probe", tiles).read(0, probe.frames), probe.rate)


def _marks(levels: NDArray[np.float64]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    vowel_db, s_db = levels[:, 1], levels[:, 2]
    loud = float(np.quantile(vowel_db, 0.95)) if len(levels) else 0.0
    is_s = (s_db > vowel_db + S_OVER_VOWELS_DB) & (s_db > loud - S_UNDER_DB)
    return (vowel_db > loud - VOWEL_UNDER_DB) & ~is_s, is_s


def _apart(levels: NDArray[np.float64], is_s: NDArray[np.bool_], is_vowel: NDArray[np.bool_]) -> float:
    return float(np.median(levels[is_s, 2]) - np.median(levels[is_vowel, 1]))


def fitted_to(source: Source, report: RecordingReport, wanted: Suggestion, task: Task | None = None) -> Suggestion:
    """`wanted` (of suggest_voice), with the settings that decide about s-sounds and loudness as this voice asks for them.

    source: the voice after its repairs; report: on it.
    """
    task, out = task or Task(), deepcopy(wanted)
    if "compress" not in out or not source.frames:
        return out
    trial = Trial(probe_of(source))
    whole = report.loudness.integrated_lufs
    if trial.loudness is not None and whole is not None and trial.loudness - whole > BLED_LU:
        out["compress"]["threshold_db"] = round(min(out["compress"]["threshold_db"] + trial.loudness - whole, HIGHEST_THRESHOLD_DB), 1)
    dial = DEESSER if "deess" in out else COMPRESSOR
    aim = -float(np.clip(report.tone.sibilance_excess_db or 0.0, LEAST_DOWN_DB, MOST_DOWN_DB)) if dial is DEESSER else 0.0

    def off(value: float) -> float | None:
        moved = trial.outcome(dial.turned(out, value)).sibilants
        return None if moved is None else moved - aim

    out = dial.turned(out, _nearest(off, dial, out[dial.treatment][dial.setting], task.part(0.0, 0.8)))
    makeup_db = out["compress"]["makeup_db"] - trial.outcome(out).loudness
    out["compress"]["makeup_db"] = round(float(np.clip(makeup_db, *MAKEUP_DB)), 1)
    task.step(1.0)
    return out


def _nearest(off: Callable[[float], float | None], dial: Dial, begin: float, task: Task) -> float:
    """The value of a dial at which `off` is nearest to zero; `begin` where nothing can be said."""
    value, slope = begin, dial.slope
    best, least, before = begin, np.inf, None
    for k in range(TRIES):
        task.step(k / TRIES)
        error = off(value)
        if error is None:
            return begin
        if abs(error) < least:
            best, least = value, abs(error)
        if before is not None and (error - before[1]) / (value - before[0]) * dial.slope > 0.0:
            slope = (error - before[1]) / (value - before[0])
        before = value, error
        value = round(float(np.clip(value - error / slope, dial.low, dial.high)), 1)
        if least <= CLOSE_DB or value == before[0]:
            break
    return best
