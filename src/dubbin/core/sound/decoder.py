"""A process that decodes one sound file for another: `python -m dubbin.core.sound.decoder look|read PATH LANGUAGE [FOLDER …]`.

It writes messages to its standard output: a letter and a length, then as many bytes. `i`: what the header says, as JSON. `s`: the number of channels, and a block
of float32 samples, channel after channel. `u`: a sentence why the file can't be used. `e`: the end. A message that does not come means that a decoder has failed.
"""

from __future__ import annotations

import os
import resource
import struct
import sys
from pathlib import Path
from typing import BinaryIO

import msgspec

from dubbin.core.errors import UnusableSound
from dubbin.core.texts import use_language

HEAD = struct.Struct("<cI")
CHANNELS = struct.Struct("<I")
MOST_BYTES = 4 << 30  # of memory: a header that asks for more is no sound file that anybody has recorded
THREAD_BYTES = 32 << 20  # of address space, for each thread that a codec may start


def main(arguments: list[str]) -> None:
    """Look at a file, or read it, and write down what it is, within limits of memory."""
    how, path, code, *folders = arguments
    use_language([code], [Path(f) for f in folders])
    out = sys.stdout.buffer
    _, most = resource.getrlimit(resource.RLIMIT_AS)
    wanted = MOST_BYTES + (os.cpu_count() or 1) * THREAD_BYTES
    limit = wanted if most == resource.RLIM_INFINITY else min(wanted, most)
    resource.setrlimit(resource.RLIMIT_AS, (limit, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        _serve(Path(path), out, reads=how == "read")
    except UnusableSound as error:
        _tell(out, b"u", str(error).encode())
    _tell(out, b"e")


def _serve(path: Path, out: BinaryIO, *, reads: bool) -> None:
    from dubbin.core.sound.reading import decode, probe

    info = probe(path)
    _tell(out, b"i", msgspec.json.encode(info, enc_hook=str))
    if reads:
        for block in decode(path, info):
            _tell(out, b"s", CHANNELS.pack(block.shape[0]), block.tobytes())


def _tell(out: BinaryIO, kind: bytes, *parts: bytes) -> None:
    out.write(HEAD.pack(kind, sum(map(len, parts))))
    for part in parts:
        out.write(part)
    out.flush()


if __name__ == "__main__":
    main(sys.argv[1:])
