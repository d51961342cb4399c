"""Sound files as they come from anywhere: decoded by a process of its own, so that what breaks a decoder is a sentence here, not the end of the program.

An uncompressed WAV file needs no decoder and is looked at here.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from dubbin.core.sound.child_process import ChildProcess
from dubbin.core.sound.decoder import CHANNELS
from dubbin.core.sound.reading import SoundInfo, check_info, check_readable
from dubbin.core.sound.source import Samples
from dubbin.core.sound.wav_header import read_wav_header
from dubbin.core.sound.wav_in_place import in_place


def look(path: Path) -> SoundInfo:
    """What a file says of itself. Raises UnusableSound."""
    check_readable(path)
    h = read_wav_header(path)
    plain = SoundInfo(path, h.container, f"sndfile:{h.encoding}", h.rate, h.channels, h.frames, title=h.title) if h is not None else None
    if plain is not None and in_place(plain) is not None:
        return check_info(plain)
    with _decoder("look", path) as decoder:
        return _info(decoder)


def decode_apart(path: Path) -> Iterator[Samples]:
    """The samples of a file at its own rate, in blocks (channels, n), float32.

    A file that breaks off, or that breaks the decoder half way, is read as far as it goes. Raises UnusableSound when not one block can be had.
    """
    check_readable(path)
    with _decoder("read", path) as decoder:
        _info(decoder)
        came = False
        while (block := _block(decoder, came)) is not None:
            came = True
            yield block


def _decoder(how: str, path: Path) -> ChildProcess:
    return ChildProcess("dubbin.core.sound.decoder", path, how, os.fspath(path.absolute()))


def _info(decoder: ChildProcess) -> SoundInfo:
    message = decoder.message()
    if message is None:
        raise decoder.broke()
    plain: dict[str, Any] = msgspec.json.decode(message[1])
    return SoundInfo(**{**plain, "path": decoder.path})


def _block(decoder: ChildProcess, came: bool) -> Samples | None:
    """The next block; None at the end. came: whether there was one before, so that what follows may be missing."""
    message = decoder.message()
    if message is None and not came:
        raise decoder.broke()
    if message is None or message[0] != b"s":
        return None
    (channels,) = CHANNELS.unpack_from(message[1])
    return np.frombuffer(message[1], np.float32, offset=CHANNELS.size).reshape(channels, -1)
