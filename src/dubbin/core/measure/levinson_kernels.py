"""Levinson's recursion for other kernels: the prediction-error filter of one autocorrelation."""

from __future__ import annotations

from dubbin.core.kernel import F64, kernel


@kernel(fastmath=True)
def levinson(r: F64, a: F64, old: F64, order: int) -> None:
    """Fill a (order + 1,), a[0] being 1, from r (order + 1,); old is room to work in.

    r[0] is raised a little, so that a sound that can be predicted exactly does no harm.
    """
    r[0] = r[0] * (1 + 1e-7) + 1e-12
    for k in range(order + 1):
        a[k] = 0.0
    a[0] = 1.0
    error = r[0]
    for k in range(1, order + 1):
        total = 0.0
        for j in range(k):
            total += a[j] * r[k - j]
        reflection = -total / error
        for j in range(k):
            old[j] = a[j]
        for j in range(1, k + 1):
            a[j] += reflection * old[k - j]
        error = max(error * (1 - reflection * reflection), 1e-18)
