"""Logarithm and exponential for kernels that need millions of them, good to 2e-5: from a float's own bits and a polynomial.

Gains are applied to sound, where an error of 0.0002 dB is far below what anyone could measure. Compilers turn these into
vector instructions, which calls of the mathematics library prevent. Polynomials: least-squares fits over one octave.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from dubbin.core.kernel import inlined


def _polynomial(function: Callable[[Any], Any], degree: int) -> tuple[np.float32, ...]:
    """Chebyshev fit over 0 to 1, exact at 0, highest power first."""
    x = 0.5 - 0.5 * np.cos(np.pi * (np.arange(400) + 0.5) / 400)
    fit = np.polynomial.polynomial.polyfit(x, function(x), degree)
    return tuple(np.float32(c) for c in fit[::-1])


A5, A4, A3, A2, A1, A0 = _polynomial(lambda x: np.log2(1 + x), 5)
B4, B3, B2, B1, B0 = _polynomial(lambda x: 2.0**x, 4)
MANTISSA, ONE_BITS, BIAS, ONE = np.int32(0x7FFFFF), np.int32(0x3F800000), np.int32(127), np.float32(1.0)


@inlined(fastmath=True)
def log2(x: Any) -> Any:
    """Of a float32 above 0."""
    bits = np.float32(x).view(np.int32)
    exponent = np.float32((bits >> 23) - BIAS)
    m = np.int32((bits & MANTISSA) | ONE_BITS).view(np.float32) - ONE
    return exponent + (((((A5 * m + A4) * m + A3) * m + A2) * m + A1) * m + A0)


@inlined(fastmath=True)
def exp2(x: Any) -> Any:
    """Of a float32 from -126 to 126."""
    whole = np.floor(x)
    m = np.float32(x - whole)
    power = np.int32((np.int32(whole) + BIAS) << 23).view(np.float32)
    return power * ((((B4 * m + B3) * m + B2) * m + B1) * m + B0)
