"""The compiled part of `interpolation`: fit a model, solve for what is missing, fit again."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, I64, kernel
from dubbin.core.measure.banded_kernels import factorise, inverse_diagonal, solution
from dubbin.core.measure.levinson_kernels import levinson

LEAST_POWER = 1e-14


@kernel(fastmath=True)
def predictor(x: F64, window: F64, order: int) -> F64:
    """Prediction-error filter (order + 1,) of x (n,), fitted behind the window (n,) by the autocorrelation method."""
    n = len(x)
    y = np.empty(n)
    for i in range(n):
        y[i] = x[i] * window[i]
    r, a, old = np.empty(order + 1), np.zeros(order + 1), np.empty(order + 1)
    for k in range(order + 1):
        later = y[k:]
        total = 0.0
        for i in range(n - k):
            total += y[i] * later[i]
        r[k] = total
    levinson(r, a, old, order)
    return a


@kernel(fastmath=True)
def own_products(a: F64) -> F64:
    """Autocorrelation (n,) of a filter (n,)."""
    n = len(a)
    own = np.zeros(n)
    for k in range(n):
        total = 0.0
        for i in range(n - k):
            total += a[i] * a[i + k]
        own[k] = total
    return own


@kernel()
def raised_cosine(n: int) -> F64:
    """The window (n,) behind which a model is fitted."""
    window = np.empty(n)
    for i in range(n):
        window[i] = 0.1 + 0.9 * (0.5 - 0.5 * np.cos(2 * np.pi * (i + 1) / (n + 1)))
    return window


@kernel()
def solve(x: F64, unknown: I64, sign: F64, bound: F64, own: F64, order: int) -> F64:
    """Values (m,) of the unknown samples of x (n,) that leave the least prediction error.

    unknown: (m,) their indices, rising. sign, bound: (m,) of each, its sign times the value is at least the bound. own: products of the prediction-error filter with itself. order: of the model."""
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
    free, places = np.ones(m, np.bool_), np.empty(m, np.int64)
    for _ in range(4):
        k = 0
        for i in range(m):
            if free[i]:
                places[k] = i
                k += 1
        if k:
            system, target = np.zeros((k, order + 1)), np.empty(k)
            for i in range(k):
                target[i] = right[places[i]]
                for j in range(m):
                    if not free[j]:
                        lag = abs(unknown[places[i]] - unknown[j])
                        if lag <= order:
                            target[i] -= own[lag] * sign[j] * bound[j]
                for j in range(i, -1, -1):
                    lag = unknown[places[i]] - unknown[places[j]]
                    if lag > order:
                        break
                    system[i, i - j] = own[lag]
                system[i, 0] += 1e-9 * own[0]
            factorise(system)
            found = solution(system, target)
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
    window = raised_cosine(len(x))
    values = np.zeros(len(unknown))
    for _ in range(passes):
        values = solve(x, unknown, sign, bound, own_products(predictor(x, window, order)), order)
        for i in range(len(unknown)):
            x[unknown[i]] = values[i]
    return values


@kernel()
def smoothed(x: F64, width: int) -> F64:
    """Mean (n,) of `width` values of x (n,) around each, an odd number; the first and the last go on beyond the ends."""
    n, half = len(x), width // 2
    out = np.empty(n)
    for i in range(n):
        total = 0.0
        for k in range(i - half, i + half + 1):
            total += x[min(max(k, 0), n - 1)]
        out[i] = total / width
    return out


@kernel()
def uncover(x: F64, recorded: F64, first: int, order: int, width: int, weight: float, rounds: int) -> F64:
    """Samples (m,) of the sound under noise that was added to it from index `first` of x on.

    x: (n,) the sound around, with a first guess of what is under the noise. recorded: (m,) what was recorded there. order: of the sound's model. width: samples
    over which the power of the noise is smoothed. weight: how much more the model counts than what was recorded. rounds: in which sound and noise power are estimated in turn."""
    n, m = len(x), len(recorded)
    a = predictor(x, raised_cosine(n), order)
    own = own_products(a)
    total, count = 0.0, 0
    for i in range(order, n):
        if i < first or i >= first + m + order:
            error = 0.0
            for k in range(order + 1):
                error += a[k] * x[i - k]
            total += error * error
            count += 1
    excitation = total / max(count, 1) + LEAST_POWER
    right, system = np.empty(m), np.zeros((m, order + 1))
    for i in range(m):
        at, pull = first + i, 0.0
        for lag in range(1, order + 1):
            before, after = at - lag, at + lag
            if 0 <= before < first:
                pull += own[lag] * x[before]
            if first + m <= after < n:
                pull += own[lag] * x[after]
        right[i] = -pull
        for lag in range(min(order, i) + 1):
            system[i, lag] = own[lag]
    # What the recorded sound's own prediction errors leave over the excitation is the noise, as the filter passes it on.
    whole = x.copy()
    for i in range(m):
        whole[first + i] = recorded[i]
    power = np.empty(m)
    for i in range(m):
        error = 0.0
        for k in range(min(order, first + i) + 1):
            error += a[k] * whole[first + i - k]
        power[i] = max(error * error - excitation, 0.0) / own[0]
    power = smoothed(power, width)
    y = recorded
    for _ in range(rounds):
        trust = weight * excitation / (power + LEAST_POWER)
        factor = system.copy()
        factor[:, 0] += trust
        factorise(factor)
        y = solution(factor, right + trust * recorded)
        power = smoothed((recorded - y) ** 2 + excitation * inverse_diagonal(factor), width)
    return y
