"""How compiled code of kernels is kept between runs, and when it is current.

A file appears whole or not at all, so programs that compile at once do not disturb one another. The kernels and
numbers that a module imports are compiled into its own: code is current as long as the sources of all of these are as they were, and the machine too.
"""

from __future__ import annotations

import hashlib
import os
import re
import sys
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from functools import cache
from pathlib import Path

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.kernel_code import Code, machine
from dubbin.core.kernel_kinds import Function

DECORATOR = "dubbin.core.kernel"  # what it says of a kernel is among the options
IMPORT = re.compile(r"^from (\w+(?:\.\w+)*) import ", re.MULTILINE)
SEAL = hashlib.blake2b().digest_size


def stamp_of(function: Function, options: Mapping[str, object]) -> str:
    """Of all that goes into the code of a function. options: of the compiler."""
    said = (function.__module__, function.__qualname__, *(f"{name}={value}" for name, value in sorted(options.items())))
    return hashlib.blake2b("\0".join((*said, sources_of(function.__module__), _machine())).encode()).hexdigest()


_machine = cache(machine)


@cache
def sources_of(module: str) -> str:
    """Digest of a module's source and of all of its own package that goes into it."""
    found: dict[str, str] = {}
    ahead = [module]
    while ahead:
        name = ahead.pop()
        if name not in found and (text := _source(name)) is not None:
            found[name] = text
            ahead += [m for m in IMPORT.findall(text) if m.partition(".")[0] == module.partition(".")[0] and m != DECORATOR]
    return hashlib.blake2b("\0".join(f"{name}\0{text}" for name, text in sorted(found.items())).encode()).hexdigest()


@cache
def _source(name: str) -> str | None:
    """Of a module that is imported; None where it has no source that can be read."""
    path = getattr(sys.modules.get(name), "__file__", None)
    with suppress(OSError, UnicodeDecodeError):
        return Path(path).read_text("utf-8") if path is not None else None
    return None


class _Kept(msgspec.Struct, frozen=True):
    stamp: str
    code: Code


def kept(path: Path, stamp: str) -> Code | None:
    """What is kept there; None where nothing is, or what is no longer current, or not whole."""
    with suppress(OSError, msgspec.DecodeError):
        data = path.read_bytes()
        if hashlib.blake2b(data[SEAL:]).digest() == data[:SEAL]:
            found = msgspec.msgpack.decode(data[SEAL:], type=decodable(_Kept))
            return found.code if found.stamp == stamp else None
    return None


def keep(path: Path, stamp: str, code: Code) -> None:
    """Keep code for the next run, in the place of what was there. Where it can't be kept, the work for which it was compiled goes on."""
    data = msgspec.msgpack.encode(_Kept(stamp, code))
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        part, name = tempfile.mkstemp(suffix=".part", prefix=path.stem, dir=path.parent)
        try:
            with os.fdopen(part, "wb") as file:
                file.write(hashlib.blake2b(data).digest() + data)
            os.replace(name, path)
        except OSError:
            os.unlink(name)
