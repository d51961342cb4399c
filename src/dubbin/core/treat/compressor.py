"""Compressor: loud words come down towards the others, so that the voice sits steady.

Feed-forward; peak or RMS level in dB, soft knee, smooth attack and release in the gain domain, with look-ahead so that the first peak of a word is
held too. The release can follow the program: after a single peak it lets go at once, after a loud passage slowly.

Source: Giannoulis, Massberg and Reiss, "Digital dynamic range compressor design", JAES 60(6), 2012 (branching smooth detector; two releases side by side).
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound import fourier
from dubbin.core.sound.fir import band_taps
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import mark, tr
from dubbin.core.treat.figure import Figure, crest_db
from dubbin.core.treat.settings import choice, setting, switch
from dubbin.core.treat.treatment import Context, Treatment

PEAK_S = 0.010  # over which the highest sample counts: half a period of the deepest voice
RMS_S = 0.010
SLOW = 6.0  # times the release, after a passage that was loud for long
SLOW_ATTACK_S = 0.4
SIBILANTS_HZ, HIGHS_TAPS_S = 4500.0, 0.004


class Detection(StrEnum):
    """What the level is taken from."""

    PEAK = mark("peak")
    RMS = "RMS"


@dataclass(frozen=True)
class CompressorSettings:
    """The static curve, the time constants, and what the level is taken from."""

    threshold_db: float = setting(-20.0, -60.0, 0.0, "dBFS", tr("Threshold"), tr("Level above which the voice is held back."))
    ratio: float = setting(2.5, 1.0, 20.0, ": 1", tr("Ratio"), tr("dB in for one dB out, above the threshold."))
    knee_db: float = setting(6.0, 0.0, 24.0, "dB", tr("Knee"), tr("Width over which the ratio sets in."))
    attack_ms: float = setting(8.0, 0.1, 200.0, "ms", tr("Attack"), tr("How fast it takes hold of a louder word."))
    release_ms: float = setting(120.0, 5.0, 2000.0, "ms", tr("Release"), tr("How fast it lets go afterwards."))
    lookahead_ms: float = setting(5.0, 0.0, 20.0, "ms", tr("Look-ahead"), tr("How long before a louder word it begins to take hold."))
    makeup_db: float = setting(0.0, -12.0, 24.0, "dB", tr("Make-up"), tr("Gain after compression."))
    mix: float = setting(100.0, 0.0, 100.0, "%", tr("Mix"), tr("Share of the compressed voice; the rest is as it came."))
    sibilants_db: float = setting(
        0.0,
        0.0,
        24.0,
        "dB",
        tr("s-sounds"),
        tr("How much louder s-sounds count than they are: so they are held back as far as vowels, and do not stand out behind."),
    )
    detection: Detection = choice(Detection.RMS, tr("Level from"), tr("Level from the RMS, as the ear judges, or from peaks."))
    follows: bool = switch(True, tr("Release follows"), tr("After a single peak it lets go at once, after a loud passage slowly."))


def static_gain_db(level_db: NDArray[Any] | float, settings: CompressorSettings) -> Any:
    """Gain in dB (at most 0, make-up left out) for a steady level in dBFS."""
    over = np.asarray(level_db, np.float64) - settings.threshold_db
    slope = 1.0 / settings.ratio - 1.0
    knee = settings.knee_db
    if knee > 0:
        inside = slope * (over + knee / 2) ** 2 / (2 * knee)
        return np.where(over <= -knee / 2, 0.0, np.where(over >= knee / 2, slope * over, inside))
    return np.where(over > 0, slope * over, 0.0)


def gain_curve_db(x: Samples, rate: int, settings: CompressorSettings) -> NDArray[np.float32]:
    """Gain reduction in dB (frames,), at most 0; all channels are held by the loudest of them. Look-ahead reads past the end as silence."""
    wanted = _wanted_db(_weighted(x, rate, settings.sibilants_db), rate, settings)
    ahead = round(settings.lookahead_ms * 1e-3 * rate)
    if ahead:
        wanted = np.concatenate([wanted[ahead:], np.zeros(min(ahead, len(wanted)), np.float32)])
    from dubbin.core.treat.compressor_kernels import smooth

    out = np.empty_like(wanted)
    attack, release = (np.exp(-1.0 / (ms * 1e-3 * rate)) for ms in (settings.attack_ms, settings.release_ms))
    slow_release = np.exp(-1.0 / (SLOW * settings.release_ms * 1e-3 * rate))
    slow_attack = np.exp(-1.0 / (SLOW_ATTACK_S * rate))
    smooth(wanted, attack, release, slow_attack, slow_release, settings.follows, out)
    result: NDArray[np.float32] = out
    return result


def _wanted_db(x: Samples, rate: int, settings: CompressorSettings) -> NDArray[np.float32]:
    """`static_gain_db` of the level of the loudest channel, (frames,): of the highest sample, or of the RMS (a full-scale sine reads -3), over the time before, so
    that a louder word is known at its first sample and not earlier."""
    from dubbin.core.treat.compressor_kernels import highest_before, power_before, static_gain

    out = np.empty(x.shape[1], np.float32)
    if settings.detection is Detection.PEAK:
        highest_before(x, max(1, round(PEAK_S * rate)), out)
    else:
        power_before(x, max(1, round(RMS_S * rate)), out)
    octave_db = (20.0 if settings.detection is Detection.PEAK else 10.0) * np.log10(2.0)
    static_gain(out, octave_db, settings.threshold_db, 1.0 / settings.ratio - 1.0, settings.knee_db, out)
    return out


def _weighted(x: Samples, rate: int, more_db: float) -> Samples:
    """What the level is taken from: the highs louder by more_db."""
    if more_db == 0.0 or rate < 3 * SIBILANTS_HZ:
        return x
    h = _highs(rate)
    return np.asarray(
        x + np.float32(10.0 ** (more_db / 20.0) - 1.0) * np.stack([fourier.convolved(channel, h) for channel in x]), np.float32
    )


@lru_cache(maxsize=8)
def _highs(rate: int) -> NDArray[np.float32]:
    """Symmetric impulse response of a high-pass filter."""
    return np.asarray(band_taps((SIBILANTS_HZ, rate / 2), rate, np.hamming(max(31, round(HIGHS_TAPS_S * rate)) | 1)), np.float32)


class Compressor(Treatment):
    """The dynamics of a voice, held together."""

    name: ClassVar[str] = "compress"
    title: ClassVar[str] = tr("Compressor")
    settings_type: ClassVar[type] = CompressorSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("crest_db", "crest", "dB", 1, lambda r: crest_db(r.loudness)),)
    tile_s: ClassVar[float] = 30.0  # long against the lead-in
    tail_s: ClassVar[float] = 0.03  # the look-ahead

    def spans_s(self, settings: CompressorSettings) -> tuple[float, float, float]:
        """Tile, lead-in and tail in seconds: the lead-in as long as the gain remembers."""
        # What came before the lead-in has died away to 1e-4 of its gain; a slow release is cut short at 20 s.
        slowest = settings.release_ms * 1e-3 * (SLOW if settings.follows else 1.0)
        return self.tile_s, min(max(4.0, 9.0 * slowest), 20.0), self.tail_s

    def analyse(self, source: Source, settings: CompressorSettings, task: Task) -> None:
        """Nothing is looked for: the gain follows from the levels before."""
        return None

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) under the gain curve, with make-up gain, mixed with itself as the settings say; all channels by one gain."""
        from dubbin.core.treat.compressor_kernels import factors

        settings: CompressorSettings = context.settings
        gain = gain_curve_db(x, context.rate, settings)
        factors(gain, settings.makeup_db, gain)
        y = x * gain
        if settings.mix < 100.0:
            share = np.float32(settings.mix / 100.0)
            y = share * y + (np.float32(1.0) - share) * x
        return np.asarray(y, np.float32)
