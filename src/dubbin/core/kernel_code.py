"""Compiled code of kernels is made callable, without the compiler.

Its code holds a function that Python can call (it takes arrays and numbers apart, lets go of Python's lock, and puts together what comes back). LLVM lays the code out in
memory; what it calls there are the compiled parts of numba's runtime, which counts references to arrays, and Python itself. So numba is not imported (half a second).
"""

from __future__ import annotations

import builtins
import ctypes
import pickle
import sys
import threading
from functools import cache
from types import ModuleType
from typing import cast

import msgspec
import numpy as np

from dubbin.core.compiled_module import compiled_module, folder_of
from dubbin.core.kernel_kinds import Function

_lock = threading.Lock()  # LLVM's engines are made one after the other


class Code(msgspec.Struct, frozen=True):
    """One function, compiled for one combination of kinds of values."""

    object_code: bytes  # as a linker takes it
    entry: str  # name in it of what Python calls
    environment: str  # name in it of the place for the address of what is constant
    constants: tuple[str, ...]  # types of the arrays that it returns


def callable_of(code: Code, function: Function) -> Function:
    """The code as a function. function: of which it was compiled, for its name and module."""
    import llvmlite.binding as llvm

    functions, _ = _runtime()
    with _lock:
        machine = llvm.Target.from_triple(llvm.get_process_triple()).create_target_machine(jit=True)
        engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), machine)  # one each: two may hold helpers of one name
        engine.add_object_file(llvm.ObjectFileRef.from_data(code.object_code))
        engine.finalize_object()
    environment = functions.Environment({})
    environment.consts.extend(np.dtype(name) for name in code.constants)
    ctypes.c_void_p.from_address(engine.get_global_value_address(code.environment)).value = id(environment)
    address, name = engine.get_function_address(code.entry), function.__name__
    return cast(
        Function,
        functions.make_function(sys.modules[function.__module__], name, function.__doc__ or "", address, environment, (engine,)),
    )


def can_be_called(name: str) -> bool:
    """Whether a function or a variable of that name is there for compiled code. What asks for anything else ends the program as it is laid out."""
    return name in _runtime()[1] or hasattr(ctypes.pythonapi, name)  # of Python and of what it is linked with; the compiler itself has more


def machine() -> str:
    """Whose code this is: the processor and what it can do, and the libraries by which it is compiled and laid out."""
    import llvmlite.binding as llvm

    place = folder_of("numba")
    version = (place / "_version.py").read_text("utf-8") if place is not None else ""
    return "\n".join(
        (llvm.get_host_cpu_name(), llvm.get_host_cpu_features().flatten(), *map(str, llvm.llvm_version_info), version, sys.version)
    )


_constants: dict[int, object] = {}


def _constant_at(place: int, length: int, _: int) -> object:
    """What is constant in compiled code, and no number: the class of the arrays that it returns, the errors that it raises. place: of it, pickled."""
    if place not in _constants:
        _constants[place] = pickle.loads(ctypes.string_at(place, length))
    return _constants[place]


_asked_for_constant = ctypes.PYFUNCTYPE(ctypes.py_object, ctypes.c_void_p, ctypes.c_int, ctypes.c_void_p)(_constant_at)


@cache
def _runtime() -> tuple[ModuleType, frozenset[str]]:
    """What makes functions of addresses, and the names by which compiled code calls numba's runtime and Python's errors; known to LLVM from here on."""
    import llvmlite.binding as llvm

    functions, helpers, arrays = (compiled_module(f"numba.{name}") for name in ("_dynfunc", "_helperlib", "core.runtime._nrt_python"))
    arrays.memsys_use_cpython_allocator()
    errors = {f"PyExc_{e.__name__}": id(e) for e in vars(builtins).values() if isinstance(e, type) and issubclass(e, BaseException)}
    named = {
        **{f"numba_{name}": address for module in (helpers, functions) for name, address in module.c_helpers.items()},
        **{name if name.startswith("_") else f"NRT_{name}": address for name, address in arrays.c_helpers.items()},
        "numba_unpickle": ctypes.cast(_asked_for_constant, ctypes.c_void_p).value,  # the compiler's own imports the compiler
        **errors,  # the compiler takes these names for the errors themselves, and not for where Python keeps them
        "_Py_NoneStruct": id(None),
    }
    with _lock:
        llvm.initialize_native_target()
        llvm.initialize_native_asmprinter()
        for name, address in named.items():
            llvm.add_symbol(name, address)
    return functions, frozenset(named)
