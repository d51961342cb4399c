"""What kinds of values a kernel is called with: its code is for these and no others."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, TypeAlias

import numpy as np

C_ORDER, FORTRAN_ORDER, ALIGNED, WRITEABLE = 0x1, 0x2, 0x100, 0x400  # of NumPy's flags, as numbers
TOLD_APART = C_ORDER | FORTRAN_ORDER | ALIGNED | WRITEABLE
NUMBERS = {int: "i8", float: "f8", bool: "b1"}

Kind: TypeAlias = "type | tuple[np.dtype[Any], int, int]"
Function: TypeAlias = Callable[..., Any]  # of arrays and numbers; what comes of it depends on them


def kind_of(value: object) -> Kind:
    """Of an array its type, dimensions and how it lies in memory; of anything else its class. Called for each value of each call, so it does little."""
    if isinstance(value, np.ndarray):  # one that lies in a file, too
        return value.dtype, value.ndim, value.flags.num & TOLD_APART
    return type(value)


def signature_of(kinds: Iterable[Kind]) -> str | None:
    """A name for a combination of kinds, fit for a file's name ("f4c2_f8c1r_i8"); None where code for it is not kept: it holds what is neither array nor number."""
    names = [_name_of(kind) for kind in kinds]
    return None if None in names else "_".join(name for name in names if name is not None)


def _name_of(kind: Kind) -> str | None:
    if isinstance(kind, type):
        return np.dtype(kind).str[1:] if issubclass(kind, np.generic) and kind.__name__ != "generic" else NUMBERS.get(kind)
    dtype, dimensions, flags = kind
    if not dtype.isnative or not flags & ALIGNED or dtype.kind not in "biufc":
        return None
    order = "c" if flags & C_ORDER else "f" if flags & FORTRAN_ORDER else "a"
    return f"{dtype.str[1:]}{order}{dimensions}{'' if flags & WRITEABLE else 'r'}"
