"""Compressor: loud words come down towards the others, so that the voice sits steady.

Feed-forward, RMS or peak level in dB, soft knee, branching smooth attack and release in the gain domain.
Source: Giannoulis, Massberg and Reiss, "Digital dynamic range compressor design", JAES 60(6), 2012.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment


@dataclass(frozen=True)
class CompressorSettings:
    """Threshold and figures of the static curve, and the two time constants."""

    threshold_db: float = setting(-20.0, -60.0, 0.0, "dBFS", "Threshold", "Level above which the voice is held back.")
    ratio: float = setting(2.5, 1.0, 20.0, ": 1", "Ratio", "dB in for one dB out, above the threshold.")
    knee_db: float = setting(6.0, 0.0, 24.0, "dB", "Knee", "Width over which the ratio sets in.")
    attack_ms: float = setting(8.0, 0.1, 200.0, "ms", "Attack", "How fast it takes hold of a louder word.")
    release_ms: float = setting(120.0, 5.0, 2000.0, "ms", "Release", "How fast it lets go afterwards.")
    makeup_db: float = setting(0.0, -12.0, 24.0, "dB", "Make-up", "Gain after compression.")


def static_gain_db(level_db: NDArray[np.float64] | float, settings: CompressorSettings) -> Any:
    """Gain in dB (at most 0, make-up left out) for a steady level in dBFS."""
    over = np.asarray(level_db, np.float64) - settings.threshold_db
    slope = 1.0 / settings.ratio - 1.0
    knee = settings.knee_db
    if knee > 0:
        inside = slope * (over + knee / 2) ** 2 / (2 * knee)
        return np.where(over <= -knee / 2, 0.0, np.where(over >= knee / 2, slope * over, inside))
    return np.where(over > 0, slope * over, 0.0)


@lru_cache(maxsize=1)
def _smoother() -> Any:
    from numba import njit

    @njit(nogil=True, cache=True)
    def smooth(wanted, attack, release, start, out):  # type: ignore[no-untyped-def]
        state = start
        for n in range(len(wanted)):
            coefficient = attack if wanted[n] < state else release
            state = coefficient * state + (1.0 - coefficient) * wanted[n]
            out[n] = state

    return smooth


def gain_curve_db(x: Samples, rate: int, settings: CompressorSettings) -> NDArray[np.float32]:
    """Gain reduction in dB (frames,), at most 0; all channels are held by the loudest of them."""
    level = np.max(np.abs(x), axis=0)
    level_db = 20.0 * np.log10(np.maximum(level, 1e-9))
    wanted = static_gain_db(level_db, settings).astype(np.float32)
    out = np.empty_like(wanted)
    attack, release = (np.exp(-1.0 / (ms * 1e-3 * rate)) for ms in (settings.attack_ms, settings.release_ms))
    _smoother()(wanted, attack, release, 0.0, out)
    return out


class Compressor(Treatment):
    name: ClassVar[str] = "compress"
    title: ClassVar[str] = "Compressor"
    settings_type: ClassVar[type] = CompressorSettings
    # Ten of the slowest release: what came before the lead-in has died away to 1e-4 of its gain.
    lead_s: ClassVar[float] = 4.0
    tail_s: ClassVar[float] = 0.0

    def analyse(self, source: Source, settings: CompressorSettings, task: Task) -> None:
        return None

    def process(self, x: Samples, context: Context) -> Samples:
        gain_db = gain_curve_db(x, context.rate, context.settings) + np.float32(context.settings.makeup_db)
        return x * np.power(np.float32(10.0), gain_db / np.float32(20.0))
