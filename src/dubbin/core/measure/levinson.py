"""Levinson's recursion for other kernels: the prediction-error filter of one autocorrelation."""

from __future__ import annotations

from numba import njit


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def levinson(r, a, old, order):  # type: ignore[no-untyped-def]
    """Fill a (order + 1,), a[0] being 1, from r (order + 1,); old is room to work in.

    r[0] is raised a little, so that a sound that can be predicted exactly does no harm.
    """
    r[0] = r[0] * (1 + 1e-7) + 1e-12
    a[:] = 0.0
    a[0] = 1.0
    error = r[0]
    for k in range(1, order + 1):
        total = 0.0
        for j in range(k):
            total += a[j] * r[k - j]
        reflection = -total / error
        old[:k] = a[:k]
        for j in range(1, k + 1):
            a[j] += reflection * old[k - j]
        error = max(error * (1 - reflection * reflection), 1e-18)
