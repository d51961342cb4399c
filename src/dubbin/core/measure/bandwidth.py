"""Where the sound ends at the top: a codec's low-pass, or a file that was recorded at a lower rate and converted up.

A microphone's spectrum falls slowly. A codec or a resampler cuts: within a few hundred hertz the level falls by tens of
decibels, and above there is nothing. That step is looked for in the loud frames' mean spectrum.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Samples

SIZE = 4096
EVERY = 4  # of that many windows one is looked at
STEP_HZ = 400.0  # within which the level must fall
FALL_DB = 18.0
EMPTY_DB = 12.0  # scatter of what is left above the step
LOWEST_HZ, TOP_SHARE = 2500.0, 0.93  # a step above this share of half the rate is the recorder's own


@dataclass(frozen=True)
class Bandwidth:
    """limit_hz: above it there is nothing, though the file's rate would leave room; None when it is used up."""

    limit_hz: float | None


class BandwidthMeter:
    """Streams blocks; looks at the loudest channel of each window."""

    def __init__(self, rate: int, channels: int) -> None:
        self._rate = rate
        self._window = np.hanning(SIZE).astype(np.float32)
        self._rest: Samples = np.zeros((channels, 0), np.float32)
        self._total = np.zeros(SIZE // 2 + 1)
        self._loud = 0.0
        self._count = 0

    def push(self, x: Samples) -> None:
        """Look at the next samples (channels, frames): at one frame of every few, of the loudest channel."""
        x = np.concatenate([self._rest, x], axis=1) if self._rest.shape[1] else x
        stride = SIZE * EVERY
        whole = x.shape[1] // stride
        for k in range(whole):
            piece = x[:, k * stride : k * stride + SIZE]
            power = np.mean(np.square(piece), axis=1)
            channel = int(np.argmax(power))
            self._loud = max(self._loud * 0.999, float(power[channel]))
            if power[channel] > 1e-3 * self._loud and power[channel] > 1e-9:
                X = fourier.rfft(piece[channel] * self._window)
                self._total += X.real**2 + X.imag**2
                self._count += 1
        self._rest = x[:, whole * stride :].copy()

    def result(self) -> Bandwidth:
        """The band of all that was pushed; none is told from fewer than eight frames."""
        return Bandwidth(step_down_hz(self._total / self._count, self._rate) if self._count >= 8 else None)


def step_down_hz(power: NDArray[np.float64], rate: int) -> float | None:
    """The highest frequency before a step down to nothing in a mean power spectrum (SIZE // 2 + 1 bins); None without one."""
    per_hz = SIZE / rate
    smooth = np.maximum(neighbours.uniform_filter1d(power, 7, mode="nearest"), 0.0)  # a running sum comes out just under nothing
    level = 10.0 * np.log10(smooth + 1e-20)
    reach = max(2, round(STEP_HZ / 2 * per_hz))
    top = int(TOP_SHARE * (len(power) - 1))
    low = int(LOWEST_HZ * per_hz)
    if low + 2 * reach >= top:
        return None
    fall = level[: -2 * reach] - level[2 * reach :]  # at bin k + reach
    k = low + int(np.argmax(fall[low : top - reach]))
    middle = k + reach
    above = level[middle + reach : int(0.98 * len(level))]
    if fall[k] < FALL_DB or len(above) < reach:
        return None
    # Above the step nothing may come back: a notch or a gap between two bands is no limit.
    if np.quantile(above, 0.98) > level[middle + reach] + EMPTY_DB or np.quantile(above, 0.98) > level[k] - FALL_DB:
        return None
    edge = level[k : middle + reach] > level[k] - 6.0
    return float((k + int(np.argmin(edge)) if not edge.all() else middle) / per_hz)
