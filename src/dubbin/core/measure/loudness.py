"""Loudness: momentary, short-term, integrated, loudness range and true peak, in one streamed pass.

Sources: ITU-R BS.1770-5 (weighting, gating, true peak), EBU Tech 3341 (M, S, I), EBU Tech 3342 (range).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.k_weighting import k_weighting_sos
from dubbin.core.measure.true_peak import TruePeakMeter
from dubbin.core.sound.filtering import StreamFilter
from dubbin.core.sound.level import finite_or_none, gain_to_db
from dubbin.core.sound.source import Samples, Source, blocks

STEPS_PER_S = 50  # M and S are looked at every 20 ms: fine enough for the shortest bursts of Tech 3341
MOMENTARY_STEPS = STEPS_PER_S * 4 // 10
SHORT_TERM_STEPS = STEPS_PER_S * 3
GATING_HOP_STEPS = STEPS_PER_S // 10  # 400 ms blocks with 75 % overlap
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
RANGE_GATE_LU = -20.0
OFFSET_LU = -0.691


@dataclass(frozen=True)
class Loudness:
    """Figures of a whole sound; None where there was too little, or only silence, to measure."""

    integrated_lufs: float | None
    range_lu: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    true_peak_dbtp: float | None
    sample_peak_dbfs: float | None


def channel_weights(channels: int) -> NDArray[np.float64]:
    """Weights of BS.1770-5 table 3 for mono, stereo, 5.0 and 5.1 in file order; other counts weigh alike."""
    if channels == 5:
        return np.array([1.0, 1.0, 1.0, 1.41, 1.41])
    if channels == 6:
        return np.array([1.0, 1.0, 1.0, 0.0, 1.41, 1.41])
    return np.ones(channels)


class LoudnessMeter:
    """Streams blocks of (channels, frames) float32 at `rate` Hz; the figures hold for all that came. true_peak: whether to look between the samples, which
    takes two fifths of the time."""

    def __init__(self, rate: int, channels: int, *, true_peak: bool = True) -> None:
        self.rate = rate
        self._weighting = StreamFilter(k_weighting_sos(rate), channels)
        self._weights = channel_weights(channels)
        self._rest: NDArray[np.float64] = np.zeros(0)
        self._frames_stepped = 0
        self._steps: list[NDArray[np.float64]] = []
        self.peak_meter = TruePeakMeter(rate, channels) if true_peak else None
        self._sample_peak = 0.0

    def push(self, x: Samples) -> None:
        """Take the next samples (channels, frames), in blocks of any length."""
        if self.peak_meter is not None:
            self.peak_meter.push(x)
        else:
            self._sample_peak = max(self._sample_peak, float(np.max(x, initial=0.0)), -float(np.min(x, initial=0.0)))
        y = self._weighting.push(x)
        np.square(y, out=y)
        power = y[0] if len(y) == 1 else self._weights @ y
        self._rest = np.concatenate([self._rest, power]) if self._rest.size else power
        first_step = round(self._frames_stepped * STEPS_PER_S / self.rate)
        end = self._frames_stepped + len(self._rest)
        last_step = end * STEPS_PER_S // self.rate
        if last_step <= first_step:
            return
        edges = np.arange(first_step, last_step + 1) * self.rate // STEPS_PER_S - self._frames_stepped
        sums = np.add.reduceat(self._rest[: edges[-1]], edges[:-1])
        self._steps.append(sums / np.diff(edges))
        self._rest = self._rest[edges[-1] :]
        self._frames_stepped += int(edges[-1])

    def steps(self) -> NDArray[np.float64]:
        """Weighted mean square of every 20 ms so far."""
        if len(self._steps) > 1:
            self._steps = [np.concatenate(self._steps)]
        return self._steps[0] if self._steps else np.zeros(0)

    def momentary(self) -> NDArray[np.float64]:
        """LUFS of every 400 ms window, one every 20 ms; entry k ends at (k + 20) * 20 ms."""
        return _lufs(_sliding_mean(self.steps(), MOMENTARY_STEPS))

    def short_term(self) -> NDArray[np.float64]:
        """LUFS of every 3 s window, one every 20 ms; entry k ends at (k + 150) * 20 ms."""
        return _lufs(_sliding_mean(self.steps(), SHORT_TERM_STEPS))

    def integrated(self) -> float:
        """Gated loudness in LUFS; -inf for silence or less than 400 ms."""
        return integrated_of(self.steps())

    def range_lu(self) -> float | None:
        """Loudness range in LU (EBU Tech 3342); None for silence or less than 3 s."""
        return range_of(_sliding_mean(self.steps(), SHORT_TERM_STEPS)[::GATING_HOP_STEPS])

    def result(self) -> Loudness:
        """Loudness in LUFS, range in LU and peaks of all that was pushed; None for what was too short or too silent to tell."""
        momentary, short_term = self.momentary(), self.short_term()
        if self.peak_meter is not None:
            self.peak_meter.finish()
        return Loudness(
            finite_or_none(self.integrated()),
            self.range_lu(),
            finite_or_none(float(np.max(momentary, initial=-math.inf))),
            finite_or_none(float(np.max(short_term, initial=-math.inf))),
            finite_or_none(self.peak_meter.true_peak_dbtp) if self.peak_meter else None,
            finite_or_none(self.peak_meter.sample_peak_dbfs if self.peak_meter else gain_to_db(self._sample_peak)),
        )


def integrated_of(steps: NDArray[np.float64]) -> float:
    """Gated loudness in LUFS of the weighted mean squares of every 20 ms; -inf for silence or less than 400 ms."""
    power = _sliding_mean(steps, MOMENTARY_STEPS)[::GATING_HOP_STEPS]
    loud = power[_lufs(power) > ABSOLUTE_GATE_LUFS]
    if not loud.size:
        return -math.inf
    gate = float(_lufs(np.mean(loud))) + RELATIVE_GATE_LU
    loud = loud[_lufs(loud) > gate]
    return float(_lufs(np.mean(loud))) if loud.size else -math.inf


def range_of(power: NDArray[np.float64]) -> float | None:
    """Loudness range in LU of the mean squares of 3 s windows; None where nothing is above the gate."""
    loud = power[_lufs(power) > ABSOLUTE_GATE_LUFS]
    if not loud.size:
        return None
    gate = float(_lufs(np.mean(loud))) + RANGE_GATE_LU
    levels = np.sort(_lufs(loud[_lufs(loud) > gate]))
    if not levels.size:
        return None
    low, high = (levels[round((levels.size - 1) * share)] for share in (0.10, 0.95))
    return float(high - low)


def measure_loudness(source: Source, task: Task | None = None, *, true_peak: bool = True) -> Loudness:
    """All loudness figures of a source; without the true peak where nobody asks for it."""
    meter = LoudnessMeter(source.rate, source.channels, true_peak=true_peak)
    for start, x in blocks(source):
        if task is not None:
            task.step(start / max(source.frames, 1))
        meter.push(x)
    return meter.result()


def _sliding_mean(steps: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    if len(steps) < width:
        return np.zeros(0)
    sums = np.concatenate([[0.0], np.cumsum(steps)])
    out: NDArray[np.float64] = np.maximum(sums[width:] - sums[:-width], 0.0) / width
    return out


def _lufs(power: NDArray[np.float64] | np.floating) -> NDArray[np.float64]:
    with np.errstate(divide="ignore"):
        return OFFSET_LU + 10.0 * np.log10(power)
