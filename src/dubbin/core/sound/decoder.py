"""A process that decodes one sound file for another: `python -m dubbin.core.sound.decoder look|read PATH LANGUAGE [FOLDER …]`.

Its messages (child.py): `i`: what the header says, as JSON. `s`: the number of channels, and a block of float32 samples, channel after channel.
"""

from __future__ import annotations

import struct
import sys
from dataclasses import replace
from pathlib import Path
from typing import BinaryIO

import msgspec

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.child import begin, tell

CHANNELS = struct.Struct("<I")


def main(arguments: list[str]) -> None:
    """Look at a file, or read it, and write down what it is, within limits of memory."""
    how, path, code, *folders = arguments
    out = sys.stdout.buffer
    begin(code, folders)
    try:
        _serve(Path(path), out, reads=how == "read")
    except UnusableSound as error:
        tell(out, b"u", str(error).encode())
    tell(out, b"e")


def _serve(path: Path, out: BinaryIO, *, reads: bool) -> None:
    from dubbin.core.sound.reading import decode, probe

    info = probe(path)
    tell(out, b"i", msgspec.json.encode(replace(info, path=Path()), enc_hook=str))  # who asks knows the path, which may be no text
    if reads:
        for block in decode(path, info):
            tell(out, b"s", CHANNELS.pack(block.shape[0]), block.tobytes())


if __name__ == "__main__":
    main(sys.argv[1:])
