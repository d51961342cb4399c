"""Fourier transforms of real sound, and filtering by them: ducc0's, which use all of a processor's vector width.

ducc0 is the successor, by the same author, of the transforms in NumPy and SciPy; on frames of speech it takes half their time.
"""

from __future__ import annotations

from typing import Any

import ducc0
import numpy as np
from numpy.typing import NDArray

SHORTEST, TAPS = 4096, 3  # transform of `convolved`: at least so long, and so many times its filter
TOGETHER = 1 << 15  # samples of its pieces that are transformed at a time: they stay near the processor


def good_size(n: int) -> int:
    """The next length from n on of which a transform is fast."""
    return int(ducc0.fft.good_size(n, True))


def rfft(x: NDArray[Any], n: int | None = None, out: NDArray[Any] | None = None) -> NDArray[Any]:
    """Spectra (..., n // 2 + 1) of the last axis of x (..., length), float32 or float64, with zeros up to n (at least length)."""
    if n is not None and n > x.shape[-1]:
        x = np.concatenate([x, np.zeros((*x.shape[:-1], n - x.shape[-1]), x.dtype)], axis=-1)
    return np.asarray(ducc0.fft.r2c(x, axes=(-1,), out=out))


def irfft(X: NDArray[Any], n: int) -> NDArray[Any]:
    """The opposite: (..., n) of spectra (..., n // 2 + 1), complex, or real where they are powers; bins that are missing are 0."""
    bins = n // 2 + 1
    if not np.iscomplexobj(X) or X.shape[-1] < bins:
        whole = np.zeros((*X.shape[:-1], bins), np.complex64 if X.dtype in (np.float32, np.complex64) else np.complex128)
        whole[..., : X.shape[-1]] = X
        X = whole
    return np.asarray(ducc0.fft.c2r(X, axes=(-1,), lastsize=n, forward=False, inorm=2))


def convolved(x: NDArray[np.float32], taps: NDArray[np.float32]) -> NDArray[np.float32]:
    """x (frames,) through a filter of odd length, centred: nothing is moved in time; there is silence around x."""
    size = good_size(max(SHORTEST, TAPS * len(taps)))
    step = size - len(taps) + 1
    half = len(taps) // 2
    count = -(-len(x) // step)
    padded = np.zeros((count - 1) * step + size, np.float32)
    padded[half : half + len(x)] = x
    pieces = np.lib.stride_tricks.sliding_window_view(padded, size)[::step]
    response = rfft(np.asarray(taps, np.float32), size)
    out = np.empty((count, step), np.float32)
    together = max(TOGETHER // size, 1)
    for at in range(0, count, together):
        X = rfft(pieces[at : at + together])
        X *= response
        out[at : at + together] = irfft(X, size)[:, len(taps) - 1 :]
    return out.reshape(-1)[: len(x)]
