"""Weighted prediction error: what of every sub-band can be predicted from its own past.

Sums are kept a chunk at a time, so that the filter of any stretch is made from the sums of its chunks, and chunks are worked on
side by side. Source: Nakatani, Yoshioka, Kinoshita, Miyoshi and Juang, "Speech dereverberation based on variance-normalized
delayed linear prediction", IEEE TASLP 2010.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

DELAY = 3  # hops between a frame and the last one that it is predicted from
TAPS = 28  # of the longest filter
# Echo dies away sooner the higher it is: from these frequencies on filters are shorter.
SHORTER = ((2000.0, 20), (4000.0, 12))
LOADING = 1e-4  # of the mean eigenvalue, on the diagonal
QUIETEST, QUIETEST_OF_BIN = 1e-4, 1e-3  # of the mean power of all bins, and of the bin: no frame weighs more than these allow


@dataclass(frozen=True)
class Sums:
    """correlation: (bins, TAPS, TAPS) of the past with itself; target: (bins, TAPS) of the past with the present; 0 beyond the taps
    (bins,) of a bin."""

    correlation: NDArray[np.complex64]
    target: NDArray[np.complex64]
    taps: NDArray[np.int64]

    def __add__(self, other: Sums) -> Sums:
        return Sums(self.correlation + other.correlation, self.target + other.target, self.taps)

    def filters(self) -> NDArray[np.complex64]:
        """Filters (bins, TAPS), the latest frame first; 0 where a bin has fewer."""
        out = np.zeros(self.target.shape, np.complex64)
        for count in np.unique(self.taps):
            bins = np.flatnonzero(self.taps == count)
            R = self.correlation[bins, :count, :count]
            load = LOADING * np.trace(R, axis1=1, axis2=2).real / count + 1e-20
            R += load[:, None, None] * np.eye(count, dtype=np.float32)
            out[bins, :count] = np.linalg.solve(R, self.target[bins, :count, None])[..., 0]
        return out


def taps_of(hz: NDArray[np.float64]) -> NDArray[np.int64]:
    """Length of the filter of bins at these frequencies."""
    out = np.full(len(hz), TAPS)
    for edge_hz, count in SHORTER:
        out[hz >= edge_hz] = count
    return out


def sums(X: NDArray[np.complex64], begin: int, taps: NDArray[np.int64]) -> Sums:
    """Sums over frames `begin` to the end of X (frames, bins); those before it are only past.

    Frames weigh by the inverse of their power. taps: (bins,).
    """
    P = ndimage.uniform_filter(X.real**2 + X.imag**2, (3, 3), mode="nearest")
    weight = 1.0 / np.maximum(P, QUIETEST * P.mean() + QUIETEST_OF_BIN * P.mean(axis=0) + 1e-20)
    real, imaginary = _parts(X)
    correlation, target = _kernels()[0](real, imaginary, np.ascontiguousarray(weight.T, np.float32), begin, taps)
    return Sums(correlation, target, taps)


def predicted(
    X: NDArray[np.complex64], filters: NDArray[np.complex64], place: NDArray[np.float32]
) -> NDArray[np.complex64]:
    """What filters (stretches, bins, TAPS), blended by each frame's place among the stretches, predict of X (frames, bins).

    The first DELAY + TAPS frames have too little past: nothing is predicted there.
    """
    place = np.clip(place, 0, len(filters) - 1).astype(np.float32)
    real, imaginary = _kernels()[1](*_parts(X), np.ascontiguousarray(filters), place)
    out = np.empty(X.shape, np.complex64)
    out.real, out.imag = real.T, imaginary.T
    return out


def _parts(X: NDArray[np.complex64]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Real and imaginary part of (frames, bins), each as (bins, frames)."""
    return np.ascontiguousarray(X.real.T), np.ascontiguousarray(X.imag.T)


@lru_cache(maxsize=1)
def _kernels() -> tuple[Any, Any]:
    """Both go through time in the innermost loop, a bin after the other: its few thousand values stay in the fastest cache."""
    from numba import njit

    @njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
    def add(Xr, Xi, weight, begin, taps):  # type: ignore[no-untyped-def]
        bins, frames = Xr.shape
        begin = max(begin, DELAY + TAPS)
        n = max(frames - begin, 0)
        R, r = np.zeros((bins, TAPS, TAPS), np.complex64), np.zeros((bins, TAPS), np.complex64)
        ar, ai = np.empty(n, np.float32), np.empty(n, np.float32)
        for k in range(bins):
            yr, yi = Xr[k, begin:], Xi[k, begin:]
            w = weight[k, begin:]
            for i in range(taps[k]):
                xr, xi = Xr[k, begin - DELAY - i :], Xi[k, begin - DELAY - i :]
                for t in range(n):
                    ar[t] = xr[t] * w[t]
                for t in range(n):
                    ai[t] = xi[t] * w[t]
                real, imaginary = np.float32(0.0), np.float32(0.0)
                for t in range(n):
                    real += ar[t] * yr[t] + ai[t] * yi[t]
                    imaginary += ar[t] * yi[t] - ai[t] * yr[t]
                r[k, i] = real + 1j * imaginary
                for j in range(i, taps[k]):
                    br, bi = Xr[k, begin - DELAY - j :], Xi[k, begin - DELAY - j :]
                    real, imaginary = np.float32(0.0), np.float32(0.0)
                    for t in range(n):
                        real += ar[t] * br[t] + ai[t] * bi[t]
                        imaginary += ar[t] * bi[t] - ai[t] * br[t]
                    R[k, i, j] = real + 1j * imaginary
                    R[k, j, i] = real - 1j * imaginary
        return R, r

    @njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
    def predict(Xr, Xi, filters, place):  # type: ignore[no-untyped-def]
        bins, frames = Xr.shape
        reach = DELAY + TAPS
        Yr, Yi = np.zeros((bins, frames), np.float32), np.zeros((bins, frames), np.float32)
        zr, zi = np.empty(frames, np.float32), np.empty(frames, np.float32)
        share = np.empty(frames, np.float32)
        for n in range(filters.shape[0]):
            low, high = frames, 0
            for t in range(frames):
                share[t] = max(np.float32(1.0) - abs(place[t] - np.float32(n)), np.float32(0.0))
                if share[t] > 0:
                    low, high = min(low, t), t + 1
            low = max(low, reach)
            if high <= low:
                continue
            count = high - low
            part = share[low:high]
            for k in range(bins):
                zr[:count] = 0
                zi[:count] = 0
                for j in range(TAPS):
                    f = filters[n, k, j]
                    if f == 0:
                        break
                    fr, fi = f.real, f.imag
                    xr, xi = Xr[k, low - DELAY - j :], Xi[k, low - DELAY - j :]
                    for t in range(count):
                        zr[t] += fr * xr[t] - fi * xi[t]
                    for t in range(count):
                        zi[t] += fr * xi[t] + fi * xr[t]
                yr, yi = Yr[k, low:high], Yi[k, low:high]
                for t in range(count):
                    yr[t] += part[t] * zr[t]
                for t in range(count):
                    yi[t] += part[t] * zi[t]
        return Yr, Yi

    return add, predict
