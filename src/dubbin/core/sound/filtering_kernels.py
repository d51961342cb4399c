"""The compiled part of `filtering`: second-order sections, two at a time: while one waits for its own last value, the other works."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.kernel import F64, kernel


@kernel(fastmath=True)
def cascade(x: NDArray[np.floating], sos: F64, state: F64, out: F64) -> None:
    """Filter x (channels, n) by two sections, sos (2, 6), into out, shaped as x or x itself. state: (2, channels, 2), of the transposed direct form II; is moved on."""
    a, b = sos[0], sos[1]
    for c in range(x.shape[0]):
        p, q, r, t = state[0, c, 0], state[0, c, 1], state[1, c, 0], state[1, c, 1]
        for n in range(x.shape[1]):
            v = np.float64(x[c, n])
            w = a[0] * v + p
            p = (a[1] * v + q) - a[4] * w
            q = a[2] * v - a[5] * w
            z = b[0] * w + r
            r = (b[1] * w + t) - b[4] * z
            t = b[2] * w - b[5] * z
            out[c, n] = z
        state[0, c, 0], state[0, c, 1], state[1, c, 0], state[1, c, 1] = p, q, r, t


@kernel()
def one_pole(x: F64, keep: float, state: F64, out: F64) -> None:
    """Running means of x (n, columns) into out, of the same shape: each keeps so much of the one before. state: (columns,), what came before the first; is moved on."""
    for n in range(x.shape[0]):
        for c in range(x.shape[1]):
            state[c] = (1.0 - keep) * x[n, c] + keep * state[c]
            out[n, c] = state[c]
