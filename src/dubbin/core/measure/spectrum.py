"""The averaged spectrum of a sound, in steps that match hearing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source

SIZE = 8192
PER_OCTAVE = 12
LOWEST_HZ = 25.0
MOST_FRAMES = 1500  # spread over the sound: more don't change the picture


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
    total = np.zeros(SIZE // 2 + 1)
    hop = max(SIZE, source.frames // MOST_FRAMES)
    starts = range(0, max(source.frames - SIZE, 1), hop)
    for start in starts:
        task.step(start / max(source.frames, 1))
        x = source.read(start, min(start + SIZE, source.frames))
        x = np.pad(x, ((0, 0), (0, SIZE - x.shape[1])))
        X = fft.rfft(x * window, axis=1)
        total += (np.abs(X) ** 2).mean(axis=0) * (2.0 / SIZE)
    total /= max(len(starts), 1)
    return _banded(total, source.rate)


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
