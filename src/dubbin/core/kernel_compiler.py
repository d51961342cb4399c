"""The compiler of kernels, numba. Who finds all that is asked for kept does not need it."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import chain
from typing import Any

import numpy as np
from numba import njit
from numba.core.typing.typeof import typeof

from dubbin.core.kernel_code import Code, can_be_called
from dubbin.core.kernel_kinds import Function


def compilable(function: Function, options: Mapping[str, Any]) -> Any:
    """The function as the compiler takes it; called, it compiles itself, and keeps nothing. options: of `njit`."""
    return njit(**options)(function)


def compiled(function: Any, values: tuple[object, ...]) -> Code | None:
    """Code of what is compilable, for values of these kinds; None where it can't be used without the compiler."""
    signature = tuple(typeof(value) for value in values)
    function.compile(signature)
    result = function.overloads[signature]
    module, constants = result.library._final_module, result.environment.consts
    asked = [f.name for f in chain(module.functions, module.global_variables) if f.is_declaration and not f.name.startswith("llvm.")]
    if result.reload_init or result.lifted or not all(isinstance(c, np.dtype) for c in constants) or not all(map(can_be_called, asked)):
        return None
    names = result.fndesc.llvm_cpython_wrapper_name, result.environment.env_name
    return Code(bytes(result.library._get_compiled_object()), *names, tuple(c.str for c in constants))
