"""Keeps the program's memory near what it holds: GNU's allocator gives every thread a heap of its own and keeps what was freed there.

Where another C library is in use, nothing is done.
"""

from __future__ import annotations

import ctypes
from functools import lru_cache

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8  # of mallopt(3)
MAPPED_FROM = 16 << 20  # bytes: left to itself, the allocator raises this to the largest block that was ever freed, and keeps such blocks
# Of what is free at the end of the heap, so much stays: with the threshold above it would be 128 KB, and every block of sound be asked for anew and filled with zeros by
# the system (half of the page faults of a whole card, and a tenth of the recogniser's time). `give_back` returns it.
KEPT_FREE = 128 << 20


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL | None:
    try:
        library = ctypes.CDLL(None)
    except OSError:
        return None
    return library if hasattr(library, "mallopt") and hasattr(library, "malloc_trim") else None


def share_one_heap() -> None:
    """One heap for all threads, to be called before any starts: work that goes from thread to thread finds what the last one freed."""
    library = _library()
    if library is not None:
        library.mallopt(M_ARENA_MAX, 1)
        library.mallopt(M_MMAP_THRESHOLD, MAPPED_FROM)
        library.mallopt(M_TRIM_THRESHOLD, KEPT_FREE)


def give_back() -> None:
    """Return freed memory to the system; takes some milliseconds."""
    library = _library()
    if library is not None:
        library.malloc_trim(0)
