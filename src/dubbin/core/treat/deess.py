"""De-esser: piercing s-sounds come down, and only they.

The sound is parted at a frequency, without any shift of phase, and the upper part is turned down while an s is spoken: where the highs outweigh the vowels' band (so a bright
voice alone is left alone), by as much as it stands above what is usual for this voice's own level at that time, quiet or loud.

Source: the usual split-band de-esser with side chain; relative threshold after the measure of sibilance in measure/tone_balance.py.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.voice_level import VoiceLevel, find_voice_level
from dubbin.core.sound import fourier
from dubbin.core.sound.fir import band_taps
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.envelope import held_down, step_frames, step_levels, to_frames
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

VOWELS_HZ = (200.0, 3500.0)
TAPS_S = 0.006
WIDTH_S = 0.006  # over which levels are taken
# Highs over vowels in dB: below the first it is no s, from the second on it surely is one.
NO_S_DB, SURELY_S_DB = -6.0, 0.0
UNDER_OWN_DB = 6.0  # under the voice's own usual s the threshold lies at its zero
AUDIBLE_S_DB = -20.0  # against the vowels: softer ones are not counted as the voice's own
FALLBACK_S_DB = -12.0  # where a voice has hardly any
FEWEST_S = 40  # steps
LOOK_S = 10.0
KNEE_DB = 4.0
ATTACK_S, HOLD_S, RELEASE_S = 0.004, 0.006, 0.035


@dataclass(frozen=True)
class DeessSettings:
    """From where, how far and how fast s-sounds are turned down."""

    frequency_hz: float = setting(5000.0, 2500.0, 10000.0, tr("Hz"), tr("From"), tr("What lies above is turned down while an s is spoken."))
    range_db: float = setting(10.0, 0.0, 24.0, "dB", tr("Range"), tr("The most that an s comes down."))
    threshold_db: float = setting(
        0.0, -18.0, 18.0, "dB", tr("Threshold"), tr("Against this voice's own usual s, at its level of the moment; lower takes more.")
    )
    ratio: float = setting(4.0, 1.0, 20.0, ": 1", tr("Ratio"), tr("dB in for one dB out, above the threshold."))


@lru_cache(maxsize=16)
def _filters(frequency_hz: float, rate: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(highs, vowels): symmetric impulse responses of odd length."""
    size = max(31, round(TAPS_S * rate)) | 1
    top = min(frequency_hz, 0.45 * rate)
    highs = band_taps((top, rate / 2), rate, np.kaiser(size, 5.0))
    vowels = band_taps((VOWELS_HZ[0], min(VOWELS_HZ[1], 0.4 * rate)), rate, np.kaiser(size, 3.0))
    return highs.astype(np.float32), vowels.astype(np.float32)


def _filtered(x: Samples, h: NDArray[np.float32]) -> Samples:
    return np.stack([fourier.convolved(channel, h) for channel in x])


@dataclass(frozen=True)
class SibilanceFindings:
    """voice: its level; own_s_db: how loud its s-sounds usually are against its vowels."""

    voice: VoiceLevel
    own_s_db: float


def _seconds(first_frame: int, rate: int, count: int) -> NDArray[np.float64]:
    """Where steps lie, the first at a frame of the recording."""
    return first_frame / rate + np.arange(count, dtype=np.float64) * step_frames(rate) / rate


def _own_s(source: Source, voice: VoiceLevel, settings: DeessSettings, task: Task) -> float:
    h, v = _filters(settings.frequency_hz, source.rate)
    size = round(LOOK_S * source.rate)
    found: dict[int, NDArray[np.float64]] = {}

    def look(start: int) -> None:
        x = source.read(start, min(start + size, source.frames))
        high_db, first = step_levels(_filtered(x, h), start, source.rate, WIDTH_S)
        vowel_db, _ = step_levels(_filtered(x, v), start, source.rate, WIDTH_S)
        relative = np.asarray(high_db - voice.at(_seconds(start + first, source.rate, len(high_db))), np.float64)
        found[start] = relative[(high_db - vowel_db > SURELY_S_DB) & (relative > AUDIBLE_S_DB)]

    in_parallel(look, range(0, source.frames, size), task)
    own = np.concatenate(list(found.values())) if found else np.zeros(0)
    return float(np.median(own)) if len(own) >= FEWEST_S else FALLBACK_S_DB


class Deess(Treatment):
    """Sharp s-sounds turned down to the voice."""

    name: ClassVar[str] = "deess"
    title: ClassVar[str] = tr("De-esser")
    settings_type: ClassVar[type] = DeessSettings
    figures: ClassVar[tuple[Figure, ...]] = (
        Figure("sibilance_excess_db", tr("s-sounds over usual"), "dB", 1, lambda r: r.tone.sibilance_excess_db),
    )
    lead_s: ClassVar[float] = 0.6
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DeessSettings, task: Task) -> SibilanceFindings:
        """The voice's level over time, and how loud its own s-sounds are against it."""
        voice = find_voice_level(source, task.part(0.0, 0.3))
        return SibilanceFindings(voice, _own_s(source, voice, settings, task.part(0.3, 1.0)))

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with its highs turned down where s-sounds stand out; the rest as it was."""
        settings: DeessSettings = context.settings
        h, v = _filters(settings.frequency_hz, context.rate)
        highs = _filtered(x, h)
        gain = self._gain(highs, _filtered(x, v), context)
        return np.asarray(x - (1.0 - gain)[None, :] * highs, np.float32)

    def _gain(self, highs: Samples, vowels: Samples, context: Context) -> NDArray[np.float32]:
        settings: DeessSettings = context.settings
        high_db, first = step_levels(highs, context.start_frame, context.rate, WIDTH_S)
        vowel_db, _ = step_levels(vowels, context.start_frame, context.rate, WIDTH_S)
        seconds = _seconds(context.start_frame + first, context.rate, len(high_db))
        voice_db = context.findings.voice.at(seconds)
        is_s = np.clip((high_db - vowel_db - NO_S_DB) / (SURELY_S_DB - NO_S_DB), 0.0, 1.0)
        over = high_db - (voice_db + context.findings.own_s_db - UNDER_OWN_DB + settings.threshold_db)
        over = np.where(over < -KNEE_DB / 2, 0.0, np.where(over > KNEE_DB / 2, over, (over + KNEE_DB / 2) ** 2 / (2 * KNEE_DB)))
        wanted = -np.minimum(over * (1.0 - 1.0 / settings.ratio), settings.range_db) * is_s
        return to_frames(held_down(wanted, ATTACK_S, HOLD_S, RELEASE_S), first, context.rate, highs.shape[1])
