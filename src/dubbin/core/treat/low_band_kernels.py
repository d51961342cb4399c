"""The compiled part of `derumble`: to a low rate and back."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel


@kernel(fastmath=True)
def thinned(x: F32, taps: F32, first: int, ratio: int) -> F32:
    """x (frames,) filtered by `taps` of odd length, centred, at frames first, first + ratio ... Outside of x there is silence."""
    half, n = len(taps) // 2, len(x)
    out = np.empty(max((n - first + ratio - 1) // ratio, 0), np.float32)
    for k in range(len(out)):
        at = first + k * ratio - half
        low, high = max(0, -at), min(len(taps), n - at)
        piece, part = x[at + low : at + high], taps[low:high]
        total = np.float32(0.0)
        for i in range(high - low):
            total += piece[i] * part[i]
        out[k] = total
    return out


@kernel(fastmath=True)
def spread(low_rate: F32, taps: F32, first: int, ratio: int, out: F32) -> None:
    """Add to out (frames,) the `taps`, centred, at frames first, first + ratio ... times the samples of the low rate."""
    half, n = len(taps) // 2, len(out)
    for k in range(len(low_rate)):
        at = first + k * ratio - half
        low, high = max(0, -at), min(len(taps), n - at)
        y, part, gain = out[at + low : at + high], taps[low:high], low_rate[k]
        for i in range(high - low):
            y[i] += part[i] * gain
