"""Sound files as they come from anywhere: decoded by a process of its own, so that what breaks a decoder is a sentence here, not the end of the program.

An uncompressed WAV file needs no decoder and is looked at here.
"""

from __future__ import annotations

import os
import selectors
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.decoder import CHANNELS, HEAD
from dubbin.core.sound.reading import SoundInfo, check_info, check_readable
from dubbin.core.sound.source import Samples
from dubbin.core.sound.wav_header import read_wav_header
from dubbin.core.sound.wav_in_place import in_place
from dubbin.core.texts import language, language_folders, tr

PATIENCE_S = 60.0  # how long nothing may come of a file before it is given up: a folder on a network that does not answer, a decoder that goes round in circles

# Of a machine with many cores each takes address space for itself, which counts against the limit: none of it is needed.
FRUGAL = {"OPENBLAS_NUM_THREADS": "1", "MALLOC_ARENA_MAX": "2"}


def look(path: Path) -> SoundInfo:
    """What a file says of itself. Raises UnusableSound."""
    check_readable(path)
    h = read_wav_header(path)
    plain = SoundInfo(path, h.container, f"sndfile:{h.encoding}", h.rate, h.channels, h.frames, title=h.title) if h is not None else None
    if plain is not None and in_place(plain) is not None:
        return check_info(plain)
    with _Decoder("look", path) as decoder:
        return decoder.info()


def decode_apart(path: Path) -> Iterator[Samples]:
    """The samples of a file at its own rate, in blocks (channels, n), float32.

    A file that breaks off, or that breaks the decoder half way, is read as far as it goes. Raises UnusableSound when not one block can be had.
    """
    check_readable(path)
    with _Decoder("read", path) as decoder:
        decoder.info()
        came = False
        while (block := decoder.block(came)) is not None:
            came = True
            yield block


class _Decoder:
    """The process that decodes a file; it ends with the block in which it is used."""

    def __init__(self, how: str, path: Path) -> None:
        self._path = path
        arguments = [how, os.fspath(path.absolute()), language(), *map(str, language_folders())]
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", "dubbin.core.sound.decoder", *arguments],  # -P: nothing is imported from the folder that one is in
            stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0, env={**os.environ, **FRUGAL},
        )  # fmt: skip
        assert self._process.stdout is not None
        self._pipe = self._process.stdout
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._pipe, selectors.EVENT_READ)

    def __enter__(self) -> _Decoder:
        return self

    def __exit__(self, *_: object) -> None:
        self._selector.close()
        self._pipe.close()
        if self._process.poll() is None:
            self._process.send_signal(signal.SIGKILL)
        # One that hangs in the system can't be killed; nobody waits for it.
        with suppress(subprocess.TimeoutExpired):
            self._process.wait(1.0)

    def info(self) -> SoundInfo:
        message = self._message()
        if message is None:
            raise UnusableSound(tr("{path} can't be read: it breaks the decoder of its format.").format(path=self._path))
        plain: dict[str, Any] = msgspec.json.decode(message[1])
        return SoundInfo(**{**plain, "path": self._path})

    def block(self, came: bool) -> Samples | None:
        """The next block; None at the end. came: whether there was one before, so that what follows may be missing."""
        message = self._message()
        if message is None and not came:
            raise UnusableSound(tr("{path} can't be read: it breaks the decoder of its format.").format(path=self._path))
        if message is None or message[0] != b"s":
            return None
        (channels,) = CHANNELS.unpack_from(message[1])
        return np.frombuffer(message[1], np.float32, offset=CHANNELS.size).reshape(channels, -1)

    def _message(self) -> tuple[bytes, bytearray] | None:
        """The next message, its letter and what it says; None when the process has ended without one. Raises UnusableSound where it is a sentence of that kind."""
        head = self._take(HEAD.size)
        if head is None:
            return None
        kind, length = HEAD.unpack(head)
        body = self._take(length)
        if kind == b"u" and body is not None:
            raise UnusableSound(body.decode())
        return None if body is None else (kind, body)

    def _take(self, count: int) -> bytearray | None:
        out, at = bytearray(count), 0
        view, deadline = memoryview(out), time.monotonic() + PATIENCE_S
        while at < count:
            if not self._selector.select(max(deadline - time.monotonic(), 0.0)):
                raise UnusableSound(
                    tr("{path} can't be read: nothing has come of it for {patience_s:.0f} s.").format(
                        path=self._path, patience_s=PATIENCE_S
                    )
                )
            got = self._pipe.readinto(view[at:])  # type: ignore[attr-defined]
            if not got:
                return None
            at, deadline = at + got, time.monotonic() + PATIENCE_S
        return out
