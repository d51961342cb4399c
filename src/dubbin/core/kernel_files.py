"""Where compiled kernels are kept between runs, safely while several programs compile at once.

numba gives the code of each signature a number and notes it in an index before the code is there. Of two programs that compile two signatures of one kernel
at the same moment both may take the same number: from then on one signature is run with the code of the other, which reads and writes where nothing of its
is. Here one writes after the other, and nothing is in the index before it is there.

Before it takes code from there numba imports and declares everything that it can compile, which takes a program half a second. Code that is compiled already
asks for the runtime alone, which counts references to arrays; a signature that must be compiled has the rest declared by the compiler itself.

And numba takes code for current as long as the kernel's own module is as it was. But the kernels and numbers that a module imports are compiled into its own: here it is
current as long as all of these modules are.
"""

from __future__ import annotations

import fcntl
import os
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path

from numba.core.caching import FunctionCache, IndexDataCacheFile
from numba.core.runtime.nrt import rtsys

LOCK = "kernels.lock"  # a file in the folder of the code, held while something is written there
IMPORT = re.compile(r"^from (\w+(?:\.\w+)*) import ", re.MULTILINE)
Stamp = tuple[tuple[str, float, int], ...]


def stamp_of(module: str) -> Stamp:
    """Name, time and size of a module's source and of all that of its own package goes into it."""
    found: dict[str, tuple[str, float, int]] = {}
    ahead = [module]
    while ahead:
        name = ahead.pop()
        if name not in found and (known := _source(name)) is not None:
            found[name], imported = known
            ahead += [other for other in imported if other.partition(".")[0] == module.partition(".")[0]]
    return tuple(sorted(found.values()))


@cache
def _source(name: str) -> tuple[tuple[str, float, int], tuple[str, ...]] | None:
    """Stamp of a module that is imported, and what it imports from; None where it has no source that can be read."""
    path = getattr(sys.modules.get(name), "__file__", None)
    if path is None:
        return None
    try:
        status = os.stat(path)
        return (name, status.st_mtime, status.st_size), tuple(IMPORT.findall(Path(path).read_text("utf-8")))
    except (OSError, UnicodeDecodeError):
        return None


class CodeFile(IndexDataCacheFile):
    """The index and the code of one kernel."""

    def save(self, key: object, data: object) -> None:
        """Keep the code of one signature. key: by which numba knows it. Where the disk is full it is not kept: the work for which it was compiled goes on."""
        with suppress(OSError), self._alone():
            index = self._load_index()
            if key not in index:
                taken = set(index.values())
                index[key] = next(name for number in range(1, len(taken) + 2) if (name := self._data_name(number)) not in taken)
            self._save_data(index[key], data)
            self._save_index(index)

    @contextmanager
    def _alone(self) -> Iterator[None]:
        with open(self._data_path(LOCK), "a") as lock:
            with suppress(OSError):  # folders of a network that know no locks
                fcntl.flock(lock, fcntl.LOCK_EX)
            yield


class CodeCache(FunctionCache):
    """As numba's own, by a CodeFile."""

    def __init__(self, function: Callable[..., object]) -> None:
        super().__init__(function)
        place = self._impl.locator
        stamp = (place.get_source_stamp(), stamp_of(function.__module__))
        self._cache_file = CodeFile(place.get_cache_path(), self._impl.filename_base, stamp)

    def load_overload(self, sig: object, target_context: object) -> object:
        """The compiled code of a signature, or None where it must be compiled."""
        rtsys.initialize(target_context)
        return self._load_overload(sig, target_context)
