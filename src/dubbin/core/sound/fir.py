"""Filters of finite length with a phase that is straight, by the window method.

Designed here and not by scipy.signal, which takes most of a second to import: what repairs and masters is wanted at every start of the command line.
Source: Oppenheim and Schafer, "Discrete-Time Signal Processing", 3rd edition, 7.5 and 7.6 (Kaiser's window).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Window = NDArray[np.float64]


def kaiser_beta(ripple_db: float) -> float:
    """The shape of Kaiser's window of which a filter's ripple, in pass band and stop band, is so many dB down."""
    if ripple_db > 50.0:
        return 0.1102 * (ripple_db - 8.7)
    if ripple_db > 21.0:
        return float(0.5842 * (ripple_db - 21.0) ** 0.4 + 0.07886 * (ripple_db - 21.0))
    return 0.0


def kaiser_taps(ripple_db: float, width: float) -> int:
    """The odd number of taps for that ripple, of a filter that falls over `width`, as a share of the Nyquist frequency."""
    return int(np.ceil((ripple_db - 7.95) / (2.285 * np.pi * width) + 1.0)) | 1


def band_taps(edges_hz: Sequence[float], rate: float, window: Window) -> NDArray[np.float64]:
    """Taps, as many as the window has, of what lies between the two edges (-6 dB): 0 for a low-pass, rate / 2 for a high-pass. 1 in the middle of the band, at 0 or at rate / 2."""
    low, high = (edge / (rate / 2.0) for edge in edges_hz)
    n = np.arange(len(window)) - (len(window) - 1) / 2.0
    taps = (high * np.sinc(high * n) - low * np.sinc(low * n)) * window
    middle = 0.0 if low == 0.0 else 1.0 if high == 1.0 else (low + high) / 2.0
    out: NDArray[np.float64] = taps / np.sum(taps * np.cos(np.pi * middle * n))
    return out
