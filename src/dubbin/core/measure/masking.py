"""Whether a click can be heard over the sound that it lies in.

What would be taken out is compared, in bands, with the sound that would be left around it: a click that rises clearly above it in some band is heard, one that
stays under it everywhere is covered by it, as the sharp instants of a voice are, which stand out for a predictor and for nobody else. Source of the idea:
simultaneous masking in critical bands; Moore, "An introduction to the psychology of hearing", chapter 3.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.interpolation import FREE, drawn
from dubbin.core.sound import fourier

EDGES_HZ = (0, 300, 800, 1600, 3200, 6400, 12000)  # the last band goes up to the Nyquist frequency
BANDS = len(EDGES_HZ)
LONGEST_S = 0.008  # of a span, as a rule
AROUND_S = 0.012  # of the sound on both sides that covers
ORDER = 32  # of the model by which what is under it is drawn


def powers(
    x: NDArray[np.float32], calm: NDArray[np.float32], spans: Sequence[tuple[int, int]], rate: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What would be taken out of each span of x, and the sound that would be left around it: powers (spans, BANDS); the click infinite where there is too little around
    to draw from."""
    if not len(spans):
        return np.zeros((0, BANDS)), np.zeros((0, BANDS))
    around = round(AROUND_S * rate)
    longest = max(round(LONGEST_S * rate), *(b - a for a, b in spans), 0)
    frame = fourier.good_size(2 * around + longest)
    pieces, lone = np.zeros((2, len(spans), frame)), np.zeros(len(spans), np.bool_)
    for k, (start, end) in enumerate(spans):
        low, high = max(start - around, 0), min(end + around, len(x))
        gap = np.arange(start - low, end - low)
        if high - low < 3 * ORDER + len(gap):
            lone[k] = True
            continue
        rest = calm[low:high].astype(np.float64)
        rest[gap] = drawn(rest, gap, np.ones(len(gap)), np.full(len(gap), FREE), order=ORDER, passes=1)
        window = _window(high - low)
        pieces[0, k, gap] = (x[start:end] - rest[gap]) * window[gap]
        pieces[1, k, : high - low] = rest * window
    borders = np.minimum(np.array(EDGES_HZ) * frame // rate, frame // 2 + 1)
    spectra = fourier.rfft(pieces)
    summed = np.concatenate([np.zeros((2, len(spans), 1)), np.cumsum(spectra.real**2 + spectra.imag**2, axis=2)], axis=2)
    bands = np.diff(summed[:, :, np.append(borders, frame // 2 + 1)], axis=2)
    bands[0, lone] = np.inf
    return bands[0], bands[1]


@lru_cache(maxsize=512)
def _window(length: int) -> NDArray[np.float64]:
    return np.hanning(length)
