"""Levels that follow the talking: a slow gain that brings a voice to one loudness.

Only the voice's own speech is averaged, and of that only what is not far below its loudness (a relative gate as in ITU-R BS.1770-5): a breath, a pause or another's voice
moves nothing. The average reaches to both sides of an instant, so that a loud sentence is met by the gain when it comes and not after it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.balance_settings import Levelling, LinePoint
from dubbin.core.measure.loudness import OFFSET_LU
from dubbin.core.mix.gain_curve import POINTS_PER_S
from dubbin.core.sound import neighbours

STEP_S = 0.1
GATE_LU = 10.0
RIDE_GATE_LU = 18.0  # a passage that is spoken softly is still to be brought up; what is under this is the end of a word or a breath
LEAST_SPEECH_S = 0.4
MOST_BASE_DB = 30.0
FACTS_PER_S = 50


def own_loudness(power: NDArray[np.float64], counted: NDArray[np.bool_]) -> float | None:
    """Gated loudness in LUFS of the counted frames of K-weighted power; None where too little is counted."""
    p = power[counted]
    if len(p) < LEAST_SPEECH_S * FACTS_PER_S:
        return None
    gate = np.mean(p) * 10.0 ** (-GATE_LU / 10.0)
    return float(OFFSET_LU + 10.0 * np.log10(np.mean(p[p >= gate]) + 1e-15))


def levelling_db(power: NDArray[np.float64], own: NDArray[np.bool_], settings: Levelling) -> NDArray[np.float64]:
    """Gain in dB, one every STEP_S.

    power: K-weighted mean square of the voice in the program's channels, FACTS_PER_S a second; own: where it speaks.
    """
    per_step = round(STEP_S * FACTS_PER_S)
    count = max(1, -(-len(power) // per_step))
    loudness = own_loudness(power, own)
    if loudness is None:
        return np.zeros(count)
    base = float(np.clip(settings.target_lufs - loudness, -MOST_BASE_DB, MOST_BASE_DB))
    gate = 10.0 ** ((loudness - OFFSET_LU - RIDE_GATE_LU) / 10.0)
    counted = own & (power >= gate)
    length = count * per_step
    weight = np.pad(counted.astype(np.float64), (0, length - len(power))).reshape(count, per_step).sum(axis=1)
    energy = np.pad(np.where(counted, power, 0.0), (0, length - len(power))).reshape(count, per_step).sum(axis=1)
    sigma = settings.speed_s / 2.0 / STEP_S
    weight, energy = (neighbours.gaussian_filter1d(v, sigma, mode="constant", truncate=3.0) for v in (weight, energy))
    # Known where about LEAST_SPEECH_S of speech lies within the average.
    known = np.flatnonzero(weight > LEAST_SPEECH_S * FACTS_PER_S / (sigma * np.sqrt(2 * np.pi)) * 0.5)
    if not len(known):
        return np.full(count, base)
    ride = settings.target_lufs - base - (OFFSET_LU + 10.0 * np.log10(energy[known] / weight[known] + 1e-15))
    ride = np.interp(np.arange(count), known, np.clip(ride, -settings.range_db, settings.range_db))
    gain = base + neighbours.gaussian_filter1d(ride, 0.25 * sigma, mode="nearest")
    # The range holds the ride back, and the gate looks at other frames after it: what is missing as a whole is one more constant gain.
    steps = np.minimum(np.arange(len(power)) // per_step, count - 1)
    after = own_loudness(power * 10.0 ** (gain[steps] / 10.0), own)
    return np.asarray(gain + (0.0 if after is None else np.clip(settings.target_lufs - after, -MOST_BASE_DB, MOST_BASE_DB)))


def line_db(points: tuple[LinePoint, ...], rate: int, count: int) -> NDArray[np.float64]:
    """A level drawn by hand, POINTS_PER_S a second: straight between its points, before and after them level."""
    if not points:
        return np.zeros(count)
    return np.interp(np.arange(count) * rate / POINTS_PER_S, [p.frame for p in points], [p.db for p in points])
