"""The compiled part of `interpolation`: fit a model, solve for what is missing, fit again."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, I64, kernel
from dubbin.core.measure.levinson_kernels import levinson


@kernel(fastmath=True)
def fit(x: F64, window: F64, order: int) -> F64:
    """Autocorrelation (order + 1,) of the prediction-error filter of x (n,), fitted behind the window (n,) by the autocorrelation method."""
    n = len(x)
    y = x * window
    r, a, old = np.empty(order + 1), np.zeros(order + 1), np.empty(order + 1)
    for k in range(order + 1):
        later = y[k:]
        total = 0.0
        for i in range(n - k):
            total += y[i] * later[i]
        r[k] = total
    levinson(r, a, old, order)
    own = np.zeros(order + 1)
    for k in range(order + 1):
        total = 0.0
        for i in range(order + 1 - k):
            total += a[i] * a[i + k]
        own[k] = total
    return own


@kernel()
def solve(x: F64, unknown: I64, sign: F64, bound: F64, own: F64, order: int) -> F64:
    """Values (m,) of the unknown samples of x (n,) that leave the least prediction error.

    unknown: (m,) their indices, rising. sign, bound: (m,) of each, its sign times the value is at least the bound. own: from `fit`. order: of the model."""
    n, m = len(x), len(unknown)
    y = x.copy()
    for i in unknown:
        y[i] = 0.0
    right = np.empty(m)
    for i in range(m):
        at = unknown[i]
        total = own[0] * y[at]
        for lag in range(1, order + 1):
            if at >= lag:
                total += own[lag] * y[at - lag]
            if at + lag < n:
                total += own[lag] * y[at + lag]
        right[i] = -total
    values = np.zeros(m)
    free = np.ones(m, np.bool_)
    for _ in range(4):
        places = np.flatnonzero(free)
        k = len(places)
        if k:
            system, target = np.zeros((k, k)), np.empty(k)
            for i in range(k):
                target[i] = right[places[i]]
                for j in range(m):
                    if not free[j]:
                        lag = abs(unknown[places[i]] - unknown[j])
                        if lag <= order:
                            target[i] -= own[lag] * sign[j] * bound[j]
                for j in range(i, k):
                    lag = abs(unknown[places[i]] - unknown[places[j]])
                    if lag > order:
                        break
                    system[i, j] = own[lag]
                    system[j, i] = own[lag]
                system[i, i] += 1e-9 * own[0]
            found = np.linalg.solve(system, target)
            for i in range(k):
                values[places[i]] = found[i]
        settled = True
        for i in range(m):
            if free[i] and sign[i] * values[i] < bound[i]:
                free[i] = False
                settled = False
            if not free[i]:
                values[i] = sign[i] * bound[i]
        if settled:
            break
    for i in range(m):
        values[i] = sign[i] * max(sign[i] * values[i], bound[i])
    return values


@kernel()
def draw(x: F64, unknown: I64, sign: F64, bound: F64, order: int, passes: int) -> F64:
    """Values (m,) of the unknown samples of x (n,), which are written into x too: fit and solve in turn, `passes` times. The rest as in `solve`."""
    n = len(x)
    window = np.empty(n)
    for i in range(n):
        window[i] = 0.1 + 0.9 * (0.5 - 0.5 * np.cos(2 * np.pi * (i + 1) / (n + 1)))
    values = np.zeros(len(unknown))
    for _ in range(passes):
        values = solve(x, unknown, sign, bound, fit(x, window, order), order)
        for i in range(len(unknown)):
            x[unknown[i]] = values[i]
    return values
