"""Whether a click can be heard over the sound that it lies in.

What would be taken out is compared, in bands, with the sound that would be left around it: a click that rises clearly above it in some band is heard, one that
stays under it everywhere is covered by it, as the sharp instants of a voice are, which stand out for a predictor and for nobody else. Source of the idea:
simultaneous masking in critical bands; Moore, "An introduction to the psychology of hearing", chapter 3.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.interpolation import FREE, drawn
from dubbin.core.sound import fourier

EDGES_HZ = (0, 300, 800, 1600, 3200, 6400, 12000)  # the last band goes up to the Nyquist frequency
AROUND_S = 0.012  # of the sound on both sides that covers
ORDER = 32  # of the model by which what is under it is drawn
FAINTEST = 1e-9  # power below which nothing is heard


def rise_db(x: NDArray[np.float32], calm: NDArray[np.float32], start: int, end: int, rate: int) -> float:
    """By how many decibels samples start to end of x (frames,) rise above what is drawn there from both sides, in the band where they do so most.

    calm: x with a bridge over each click, this one too. Infinite where there is too little around to draw from.
    """
    around = round(AROUND_S * rate)
    low, high = max(start - around, 0), min(end + around, len(x))
    rest = calm[low:high].astype(np.float64)
    gap = np.arange(start - low, end - low)
    if len(rest) < 3 * ORDER + len(gap):
        return np.inf
    rest[gap] = drawn(rest, gap, np.ones(len(gap)), np.full(len(gap), FREE), order=ORDER, passes=1)
    taken = np.zeros(len(rest))
    taken[gap] = x[start:end] - rest[gap]
    spectra = fourier.rfft(np.stack([taken, rest]) * np.hanning(len(rest)))
    borders = np.array(EDGES_HZ) * len(rest) // rate
    borders = borders[borders < spectra.shape[1]]  # a band above the Nyquist frequency is empty
    click, cover = np.add.reduceat(spectra.real**2 + spectra.imag**2, borders, axis=1)
    return float(10.0 * np.log10(np.max((click + 1e-20) / (cover + FAINTEST))))
