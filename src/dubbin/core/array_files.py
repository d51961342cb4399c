"""Arrays of numbers in files, in NumPy's own form (NEP 1): what is kept beside recordings, and what small networks of our own have learnt.

np.load evaluates the head of a file as Python text, and Python 3.11 counts how deep that goes with one number for all threads (python/cpython#106905): of two files
read at once, one can end as a SystemError. Here a head is matched, not evaluated.
"""

from __future__ import annotations

import re
import zipfile
from importlib.resources import files
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

MAGIC = b"\x93NUMPY\x01\x00"
HEAD = re.compile(rb"\{'descr': '([<|][biuf]\d+)', 'fortran_order': (True|False), 'shape': \((|\d+,|\d+(?:, \d+)+)\), \} *\n")


def array_in(data: bytes) -> NDArray[Any]:
    """The array of numbers that a file (.npy) holds, not to be written to: it stands in `data`.

    Raises ValueError where that is no such file, or not all of it.
    """
    start = len(MAGIC) + 2
    offset = start + int.from_bytes(data[len(MAGIC) : start], "little")
    head = HEAD.fullmatch(data[start:offset])
    if not data.startswith(MAGIC) or head is None:
        raise ValueError("no array of numbers")
    try:
        shape = tuple(int(size) for size in head[3].split(b",") if size)
        flat = np.frombuffer(data, np.dtype(head[1].decode()), prod(shape), offset)
        return flat.reshape(shape, order="F" if head[2] == b"True" else "C")
    except (TypeError, OverflowError) as error:  # a kind of number that there is not, a size beyond all
        raise ValueError(str(error)) from error


def weights(package: str, name: str) -> dict[str, NDArray[Any]]:
    """The arrays of numbers in `weights/NAME.npz` of a package, by their names."""
    with (files(package) / "weights" / f"{name}.npz").open("rb") as file, zipfile.ZipFile(file) as stored:
        return {entry.removesuffix(".npy"): array_in(stored.read(entry)) for entry in stored.namelist()}
