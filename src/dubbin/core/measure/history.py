"""Loudness through time, for a picture: momentary and short-term at evenly spaced instants, with the figures of the whole."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.loudness import MOMENTARY_STEPS, SHORT_TERM_STEPS, STEPS_PER_S, Loudness, LoudnessMeter

POINTS = 1200


@dataclass(frozen=True)
class LoudnessHistory:
    """times_s: the middle of each window in s; momentary: the loudest of the momentary loudnesses around it; short_term: LUFS."""

    loudness: Loudness
    times_s: NDArray[np.float64]
    momentary: NDArray[np.float64]
    short_term: NDArray[np.float64]


def history_of(meter: LoudnessMeter, points: int = POINTS) -> LoudnessHistory:
    """The history of all that a meter was given."""
    momentary, short = meter.momentary(), meter.short_term()
    step = max(1, -(-len(short) // points))
    times = (np.arange(len(short))[::step] + SHORT_TERM_STEPS / 2) / STEPS_PER_S
    loudest = np.full(len(times), -np.inf)
    if len(times):
        # Momentary windows whose middles lie around those of the short-term ones.
        shift = (SHORT_TERM_STEPS - MOMENTARY_STEPS) // 2
        part = momentary[shift : shift + len(times) * step]
        padded = np.pad(part, (0, len(times) * step - len(part)), constant_values=-np.inf)
        loudest = padded.reshape(len(times), step).max(axis=1)
    return LoudnessHistory(meter.result(), times, loudest, short[::step])
