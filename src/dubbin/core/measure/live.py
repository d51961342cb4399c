"""Loudness of what is playing now: momentary, short-term and integrated since the start, and peaks."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.k_weighting import k_weighting_sos
from dubbin.core.measure.loudness import ABSOLUTE_GATE_LUFS, OFFSET_LU, RELATIVE_GATE_LU, range_of
from dubbin.core.measure.true_peak import TruePeakMeter
from dubbin.core.sound.filtering import StreamFilter
from dubbin.core.sound.level import finite_or_none, gain_to_db, power_to_db
from dubbin.core.sound.source import Samples

STEP_S = 0.1
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
        self._step = round(rate * STEP_S)
        self.reset()

    def reset(self) -> None:
        """Begin anew: integrated loudness and highest peak."""
        self._weighting = StreamFilter(k_weighting_sos(self._rate), self._channels)
        self._powers: deque[float] = deque(maxlen=30)
        self._gated: list[float] = []
        self._short: list[float] = []
        self._pair = np.zeros(3)
        self._range: float | None = None
        self._sum, self._count = 0.0, 0
        self._peak = TruePeakMeter(self._rate, self._channels)

    def push(self, x: Samples) -> Reading:
        self._peak.push(x)
        power = np.square(self._weighting.push(x)).sum(axis=0)
        at = 0
        while at < len(power):
            take = min(self._step - self._count, len(power) - at)
            self._sum += float(power[at : at + take].sum())
            self._count += take
            at += take
            if self._count == self._step:
                self._powers.append(self._sum / self._step)
                if len(self._powers) >= 4:
                    self._gated.append(float(np.mean(list(self._powers)[-4:])))
                if len(self._powers) == 30:
                    self._short.append(float(np.mean(self._powers)))
                    if len(self._short) % 10 == 1:
                        self._range = range_of(np.array(self._short))
                self._sum, self._count = 0.0, 0
        blocks = list(self._powers)
        return Reading(
            _lufs(blocks[-4:]) if len(blocks) >= 4 else None,
            _lufs(blocks) if len(blocks) == 30 else None,
            self._integrated(),
            tuple(gain_to_db(float(p)) for p in np.max(np.abs(x), axis=1)) if x.shape[1] else (),
            finite_or_none(self._peak.true_peak_dbtp),
            self._range,
            tuple(finite_or_none(gain_to_db(float(p))) for p in np.maximum(self._peak.peaks, self._peak.sample_peaks)),
            tuple(finite_or_none(gain_to_db(float(p))) for p in self._peak.sample_peaks),
            self._correlation(x),
        )

    def _correlation(self, x: Samples) -> float | None:
        if self._channels != 2 or not x.shape[1]:
            return None
        left, right = x.astype(np.float64)
        now = np.array([left @ right, left @ left, right @ right])
        kept = float(np.exp(-x.shape[1] / (CORRELATION_S * self._rate)))
        self._pair = kept * self._pair + now
        both = float(np.sqrt(self._pair[1] * self._pair[2]))
        return float(self._pair[0]) / both if both > 1e-12 else None

    def _integrated(self) -> float | None:
        power = np.array(self._gated)
        power = power[power > 10 ** ((ABSOLUTE_GATE_LUFS - OFFSET_LU) / 10)]
        if not power.size:
            return None
        power = power[power > power.mean() * 10 ** (RELATIVE_GATE_LU / 10)]
        return _lufs(power)


def _lufs(powers: list[float] | NDArray[np.float64]) -> float | None:
    return finite_or_none(OFFSET_LU + power_to_db(float(np.mean(powers))))
