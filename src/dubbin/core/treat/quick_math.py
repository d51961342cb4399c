"""Logarithm and exponential for kernels that need millions of them, good to 2e-5: from a float's own bits and a polynomial.

Gains are applied to sound, where an error of 0.0002 dB is far below what anyone could measure. Compilers turn these into
vector instructions, which calls of the mathematics library prevent. Polynomials: least-squares fits over one octave.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np


def _polynomial(function: Any, degree: int) -> tuple[np.float32, ...]:
    """Chebyshev fit over 0 to 1, exact at 0, highest power first."""
    x = 0.5 - 0.5 * np.cos(np.pi * (np.arange(400) + 0.5) / 400)
    fit = np.polynomial.polynomial.polyfit(x, function(x), degree)
    return tuple(np.float32(c) for c in fit[::-1])


@lru_cache(maxsize=1)
def kernels() -> tuple[Any, Any]:
    """(log2, exp2), to be called from other numba kernels with float32; log2 takes x > 0, exp2 takes -126 to 126."""
    from numba import njit

    a5, a4, a3, a2, a1, a0 = _polynomial(lambda x: np.log2(1 + x), 5)
    b4, b3, b2, b1, b0 = _polynomial(lambda x: 2.0**x, 4)
    mantissa, one_bits, bias = np.int32(0x7FFFFF), np.int32(0x3F800000), np.int32(127)
    one = np.float32(1.0)

    @njit(nogil=True, inline="always", fastmath=True, error_model="numpy")
    def log2(x):  # type: ignore[no-untyped-def]
        bits = np.float32(x).view(np.int32)
        exponent = np.float32((bits >> 23) - bias)
        m = np.int32((bits & mantissa) | one_bits).view(np.float32) - one
        return exponent + (((((a5 * m + a4) * m + a3) * m + a2) * m + a1) * m + a0)

    @njit(nogil=True, inline="always", fastmath=True, error_model="numpy")
    def exp2(x):  # type: ignore[no-untyped-def]
        whole = np.floor(x)
        m = np.float32(x - whole)
        power = np.int32((np.int32(whole) + bias) << 23).view(np.float32)
        return power * ((((b4 * m + b3) * m + b2) * m + b1) * m + b0)

    return log2, exp2
