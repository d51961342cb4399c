"""How loud a voice is by itself, as it changes through a recording: what is relative to the voice is measured against this.

From both sides of an instant, since the whole recording is there: the level of the louder frames within some seconds, in the band of vowels.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.own_stretches import loud_level
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Source, blocks

FRAME_S = 0.02
STEP_S = 0.5
AROUND_S = 5.0
VOWELS_HZ = (150.0, 3500.0)
UNDER_LOUD_DB = 16.0  # frames further under the recording's loud ones are no vowels
USUAL_QUANTILE = 0.7
SILENT_DBFS = -90.0


@dataclass(frozen=True)
class VoiceLevel:
    """level_db: level of the vowels every STEP_S, in dBFS, the first at STEP_S / 2; the loudest channel's."""

    level_db: NDArray[np.float32]

    def at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Level at instants, in between straight."""
        return np.interp(seconds / STEP_S - 0.5, np.arange(len(self.level_db)), self.level_db)


def find_voice_level(source: Source, task: Task | None = None) -> VoiceLevel:
    """Look through a whole source."""
    task = task or Task()
    size = max(16, round(FRAME_S * source.rate))
    window = np.hanning(size).astype(np.float32)
    window /= np.sqrt(np.sum(window**2, dtype=np.float64))
    low, high = (round(hz * size / source.rate) for hz in VOWELS_HZ)
    levels: list[NDArray[np.float64]] = []
    rest = np.zeros((source.channels, 0), np.float32)
    for start, x in blocks(source):
        task.step(start / max(source.frames, 1))
        x = np.concatenate([rest, x], axis=1)
        count = x.shape[1] // size
        if count:
            X = fourier.rfft(x[:, : count * size].reshape(x.shape[0], count, size) * window)[..., max(low, 1) : high + 1]
            levels.append(np.max(np.sum(X.real**2 + X.imag**2, axis=2), axis=0) * (2.0 / size))
        rest = x[:, count * size :].copy()
    per_step = max(1, round(STEP_S / FRAME_S))
    steps = max(1, int(np.ceil(source.frames / source.rate / STEP_S)))
    if not levels:
        return VoiceLevel(np.full(steps, -30.0, np.float32))
    level = 10.0 * np.log10(np.concatenate(levels) + 1e-12)
    loud = loud_level(level, FRAME_S)
    voiced = level > max(loud - UNDER_LOUD_DB, SILENT_DBFS)
    out = np.full(steps, np.nan)
    reach = round(AROUND_S / FRAME_S)
    for k in range(steps):
        middle = k * per_step + per_step // 2
        part = slice(max(middle - reach, 0), middle + reach)
        near = level[part][voiced[part]]
        if len(near) >= 10:
            out[k] = np.quantile(near, USUAL_QUANTILE)
    known = np.flatnonzero(np.isfinite(out))
    filled = np.interp(np.arange(steps), known, out[known]) if len(known) else np.full(steps, loud)
    return VoiceLevel(neighbours.gaussian_filter1d(filled, 2.0, mode="nearest").astype(np.float32))
