"""The layers of a temporal convolutional network, as they are run: every frame sees so many before and after it, and nothing else.

Source: Bai, Kolter and Koltun, "An empirical evaluation of generic convolutional and recurrent networks for sequence modeling", 2018; here it looks ahead as far as back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

SLOPE = 0.2  # of an activation below zero


def temporal_network(x: NDArray[np.float32], weights: Mapping[str, NDArray[np.float32]], dilations: Sequence[int]) -> NDArray[np.float32]:
    """Outputs (frames, outputs) for x (frames, inputs).

    weights: "in" and "out", each .weight (from, to) and .bias (to,), lead in and out; "0", "1", … with .weight (3 from, to) are layers over a frame and the two that
    lie `dilations` before and after it, whose result is added to what they were given."""
    h = _active(x @ weights["in.weight"] + weights["in.bias"])
    for k, dilation in enumerate(dilations):
        padded = np.pad(h, ((dilation, dilation), (0, 0)))
        near = np.concatenate([padded[d * dilation : d * dilation + len(h)] for d in range(3)], axis=1)
        h = h + _active(near @ weights[f"{k}.weight"] + weights[f"{k}.bias"])
    return np.asarray(h @ weights["out.weight"] + weights["out.bias"], np.float32)


def _active(x: NDArray[np.float32]) -> NDArray[np.float32]:
    out: NDArray[np.float32] = np.maximum(x, np.float32(SLOPE) * x)
    return out
