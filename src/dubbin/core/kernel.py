"""How loops that can't be vectorised are compiled: one decorator, with what all of them have in common.

They stand in modules called `*_kernels.py`, imported where they are called: numba takes half a second to import, and keeps compiled code between runs
only of functions that are not closures. Every kernel has a plain NumPy twin in `tests/core/test_kernels.py` that it must equal.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias, TypeVar, cast

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dubbin.core.kernel_files import CodeCache

F = TypeVar("F", bound=Callable[..., Any])
F32: TypeAlias = NDArray[np.float32]
F64: TypeAlias = NDArray[np.float64]
C64: TypeAlias = NDArray[np.complex64]
I32: TypeAlias = NDArray[np.int32]
I64: TypeAlias = NDArray[np.int64]
Bools: TypeAlias = NDArray[np.bool_]


def kernel(*, fastmath: bool = False) -> Callable[[F], F]:
    """Compile a function of arrays and numbers; it runs without Python's lock, and its code is kept between runs.

    fastmath: sums may be taken in another order, so that they become vector instructions.
    """

    def compiled(function: F) -> F:
        dispatcher: Any = njit(nogil=True, fastmath=fastmath, error_model="numpy")(function)
        dispatcher._cache = CodeCache(function)  # as enable_caching of it does
        return cast(F, dispatcher)

    return compiled


def inlined(*, fastmath: bool = False) -> Callable[[F], F]:
    """Compile a function that other kernels take into themselves."""
    return cast(Callable[[F], F], njit(nogil=True, inline="always", fastmath=fastmath, error_model="numpy"))
