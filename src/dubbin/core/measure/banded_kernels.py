"""Symmetric, positive definite systems of which only a band around the diagonal is not 0, for other kernels: Cholesky's factor of them, solutions, and the diagonal of the
inverse without the rest of it (Takahashi, Fagan and Chin, "Formation of a sparse bus impedance matrix", 1973).

A band (m, width + 1) holds at [i, d] the element of row i and column i - d."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, kernel

LEAST_PIVOT = 1e-14  # of the diagonal: rounding must not end a factor


@kernel()
def factorise(band: F64) -> None:
    """Put Cholesky's lower factor in place of the lower half of a system."""
    m, width = len(band), band.shape[1] - 1
    for i in range(m):
        least = LEAST_PIVOT * band[i, 0]
        for j in range(max(i - width, 0), i + 1):
            total = band[i, i - j]
            for k in range(max(i - width, 0), j):
                total -= band[i, i - k] * band[j, j - k]
            band[i, i - j] = np.sqrt(max(total, least)) if i == j else total / band[j, 0]


@kernel()
def solution(factor: F64, right: F64) -> F64:
    """What solves the system for `right` (m,)."""
    m, width = len(factor), factor.shape[1] - 1
    x = right.copy()
    for i in range(m):
        for k in range(max(i - width, 0), i):
            x[i] -= factor[i, i - k] * x[k]
        x[i] /= factor[i, 0]
    for i in range(m - 1, -1, -1):
        for k in range(i + 1, min(i + width + 1, m)):
            x[i] -= factor[k, k - i] * x[k]
        x[i] /= factor[i, 0]
    return x


@kernel()
def inverse_diagonal(factor: F64) -> F64:
    """The diagonal (m,) of the system's inverse: of that only a band as wide is worked out, from below."""
    m, width = len(factor), factor.shape[1] - 1
    inverse, out = np.zeros((m, width + 1)), np.empty(m)  # inverse[j, d]: row j, column j - d
    for i in range(m - 1, -1, -1):
        last = min(i + width, m - 1)
        for j in range(last, i - 1, -1):
            total = 1.0 / factor[i, 0] if j == i else 0.0
            for k in range(i + 1, last + 1):
                total -= factor[k, k - i] * inverse[max(j, k), abs(j - k)]
            inverse[j, j - i] = total / factor[i, 0]
        out[i] = inverse[i, 0]
    return out
