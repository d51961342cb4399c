"""Limiter: keeps the true peak under a ceiling, seeing peaks before they come.

The wanted gain is the ceiling over the oversampled peak around each sample. It is held over the look-ahead, released
slowly, and smoothed over the look-ahead by a window that sums to one: a mean of values none of which is above what the
peak wants can't be above it either, so the ceiling holds and the gain never steps.
Source of the scheme: Giannoulis, Massberg and Reiss, JAES 2012, section 3; true peak: ITU-R BS.1770-5, annex 2.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.true_peak import peaks_around
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

LOOK_AHEAD_MS = 3.0


@dataclass(frozen=True)
class LimiterSettings:
    """Gain, ceiling and release."""

    gain_db: float = setting(0.0, -60.0, 60.0, "dB", tr("Gain"), tr("Gain in front of the limiter."))
    ceiling_dbtp: float = setting(-1.0, -30.0, 0.0, "dBTP", tr("Ceiling"), tr("Highest true peak that comes out."))
    release_ms: float = setting(90.0, 5.0, 1000.0, "ms", tr("Release"), tr("How fast the gain comes back."))


def limiter_gain(x: Samples, rate: int, ceiling: float, release_ms: float) -> NDArray[np.float32]:
    """Gain (frames,), 0 to 1, that keeps the true peak of x (after any gain) under `ceiling` (amplitude)."""
    from dubbin.core.deliver.limiter_kernels import release

    half = max(1, round(LOOK_AHEAD_MS * 1e-3 * rate / 2))
    peaks = peaks_around(x, rate, ignore_below=ceiling)
    if float(np.max(peaks, initial=0.0)) <= ceiling:
        return np.ones(x.shape[1], np.float32)
    wanted = np.minimum(np.float32(1.0), np.float32(ceiling) / np.maximum(peaks, np.float32(1e-9))).astype(np.float32)
    held = neighbours.minimum_filter1d(wanted, 2 * half + 1, mode="nearest")
    out = np.empty_like(held)
    release(held, np.float32(np.exp(-1.0 / (release_ms * 1e-3 * rate))), out)
    window = np.hanning(2 * half + 3)[1:-1]
    window = (window / window.sum()).astype(np.float32)
    padded = np.pad(out, half, mode="edge")
    result: NDArray[np.float32] = fourier.convolved(padded, window)[half : half + len(out)]
    return result


class Limiter(Treatment):
    """Gain, then limiting; used for masters."""

    name: ClassVar[str] = "limit"
    title: ClassVar[str] = tr("Limiter")
    settings_type: ClassVar[type] = LimiterSettings
    tile_s: ClassVar[float] = 8.0
    lead_s: ClassVar[float] = 1.5
    tail_s: ClassVar[float] = 0.02

    def analyse(self, source: Source, settings: LimiterSettings, task: Task) -> None:
        """Nothing is looked for: the gain follows from the stretch itself."""
        return None

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with the gain of the settings, its true peak held under their ceiling; all channels by one gain."""
        settings: LimiterSettings = context.settings
        y = x * np.float32(db_to_gain(settings.gain_db))
        gain = limiter_gain(y, context.rate, db_to_gain(settings.ceiling_dbtp), settings.release_ms)
        return y * gain
