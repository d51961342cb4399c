"""The compiled part of `retakes`: dynamic time warping."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, kernel


@kernel()
def warped(cost: F64) -> F64:
    """(m,): sums of the cost (n, m) along the cheapest way from its first corner to each place of its last row, by steps down, right and both."""
    n, m = cost.shape
    before = np.full(m + 1, np.inf)
    before[0] = 0.0
    for i in range(n):
        row = np.full(m + 1, np.inf)
        for j in range(m):
            row[j + 1] = cost[i, j] + min(before[j + 1], min(row[j], before[j]))
        before = row
    return before[1:]
