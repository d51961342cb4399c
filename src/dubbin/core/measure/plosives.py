"""Plosives and knocks: a p that hits the microphone's membrane, a hand on the table. Short, strong, below the voice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.own_stretches import LOUD_QUANTILE, own_stretches
from dubbin.core.sound.filtering import StreamFilter, band_pass, low_pass
from dubbin.core.sound.source import Samples

LOW_HZ = 75.0  # below the pitch of deep voices
VOICE_HZ = (180.0, 3000.0)
STEP_S = 0.01
LONGEST_S = 0.3
ABOVE_VOICE_DB = 2.0  # of the low band over the voice's own at that instant ...
BELOW_LOUD_DB = 10.0  # ... and not further than this under the loud speech of the recording
ABOVE_USUAL_DB = 14.0  # over the low band's usual level while somebody speaks, so that steady rumble, hum or a deep voice doesn't count
SPOKEN_DB = 25.0  # under the loud speech
MERGE_S = 0.15


@dataclass(frozen=True)
class Plosives:
    """times_s: where each begins."""

    times_s: tuple[float, ...]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.times_s)


class PlosiveMeter:
    """Streams blocks; judges the mean of all channels."""

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._hop = max(1, round(STEP_S * rate))
        low = low_pass(4, LOW_HZ, rate)
        voice = band_pass(2, VOICE_HZ[0], min(VOICE_HZ[1], 0.45 * rate), rate)
        self._filters = [StreamFilter(low, 1), StreamFilter(voice, 1)]
        self._rest = [np.zeros(0), np.zeros(0)]
        self._powers: list[list[NDArray[np.float64]]] = [[], []]

    def push(self, x: Samples) -> None:
        """Take the next samples (channels, frames): mono, in a low band and the voice's own."""
        mono = x.mean(axis=0, dtype=np.float64, keepdims=True)
        for k, band in enumerate(self._filters):
            y = np.concatenate([self._rest[k], np.square(band.push(mono)[0])])
            whole = len(y) // self._hop * self._hop
            self._powers[k].append(y[:whole].reshape(-1, self._hop).mean(axis=1))
            self._rest[k] = y[whole:]

    def result(self) -> Plosives:
        """Where in all that was pushed the low band bursts out over the voice, in seconds."""
        if not self._powers[0]:
            return Plosives(())
        low, voice = (10.0 * np.log10(np.concatenate(p) + 1e-14) for p in self._powers)
        if len(low) < 50:
            return Plosives(())
        own = own_stretches(voice, STEP_S)
        loud = np.quantile(voice[own], LOUD_QUANTILE)
        usual = np.median(low[own & (voice > loud - SPOKEN_DB)])  # in pauses it says nothing of this voice
        marks = (low > voice + ABOVE_VOICE_DB) & (low > loud - BELOW_LOUD_DB) & (low > usual + ABOVE_USUAL_DB)
        edges = np.flatnonzero(np.diff(np.concatenate([[0], marks.astype(np.int8), [0]])))
        times: list[float] = []
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            if (b - a) * STEP_S > LONGEST_S:
                continue
            start = a * self._hop / self._rate
            if not times or start - times[-1] > MERGE_S:
                times.append(float(start))
        return Plosives(tuple(times))
