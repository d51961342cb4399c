"""The averaged spectrum of a sound, in steps that match hearing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Source

SIZE = 8192
PER_OCTAVE = 12
LOWEST_HZ = 25.0
MOST_FRAMES = 1500  # windows, spread over the sound: more don't change the picture
RUN = 10  # of these one behind the other: a treated sound is unpacked by stretches


@dataclass(frozen=True)
class Spectrum:
    """level_db of each band of a twelfth of an octave around frequency_hz, in dBFS (a full-scale sine reads -3)."""

    frequency_hz: NDArray[np.float64]
    level_db: NDArray[np.float64]


def average_spectrum(source: Source, task: Task | None = None) -> Spectrum:
    """Mean power of all channels over the whole sound, by Hann windows of 8192 frames."""
    task = task or Task()
    window = np.hanning(SIZE).astype(np.float32)
    window /= np.sqrt(np.sum(window**2, dtype=np.float64))
    total, seen = np.zeros(SIZE // 2 + 1), 0
    hop = max(RUN * SIZE, RUN * source.frames // MOST_FRAMES)
    for start in range(0, max(source.frames - SIZE, 1), hop):
        task.step(start / max(source.frames, 1))
        x = source.read(start, min(start + RUN * SIZE, source.frames))
        count = max(x.shape[1] // SIZE, 1)
        x = np.pad(x[:, : count * SIZE], ((0, 0), (0, max(SIZE - x.shape[1], 0))))
        X = fourier.rfft(x.reshape(x.shape[0], count, SIZE) * window)
        total += (np.abs(X) ** 2).mean(axis=0).sum(axis=0) * (2.0 / SIZE)
        seen += count
    return _banded(total / max(seen, 1), source.rate)


class SpectrumMeter:
    """The averaged spectrum of a sound that streams by: a window every EVERY_S."""

    EVERY_S = 1.0

    def __init__(self, rate: int) -> None:
        self._rate = rate
        window = np.hanning(SIZE).astype(np.float32)
        self._window = window / np.sqrt(np.sum(window**2, dtype=np.float64)).astype(np.float32)
        self._total, self._count = np.zeros(SIZE // 2 + 1), 0
        self._every, self._frames, self._next = max(SIZE, round(self.EVERY_S * rate)), 0, 0
        self._rest: NDArray[np.float32] | None = None

    def push(self, x: NDArray[np.float32]) -> None:
        """x: (channels, frames) float32."""
        joined = x if self._rest is None else np.concatenate([self._rest, x], axis=1)
        first = self._frames - (joined.shape[1] - x.shape[1])
        while self._next - first + SIZE <= joined.shape[1]:
            a = self._next - first
            X = fourier.rfft(joined[:, a : a + SIZE] * self._window)
            self._total += (np.abs(X) ** 2).mean(axis=0) * (2.0 / SIZE)
            self._count += 1
            self._next += self._every
        self._frames += x.shape[1]
        self._rest = joined[:, max(self._next - first, 0) :].copy()

    def result(self) -> Spectrum:
        """The mean spectrum of all that was pushed, in bands of equal width in octaves."""
        return _banded(self._total / max(self._count, 1), self._rate)


def _banded(power: NDArray[np.float64], rate: int) -> Spectrum:
    top = min(rate / 2, 20000.0)
    count = int(PER_OCTAVE * np.log2(top / LOWEST_HZ))
    centres = LOWEST_HZ * 2.0 ** (np.arange(count) / PER_OCTAVE)
    edges = np.concatenate([centres * 2 ** (-0.5 / PER_OCTAVE), [centres[-1] * 2 ** (0.5 / PER_OCTAVE)]])
    sums = np.concatenate([[0.0], np.cumsum(power)])
    place = np.clip(edges * SIZE / rate + 0.5, 0, len(power))
    at_edges = np.interp(place, np.arange(len(sums)), sums)
    bands = np.maximum(np.diff(at_edges), 1e-15)
    return Spectrum(centres, 10.0 * np.log10(bands))
