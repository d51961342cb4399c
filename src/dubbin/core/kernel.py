"""How loops that can't be vectorised are compiled: one decorator, with what all of them have in common.

They stand in modules called `*_kernels.py`. Each is compiled by numba for the kinds of values that it is called with, when it is first called with them. The code
is kept between runs, and called without numba, which takes half a second to import and hundredths to make a kernel ready that it has kept itself: only who
compiles needs it. Every kernel has a plain NumPy twin in `tests/core/test_kernels.py` that it must equal.
"""

from __future__ import annotations

import functools
import threading
from collections.abc import Callable
from typing import Any, TypeAlias, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from dubbin.core.kernel_code import Code, callable_of
from dubbin.core.kernel_files import keep, kept, stamp_of
from dubbin.core.kernel_kinds import Function, Kind, kind_of, signature_of
from dubbin.core.kernel_place import file_of

F = TypeVar("F", bound=Function)
F32: TypeAlias = NDArray[np.float32]
F64: TypeAlias = NDArray[np.float64]
C64: TypeAlias = NDArray[np.complex64]
I32: TypeAlias = NDArray[np.int32]
I64: TypeAlias = NDArray[np.int64]
Bools: TypeAlias = NDArray[np.bool_]


class Kernel:
    """A function of arrays and numbers, compiled for each combination of their kinds. It runs without Python's lock."""

    def __init__(self, function: Function, **options: object) -> None:
        """options: of numba's `njit`."""
        functools.update_wrapper(self, function)
        self.py_func = function  # what is compiled in it is asked for by this name, and by the next
        self.targetoptions = {"nogil": True, "error_model": "numpy", **options}
        self._ready: dict[tuple[Kind, ...], Function] = {}
        self._lock = threading.Lock()
        self._compiling: Any = None

    def __call__(self, *values: object) -> Any:
        kinds = tuple([kind_of(value) for value in values])
        ready = self._ready.get(kinds)
        if ready is None:
            ready = self._made_ready(kinds, values)
        return ready(*values)

    def _made_ready(self, kinds: tuple[Kind, ...], values: tuple[object, ...]) -> Function:
        """From code that was kept, or else compiled, and kept for the next time."""
        with self._lock:
            if kinds not in self._ready:
                signature = signature_of(kinds)
                code = self._code(signature, values) if signature is not None else None
                self._ready[kinds] = self._compilable if code is None else callable_of(code, self.py_func)
            return self._ready[kinds]

    def _code(self, signature: str, values: tuple[object, ...]) -> Code | None:
        path, stamp = file_of(self.py_func, signature), stamp_of(self.py_func, self.targetoptions)
        code = kept(path, stamp)
        if code is None:
            from dubbin.core.kernel_compiler import compiled

            code = compiled(self._compilable, values)
            if code is not None:
                keep(path, stamp, code)
        return code

    @property
    def _compilable(self) -> Any:
        """The function as the compiler takes it."""
        if self._compiling is None:
            from dubbin.core.kernel_compiler import compilable

            self._compiling = compilable(self.py_func, self.targetoptions)
        return self._compiling

    @property
    def _numba_type_(self) -> Any:
        """What a kernel is that another one calls: the compiler asks for it."""
        return self._compilable._numba_type_


def kernel(*, fastmath: bool = False) -> Callable[[F], F]:
    """Compile a function of arrays and numbers; it runs without Python's lock, and its code is kept between runs.

    fastmath: sums may be taken in another order, so that they become vector instructions.
    """

    def compiled(function: F) -> F:
        return cast(F, Kernel(function, fastmath=fastmath))

    return compiled


def inlined(*, fastmath: bool = False) -> Callable[[F], F]:
    """Compile a function that other kernels take into themselves."""

    def compiled(function: F) -> F:
        return cast(F, Kernel(function, fastmath=fastmath, inline="always"))

    return compiled
