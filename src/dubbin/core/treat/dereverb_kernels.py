"""The compiled part of `dereverb`: how sound dies away in a room."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel


@kernel(fastmath=True)
def decayed(P: F32, decay: np.float32, delay: int) -> F32:
    """(frames, bins): what of the power P (frames, bins) of `delay` frames ago and before still sounds. decay: share of a bin's power that is left a frame later."""
    frames, bins = P.shape
    out = np.zeros((frames, bins), np.float32)
    state = np.zeros(bins, np.float32)
    fresh, late = np.float32(1.0) - decay, decay ** np.float32(delay)
    for t in range(frames - delay):
        row, x = out[t + delay], P[t]
        for k in range(bins):
            state[k] = decay * state[k] + fresh * x[k]
        for k in range(bins):
            row[k] = late * state[k]
    return out
