"""The harbour theme: plucked strings, computed (Karplus and Strong, Computer Music Journal 7(2), 1983)."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

# Beats at which strings are plucked, as (beat, MIDI note, loudness); three bars of six, twice.
BEAT_S = 0.42
TUNE = (
    (0, 50, 1.0), (0, 62, 0.8), (1, 66, 0.6), (2, 69, 0.7), (3, 74, 0.8), (4, 69, 0.5), (5, 66, 0.5),
    (6, 47, 1.0), (6, 59, 0.8), (7, 62, 0.6), (8, 66, 0.7), (9, 71, 0.8), (10, 66, 0.5), (11, 62, 0.5),
    (12, 43, 1.0), (12, 59, 0.8), (13, 62, 0.6), (14, 67, 0.7), (15, 71, 0.8), (16, 69, 0.6), (17, 67, 0.5),
)  # fmt: skip
FADE_FROM_S, LENGTH_S = 5.0, 15.0


def pluck(frequency_hz: float, seconds: float, rate: int, rng: np.random.Generator) -> NDArray[np.float64]:
    period = rate / frequency_hz
    delay = int(period - 0.5)
    string = np.zeros(int(seconds * rate))
    string[:delay] = scipy.signal.lfilter([0.5], [1, -0.5], rng.uniform(-1, 1, delay))
    for at in range(delay, len(string), delay):  # a round trip at a time: all that it is made of is there already
        before = string[max(at - delay - 1, 0) : min(at, len(string) - delay)]
        before = before if at > delay else np.concatenate([[0.0], before])
        string[at : at + delay] += 0.498 * before[:-1] + 0.498 * before[1:]
    return string


def harbour_theme(rate: int, seed: int = 5) -> NDArray[np.float64]:
    """Stereo (2, frames): five seconds in full, then a fade to a bed and out."""
    rng = np.random.default_rng(seed)
    out = np.zeros((2, int(LENGTH_S * rate)))
    for again in range(2):
        for beat, note, loudness in TUNE:
            start = int((beat + 18 * again) * BEAT_S * rate)
            string = loudness * pluck(440.0 * 2 ** ((note - 69) / 12), 3.0, rate, rng)
            pan = 0.5 + (note - 60) / 60
            stop = min(start + len(string), out.shape[1])
            out[0, start:stop] += np.cos(pan * np.pi / 2) * string[: stop - start]
            out[1, start:stop] += np.sin(pan * np.pi / 2) * string[: stop - start]
    time = np.arange(out.shape[1]) / rate
    bed = np.interp(time, [0, FADE_FROM_S, FADE_FROM_S + 1.5, 11.0, LENGTH_S - 0.2], [1, 1, 0.16, 0.12, 0.0])
    result: NDArray[np.float64] = out * (bed * 0.25 / np.max(np.abs(out)))
    return result
