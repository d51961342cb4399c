"""The compiled part of `stft`: cutting sound into windowed frames, adding frames up again, powers of spectra."""

from __future__ import annotations

from dubbin.core.kernel import C64, F32, kernel


@kernel(fastmath=True)
def cut(x: F32, window: F32, start: int, step: int, out: F32) -> None:
    """Write into out (count, size) frames of x (frames,) times the window (size,), the first beginning at `start`, each `step` after the one before.

    Outside of x there is silence."""
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


@kernel(fastmath=True)
def add(pieces: F32, window: F32, start: int, hop: int, out: F32) -> None:
    """The opposite of `cut`: pieces (count, size) times the window (size,) are added to out (frames,), the first at `start`, each `hop` after the one before."""
    count, size = pieces.shape
    n = len(out)
    for t in range(count):
        at = start + t * hop
        low, high = max(0, min(-at, size)), max(0, min(n - at, size))
        if high > low:
            y, part, w = out[at + low : at + high], pieces[t, low:high], window[low:high]
            for i in range(high - low):
                y[i] += part[i] * w[i]


@kernel(fastmath=True)
def power(X: C64, out: F32) -> None:
    """Write |X|^2 of X (count, bins) into out, without the detour over the root."""
    count, bins = out.shape
    for t in range(count):
        x, y = X[t], out[t]
        for k in range(bins):
            y[k] = x[k].real * x[k].real + x[k].imag * x[k].imag
