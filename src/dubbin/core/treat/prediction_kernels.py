"""The compiled part of `prediction`. Both kernels go through time in the innermost loop, a bin after the other: its few thousand values stay in
the fastest cache."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import C64, F32, I64, kernel
from dubbin.core.treat.prediction_taps import DELAY, TAPS


@kernel(fastmath=True)
def covariances(Xr: F32, Xi: F32, weight: F32, begin: int, taps: I64) -> tuple[C64, C64]:
    """Weighted covariances of each bin's past with itself (bins, TAPS, TAPS), and with its present (bins, TAPS).

    Xr, Xi: (bins, frames) real and imaginary part. weight: (bins, frames) of each frame. begin: first frame that is a present. taps: (bins,) lags that count."""
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


@kernel(fastmath=True)
def predict(Xr: F32, Xi: F32, filters: C64, place: F32) -> tuple[F32, F32]:
    """Real and imaginary part (bins, frames) of what filters (stretches, bins, TAPS) predict of Xr, Xi (bins, frames).

    place: (frames,) among the stretches; between two their predictions are blended. A bin's filter ends at its first 0."""
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
