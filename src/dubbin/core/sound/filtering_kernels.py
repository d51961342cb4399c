"""The compiled part of `filtering`: second-order sections, two or four at a time: while one waits for its own last value, the others work."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.kernel import F64, kernel


@kernel(fastmath=True)
def cascade_2(x: NDArray[np.floating], sos: F64, state: F64, out: F64) -> None:
    """Filter x (channels, n) by two sections, sos (2, 6), into out, shaped as x. state: (2, channels, 2), of the transposed direct form II; is moved on."""
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


@kernel(fastmath=True)
def cascade_4(x: NDArray[np.floating], sos: F64, state: F64, out: F64) -> None:
    """The same with four sections: sos (4, 6), state (4, channels, 2)."""
    a, b, d, e = sos[0], sos[1], sos[2], sos[3]
    for c in range(x.shape[0]):
        p0, q0, p1, q1 = state[0, c, 0], state[0, c, 1], state[1, c, 0], state[1, c, 1]
        p2, q2, p3, q3 = state[2, c, 0], state[2, c, 1], state[3, c, 0], state[3, c, 1]
        for n in range(x.shape[1]):
            v = np.float64(x[c, n])
            w = a[0] * v + p0
            p0 = (a[1] * v + q0) - a[4] * w
            q0 = a[2] * v - a[5] * w
            y = b[0] * w + p1
            p1 = (b[1] * w + q1) - b[4] * y
            q1 = b[2] * w - b[5] * y
            z = d[0] * y + p2
            p2 = (d[1] * y + q2) - d[4] * z
            q2 = d[2] * y - d[5] * z
            u = e[0] * z + p3
            p3 = (e[1] * z + q3) - e[4] * u
            q3 = e[2] * z - e[5] * u
            out[c, n] = u
        state[0, c, 0], state[0, c, 1], state[1, c, 0], state[1, c, 1] = p0, q0, p1, q1
        state[2, c, 0], state[2, c, 1], state[3, c, 0], state[3, c, 1] = p2, q2, p3, q3
