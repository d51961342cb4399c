"""Rumble below the voice and sharpness of its s-sounds, from one streamed pass of band levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.own_stretches import LOUD_QUANTILE, own_stretches
from dubbin.core.sound import fourier
from dubbin.core.sound.filtering import StreamFilter, band_pass
from dubbin.core.sound.level import finite_or_none
from dubbin.core.sound.source import Samples

FRAME_S = 0.04
RUMBLE_HZ = (8.0, 65.0)
VOICE_HZ, SIBILANT_HZ = (200.0, 3500.0), (4500.0, 11000.0)
ACTIVE_BELOW_LOUD_DB = 24.0
QUIET_QUANTILE = 0.25  # of the frames: those in which no deep voice reaches down to the rumble
SIBILANT_UNDER_DB, FEWEST_S = 35.0, 8  # an s is no softer against the loud vowels; frames from which something can be said of them
SIBILANT_QUANTILE = 0.75
# Sibilants of voices that nobody complains of stand this far from their own voiced level: the sharpest of eight real ones -6; made harsh by 8 dB -5 and above.
USUAL_SIBILANCE_DB = -7.0


@dataclass(frozen=True)
class ToneBalance:
    """rumble_dbfs: usual level below the voice; sibilance_db: how loud the s-sounds are against the vowels, and sibilance_excess_db: how much louder than usual. An s is known by
    its shape, more highs than lows, in bright voices and dull ones; None where there are hardly any."""

    rumble_dbfs: float | None
    sibilance_excess_db: float | None
    sibilance_db: float | None = None


def band_levels(x: Samples, rate: int, frame_s: float) -> NDArray[np.float64]:
    """(frames, 3): of every frame the levels of rumble, of vowels and of s-sounds in dBFS; of the loudest channel of x (channels, samples)."""
    meter = ToneBalanceMeter(rate, x.shape[0], frame_s)
    meter.push(x)
    return meter.levels()


class ToneBalanceMeter:
    """Streams blocks of (channels, frames)."""

    def __init__(self, rate: int, channels: int, frame_s: float = FRAME_S) -> None:
        self._size, self._rate = max(16, round(frame_s * rate)), rate
        self._window = np.hanning(self._size).astype(np.float32)
        self._window /= np.sqrt(np.sum(self._window**2, dtype=np.float64))
        per_hz = self._size / rate
        self._bands = [
            slice(int(np.ceil(low * per_hz)), max(int(high * per_hz), int(np.ceil(low * per_hz)) + 1))
            for low, high in (VOICE_HZ, SIBILANT_HZ)
        ]
        # A frame is too short for the lowest tones; a filter is not.
        self._low_pass = StreamFilter(band_pass(4, *RUMBLE_HZ, rate), channels)
        self._rest: Samples = np.zeros((channels, 0), np.float32)
        self._low_rest = np.zeros((channels, 0))
        self._levels: list[NDArray[np.float64]] = []

    def push(self, x: Samples) -> None:
        """Take rumble, vowels and s-sounds of every frame of the next samples (channels, frames), of the loudest channel in each."""
        low = self._low_pass.push(x)
        x = np.concatenate([self._rest, x], axis=1) if self._rest.shape[1] else x
        low = np.concatenate([self._low_rest, low], axis=1)
        count = x.shape[1] // self._size
        used = count * self._size
        if count:
            frames = x[:, :used].reshape(x.shape[0], count, self._size)
            X = fourier.rfft(frames * self._window)
            P = (X.real**2 + X.imag**2).max(axis=0) * (2.0 / self._size)
            rumble = np.mean(low[:, :used].reshape(x.shape[0], count, self._size) ** 2, axis=2).max(axis=0)
            self._levels.append(np.stack([rumble, *(P[:, band].sum(axis=1) for band in self._bands)], axis=1))
        self._rest, self._low_rest = x[:, used:].copy(), low[:, used:].copy()

    def levels(self) -> NDArray[np.float64]:
        """(frames, 3): rumble, vowels, s-sounds in dBFS, of all that was pushed."""
        return 10.0 * np.log10(np.concatenate([np.zeros((0, 3)), *self._levels]) + 1e-15)

    def result(self) -> ToneBalance:
        """Rumble in dBFS, and how loud s-sounds are against vowels in dB; None where too little was heard."""
        level = self.levels()
        if not len(level):
            return ToneBalance(None, None)
        rumble = finite_or_none(float(np.quantile(level[:, 0], QUIET_QUANTILE)))
        # Vowels or s-sounds of the voice itself: neither the room nor what bleeds in from others.
        level = level[own_stretches(level[:, 1], self._size / self._rate)]
        loud = np.quantile(level[:, 1], LOUD_QUANTILE)
        active = level[np.max(level[:, 1:], axis=1) > loud - ACTIVE_BELOW_LOUD_DB]
        if loud < -90.0 or len(active) < 25:
            return ToneBalance(rumble, None)
        voiced = active[active[:, 1] > loud - 15.0, 1]
        sibilants = level[(level[:, 2] > level[:, 1]) & (level[:, 2] > loud - SIBILANT_UNDER_DB), 2]
        if len(sibilants) < FEWEST_S:
            return ToneBalance(rumble, None)
        sharp = float(np.quantile(sibilants, SIBILANT_QUANTILE)) - float(np.mean(voiced))
        return ToneBalance(rumble, sharp - USUAL_SIBILANCE_DB, sharp)
