"""The gates of a long short-term memory, one step of many sequences side by side."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel
from dubbin.core.treat.fast_math_kernels import exp2

LOG2_E = np.float32(1.4426950408889634)
ONE, TWO, FURTHEST = np.float32(1.0), np.float32(2.0), np.float32(40.0)


@kernel(fastmath=True)
def step(gates: F32, cell: F32, hidden: F32) -> None:
    """One step: gates (sequences, 4 units), before their sigmoids and hyperbolic tangent, in the order input, forget, cell, output; cell and hidden (sequences, units)
    become those after the step."""
    count, units = cell.shape
    for n in range(count):
        for k in range(units):
            i, f = gates[n, k], gates[n, units + k]
            g, o = gates[n, 2 * units + k], gates[n, 3 * units + k]
            i = ONE / (ONE + exp2(min(max(-i, -FURTHEST), FURTHEST) * LOG2_E))
            f = ONE / (ONE + exp2(min(max(-f, -FURTHEST), FURTHEST) * LOG2_E))
            o = ONE / (ONE + exp2(min(max(-o, -FURTHEST), FURTHEST) * LOG2_E))
            g = TWO / (ONE + exp2(min(max(-TWO * g, -FURTHEST), FURTHEST) * LOG2_E)) - ONE
            c = f * cell[n, k] + i * g
            cell[n, k] = c
            hidden[n, k] = o * (TWO / (ONE + exp2(min(max(-TWO * c, -FURTHEST), FURTHEST) * LOG2_E)) - ONE)
