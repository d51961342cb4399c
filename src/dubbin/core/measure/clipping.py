"""Clipping: runs of samples that stay at the highest value the recording ever reaches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Samples

FLAT = 3  # samples in a row at the ceiling; two can happen by chance at a rounded crest
AT_CEILING = 0.9985
LOWEST_CEILING = 0.05  # below, nothing is called clipped
MERGE_S = 0.005


@dataclass(frozen=True)
class Clipping:
    """count places, their times in seconds, and the ceiling (amplitude) they were clipped to."""

    count: int
    times_s: tuple[float, ...]
    ceiling: float


class ClippingMeter:
    """Streams blocks. Candidates are kept relative to the loudest sample so far, so that sound that was
    clipped and then turned down is found too."""

    def __init__(self, rate: int, channels: int) -> None:
        self._rate, self._done = rate, 0
        self._peak = np.zeros(channels)
        self._runs: list[tuple[int, float]] = []
        self._tail: Samples = np.zeros((channels, 0), np.float32)

    def push(self, x: Samples) -> None:
        offset = self._done - self._tail.shape[1]
        joined = np.concatenate([self._tail, x], axis=1)
        for channel in range(joined.shape[0]):
            self._look(joined[channel], channel, offset)
        self._done += x.shape[1]
        self._tail = joined[:, -(FLAT - 1) :].copy()

    def _look(self, x: NDArray[np.float32], channel: int, offset: int) -> None:
        peak = float(np.max(np.abs(x), initial=0.0))
        self._peak[channel] = max(self._peak[channel], peak)
        ceiling = self._peak[channel]
        if peak < ceiling * AT_CEILING or peak < LOWEST_CEILING:
            return
        high = np.abs(x) >= ceiling * AT_CEILING
        run = high[2:] & high[1:-1] & high[:-2] & (np.sign(x[2:]) == np.sign(x[:-2]))
        self._runs += [(int(i) + offset, ceiling) for i in np.flatnonzero(run)]

    def result(self) -> Clipping:
        ceiling = float(np.max(self._peak, initial=0.0))
        frames = sorted(frame for frame, at in self._runs if at >= ceiling * AT_CEILING)
        times: list[float] = []
        last = -np.inf
        for frame in frames:
            if frame - last > MERGE_S * self._rate:
                times.append(frame / self._rate)
            last = frame
        return Clipping(len(times), tuple(times), ceiling)
