"""What a voice's tone lacks or has too much of, against voices in general, and the modest EQ that follows from it.

Typical voice: Byrne and others, "An international comparison of long-term average speech spectra", JASA 96(4), 1994 (both sexes, twelve languages).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.figures import number
from dubbin.core.measure.spectrum import Spectrum
from dubbin.core.texts import tr

# Third-octave levels in dB at 70 dB overall, from 63 Hz up.
TYPICAL_HZ = np.array([63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000, 10000, 12500, 16000], float)  # fmt: skip
TYPICAL_DB = np.array([38.6, 43.5, 54.4, 57.7, 56.8, 60.2, 60.3, 59.0, 62.1, 62.1, 60.5, 56.8, 53.7, 53.0, 52.0, 48.7, 48.1, 46.8, 45.6, 44.5, 44.3, 43.7, 43.4, 41.3, 40.7])  # fmt: skip
MATCHED_HZ = (250.0, 4000.0)  # over which a voice and the typical one are laid on one another
BEGINS_DB = 9.0
MOST_LIFT_DB = {"bell3": 2.0, "high_shelf": 1.5}  # of what s-sounds and noise live in: a dull voice becomes clearer, not sharper
LEAST_DB, MOST_DB, SHARE = 2.0, 4.0, 0.6  # deviation that is worth a change; the largest change; share of the deviation taken back
# Field of the EQ, from, to, its middle, and what a voice is said to be where it has too much or too little there.
REGIONS = (
    ("low_shelf", 90.0, 200.0, 160.0, "boomy", "thin"),
    ("bell1", 220.0, 420.0, 300.0, "muffled", "hollow"),
    ("bell2", 500.0, 1100.0, 750.0, "boxy", "scooped"),
    ("bell3", 1800.0, 3800.0, 2700.0, "hard", "unclear"),
    ("high_shelf", 6000.0, 12000.0, 8000.0, "sharp", "dull"),
)  # fmt: skip


@dataclass(frozen=True)
class ToneIdea:
    """One change of the EQ: the filter, its frequency, its gain, and why."""

    filter: str
    hz: float
    db: float
    because: str


def typical_db(f: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of a typical voice in bands of a twelfth of an octave around f, on a scale of its own."""
    out: NDArray[np.float64] = np.interp(np.log(np.maximum(f, 1.0)), np.log(TYPICAL_HZ), TYPICAL_DB)
    return out


def laid_over(voice: Spectrum) -> NDArray[np.float64]:
    """The typical voice's levels at the spectrum's bands, brought to the voice's own level."""
    typical = typical_db(voice.frequency_hz)
    inside = (voice.frequency_hz >= MATCHED_HZ[0]) & (voice.frequency_hz <= MATCHED_HZ[1])
    return typical + float(np.mean(voice.level_db[inside] - typical[inside]))


def lowest_hz(voice: Spectrum) -> float:
    """About where a voice begins: the lowest band, counted down from its strongest, that is not yet far under it."""
    f, level = voice.frequency_hz, np.convolve(voice.level_db, np.ones(3) / 3, mode="same")
    body = (f >= 150.0) & (f <= 600.0)
    k = int(np.flatnonzero(body)[np.argmax(level[body])])
    top = level[k]
    while k > 0 and level[k - 1] > top - BEGINS_DB and f[k - 1] > 70.0:
        k -= 1
    return float(f[k])


def suggest_tone(voice: Spectrum, pitch_hz: float | None = None, highest_hz: float | None = None) -> list[ToneIdea]:
    """Changes that bring a voice nearer to the typical one, each within MOST_DB.

    voice: average spectrum of its speech. pitch_hz: its usual pitch: below it there is nothing to judge. highest_hz: above which the
    recording holds nothing.
    """
    apart = voice.level_db - laid_over(voice)
    pitch_hz = pitch_hz or lowest_hz(voice)
    ideas = []
    for name, low, high, hz, much, little in REGIONS:
        if high < pitch_hz * 1.1:
            continue
        if highest_hz is not None and high > highest_hz:
            continue
        inside = (voice.frequency_hz >= max(low, pitch_hz * 0.9)) & (voice.frequency_hz <= high)
        if not inside.any():
            continue
        deviation = float(np.mean(apart[inside]))
        if abs(deviation) < LEAST_DB:
            continue
        gain = float(np.clip(-SHARE * deviation, -MOST_DB, MOST_LIFT_DB.get(name, MOST_DB)))
        what = much if deviation > 0 else little
        side = "more" if deviation > 0 else "less"
        ideas.append(
            ToneIdea(
                name,
                hz,
                round(gain, 1),
                tr("{what}: {deviation} dB {side} than usual around {hz} Hz").format(
                    what=what, deviation=number(abs(deviation), 0), side=side, hz=number(hz, 0)
                ),
            )
        )
    return ideas
