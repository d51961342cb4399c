"""What every process does that works on a foreign file for another one: it keeps within limits, and writes messages.

A message is a letter and a length, then as many bytes. `u` says in a sentence why a file can't be used; `e` that all is done. A message that does not come means that what reads
the file has failed.
"""

from __future__ import annotations

import os
import resource
import struct
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

from dubbin.core.texts import use_language

HEAD = struct.Struct("<cI")
MOST_BYTES = 4 << 30  # of memory: a header that asks for more is no sound file that anybody has recorded
THREAD_BYTES = 32 << 20  # of address space, for each thread that a codec may start


def begin(code: str, folders: Sequence[str]) -> None:
    """Speak the language of who asked, within limits of memory. folders: of texts."""
    use_language([code], [Path(f) for f in folders])
    _, most = resource.getrlimit(resource.RLIMIT_AS)
    wanted = MOST_BYTES + (os.cpu_count() or 1) * THREAD_BYTES
    limit = wanted if most == resource.RLIM_INFINITY else min(wanted, most)
    resource.setrlimit(resource.RLIMIT_AS, (limit, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def tell(out: BinaryIO, kind: bytes, *parts: bytes) -> None:
    """Write a message."""
    out.write(HEAD.pack(kind, sum(map(len, parts))))
    for part in parts:
        out.write(part)
    out.flush()
