"""The most likely course through scores of several voices."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, I64, kernel


@kernel()
def course(scores: F64, price: F64, out: I64) -> None:
    """Into out (frames,): the voice of every frame, so that the sum of scores (frames, voices) without the price (frames,) of every change is highest (Viterbi)."""
    frames, voices = scores.shape
    total = scores[0].copy()
    back = np.empty((frames, voices), np.int8)
    for t in range(1, frames):
        best = np.argmax(total)
        change = total[best] - price[t]
        for k in range(voices):
            if total[k] >= change:
                back[t, k] = k
            else:
                back[t, k] = best
                total[k] = change
            total[k] += scores[t, k]
    out[frames - 1] = np.argmax(total)
    for t in range(frames - 1, 0, -1):
        out[t - 1] = back[t, out[t]]
