"""The compiled part of `stft`: cutting sound into windowed frames, adding frames up again, powers of spectra."""

from __future__ import annotations

from numba import njit


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def cut(x, window, start, step, out):  # type: ignore[no-untyped-def]
    """Frames (count, len(window)) of x times the window, the first beginning at `start`, each `step` after the one before.

    Outside of x there is silence.
    """
    count, size = out.shape
    n = len(x)
    for t in range(count):
        at = start + t * step
        row = out[t]
        low, high = max(0, min(-at, size)), max(0, min(n - at, size))
        row[:low] = 0
        row[max(low, high) :] = 0
        if high > low:
            piece, part, w = x[at + low : at + high], row[low:high], window[low:high]
            for i in range(high - low):
                part[i] = piece[i] * w[i]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def add(pieces, window, start, hop, out):  # type: ignore[no-untyped-def]
    """The opposite of `cut`: pieces times the window are added to out, the first at `start`."""
    count, size = pieces.shape
    n = len(out)
    for t in range(count):
        at = start + t * hop
        low, high = max(0, min(-at, size)), max(0, min(n - at, size))
        if high > low:
            y, part, w = out[at + low : at + high], pieces[t, low:high], window[low:high]
            for i in range(high - low):
                y[i] += part[i] * w[i]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def power(X, out):  # type: ignore[no-untyped-def]
    """|X|^2 of (count, bins) complex64, without the detour over the root."""
    count, bins = out.shape
    for t in range(count):
        x, y = X[t], out[t]
        for k in range(bins):
            y[k] = x[k].real * x[k].real + x[k].imag * x[k].imag
