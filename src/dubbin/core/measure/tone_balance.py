"""Rumble below the voice and sharpness of its s-sounds, from one streamed pass of band levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.level import finite_or_none
from dubbin.core.sound.source import Samples

FRAME_S = 0.04
RUMBLE_HZ = (8.0, 65.0)
VOICE_HZ, SIBILANT_HZ = (200.0, 3500.0), (4500.0, 11000.0)
# Sibilants of a voice that nobody complains of stand this far from its own voiced level (measured on clean speech).
USUAL_SIBILANCE_DB = -13.0


@dataclass(frozen=True)
class ToneBalance:
    """rumble_dbfs: mean level below the voice in the quiet frames; excess_db: how much louder than usual the s-sounds are."""

    rumble_dbfs: float | None
    sibilance_excess_db: float | None


class ToneBalanceMeter:
    """Streams blocks of (channels, frames)."""

    def __init__(self, rate: int, channels: int) -> None:
        self._size = max(16, round(FRAME_S * rate))
        self._window = np.hanning(self._size).astype(np.float32)
        self._window /= np.sqrt(np.sum(self._window**2, dtype=np.float64))
        per_hz = self._size / rate
        self._bands = [
            slice(int(np.ceil(low * per_hz)), max(int(high * per_hz), int(np.ceil(low * per_hz)) + 1))
            for low, high in (RUMBLE_HZ, VOICE_HZ, SIBILANT_HZ)
        ]
        self._rest: Samples = np.zeros((channels, 0), np.float32)
        self._levels: list[NDArray[np.float64]] = []

    def push(self, x: Samples) -> None:
        x = np.concatenate([self._rest, x], axis=1) if self._rest.shape[1] else x
        count = x.shape[1] // self._size
        if count:
            frames = x[:, : count * self._size].reshape(x.shape[0], count, self._size)
            X = np.fft.rfft(frames * self._window, axis=2)
            P = (X.real**2 + X.imag**2).max(axis=0) * (2.0 / self._size)
            self._levels.append(np.stack([P[:, band].sum(axis=1) for band in self._bands], axis=1))
        self._rest = x[:, count * self._size :].copy()

    def result(self) -> ToneBalance:
        if not self._levels:
            return ToneBalance(None, None)
        level = 10.0 * np.log10(np.concatenate(self._levels) + 1e-15)
        level = level[level[:, 1] > -100.0]
        if len(level) < 10:
            return ToneBalance(None, None)
        rumble = finite_or_none(float(np.quantile(level[:, 0], 0.5)))
        voiced = level[level[:, 1] > np.quantile(level[:, 1], 0.95) - 15.0, 1]
        sibilant = level[(level[:, 2] > level[:, 1]) & (level[:, 2] > np.mean(voiced) - 30.0), 2]
        if len(sibilant) < 5:
            return ToneBalance(rumble, None)
        excess = float(np.quantile(sibilant, 0.75) - np.mean(voiced)) - USUAL_SIBILANCE_DB
        return ToneBalance(rumble, excess)
