"""Loudness of what is playing now: momentary, short-term and integrated since the start, and peaks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.k_weighting import k_weighting_sos
from dubbin.core.measure.loudness import (
    ABSOLUTE_GATE_LUFS,
    GATING_HOP_STEPS,
    MOMENTARY_STEPS,
    OFFSET_LU,
    RELATIVE_GATE_LU,
    SHORT_TERM_STEPS,
    STEPS_PER_S,
    channel_weights,
    range_of,
)
from dubbin.core.measure.true_peak import TruePeakMeter
from dubbin.core.sound.filtering import StreamFilter
from dubbin.core.sound.level import finite_or_none, gain_to_db, power_to_db
from dubbin.core.sound.source import Samples

CORRELATION_S = 0.6


@dataclass(frozen=True)
class Reading:
    """LUFS, and sample peaks per channel of the last block; None for silence. true_peaks_dbtp, sample_peaks_dbfs: the highest so far of each channel.
    correlation: of the two sides over the last second or so, 1 for mono, below 0 what is lost in mono; None for silence."""

    momentary_lufs: float | None
    short_term_lufs: float | None
    integrated_lufs: float | None
    peaks_db: tuple[float, ...]
    highest_dbtp: float | None
    range_lu: float | None = None
    true_peaks_dbtp: tuple[float | None, ...] = ()
    sample_peaks_dbfs: tuple[float | None, ...] = ()
    correlation: float | None = None


class LiveMeter:
    """Streams blocks of any size; `push` gives the reading after each."""

    def __init__(self, rate: int, channels: int) -> None:
        self._rate, self._channels = rate, channels
        self._step = rate // STEPS_PER_S
        self._weights = channel_weights(channels)
        self.reset()

    def reset(self) -> None:
        """Begin anew: integrated loudness and highest peak."""
        self._weighting = StreamFilter(k_weighting_sos(self._rate), self._channels)
        self._last = np.zeros(0)  # mean squares of the last 20 ms steps, as many as short-term loudness needs
        self._steps = 0
        # Mean squares of all windows since the start: after an hour tens of thousands, so what follows from them is found when one comes, not at every reading.
        self._gated, self._short = np.zeros(0), np.zeros(0)
        self._integrated: float | None = None
        self._pair = np.zeros(3)
        self._range: float | None = None
        self._rest = np.zeros(0)
        self._peak = TruePeakMeter(self._rate, self._channels)

    def push(self, x: Samples) -> Reading:
        """What the meter shows behind the next samples (channels, frames): LUFS and dBTP, None where too little was heard."""
        self._peak.push(x)
        power = np.concatenate([self._rest, self._weights @ np.square(self._weighting.push(x))])
        whole = len(power) // self._step
        for step in power[: whole * self._step].reshape(whole, self._step).mean(axis=1):
            self._take(step)
        self._rest = power[whole * self._step :]
        return Reading(
            _lufs(self._last[-MOMENTARY_STEPS:]) if len(self._last) >= MOMENTARY_STEPS else None,
            _lufs(self._last) if len(self._last) == SHORT_TERM_STEPS else None,
            self._integrated,
            tuple(gain_to_db(float(p)) for p in np.max(np.abs(x), axis=1)) if x.shape[1] else (),
            finite_or_none(self._peak.true_peak_dbtp),
            self._range,
            tuple(finite_or_none(gain_to_db(float(p))) for p in np.maximum(self._peak.peaks, self._peak.sample_peaks)),
            tuple(finite_or_none(gain_to_db(float(p))) for p in self._peak.sample_peaks),
            self._correlation(x),
        )

    def _take(self, step: float) -> None:
        """The mean square of the next 20 ms."""
        self._last = np.append(self._last[-SHORT_TERM_STEPS + 1 :], step)
        self._steps += 1
        if self._steps % GATING_HOP_STEPS or self._steps < MOMENTARY_STEPS:
            return
        self._gated = np.append(self._gated, self._last[-MOMENTARY_STEPS:].mean())
        self._integrated = _integrated(self._gated)
        if len(self._last) == SHORT_TERM_STEPS:
            self._short = np.append(self._short, self._last.mean())
            if len(self._short) % 10 == 1:
                self._range = range_of(self._short)

    def _correlation(self, x: Samples) -> float | None:
        if self._channels != 2 or not x.shape[1]:
            return None
        left, right = x.astype(np.float64)
        now = np.array([left @ right, left @ left, right @ right])
        kept = float(np.exp(-x.shape[1] / (CORRELATION_S * self._rate)))
        self._pair = kept * self._pair + now
        both = float(np.sqrt(self._pair[1] * self._pair[2]))
        return float(self._pair[0]) / both if both > 1e-12 else None


def _integrated(power: NDArray[np.float64]) -> float | None:
    power = power[power > 10 ** ((ABSOLUTE_GATE_LUFS - OFFSET_LU) / 10)]
    if not power.size:
        return None
    return _lufs(power[power > power.mean() * 10 ** (RELATIVE_GATE_LU / 10)])


def _lufs(powers: NDArray[np.float64]) -> float | None:
    return finite_or_none(OFFSET_LU + power_to_db(float(np.mean(powers))))
