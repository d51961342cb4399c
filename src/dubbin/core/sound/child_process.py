"""A process that works on a foreign file for this one: what breaks it is a sentence here, not the end of the program."""

from __future__ import annotations

import os
import selectors
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import Self

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.child import HEAD
from dubbin.core.texts import language, language_folders, tr

PATIENCE_S = 60.0  # how long nothing may come of a file before it is given up: a folder on a network that does not answer, a decoder that goes round in circles

# Of a machine with many cores each takes address space for itself, which counts against the limit: none of it is needed.
FRUGAL = {"OPENBLAS_NUM_THREADS": "1", "MALLOC_ARENA_MAX": "2"}
_dying: list[subprocess.Popen[bytes]] = []  # killed, and not gone yet: seen to when the next one ends


class ChildProcess:
    """`python -m MODULE ARGUMENT … LANGUAGE [FOLDER …]`, which writes messages (child.py); it ends with the block in which it is used. path: of the file in hand."""

    def __init__(self, module: str, path: Path, *arguments: str) -> None:
        self.path = path
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", module, *arguments, language(), *map(str, language_folders())],  # -P: nothing is imported from the folder that one is in
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0, env={**os.environ, **FRUGAL},
        )  # fmt: skip
        assert self._process.stdout is not None and self._process.stdin is not None
        self._pipe, self._given = self._process.stdout, self._process.stdin
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._pipe, selectors.EVENT_READ)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._selector.close()
        self._pipe.close()
        with suppress(OSError):
            self._given.close()
        if self._process.poll() is None:
            self._process.send_signal(signal.SIGKILL)
        # One that hangs in the system can't be killed; nobody waits for it.
        try:
            self._process.wait(1.0)
        except subprocess.TimeoutExpired:
            _dying.append(self._process)
        _dying[:] = [p for p in _dying if p.poll() is None]

    def message(self) -> tuple[bytes, bytearray] | None:
        """The next message, its letter and what it says; None when the process has ended without one. Raises UnusableSound where it is a sentence of that kind, and
        where none comes."""
        head = self._take(HEAD.size)
        if head is None:
            return None
        kind, length = HEAD.unpack(head)
        body = self._take(length)
        if kind == b"u" and body is not None:
            raise UnusableSound(body.decode())
        return None if body is None else (kind, body)

    def give(self, answer: bytes) -> None:
        """Answer a message that asks for something: no more than fits into a pipe (64 kB), so that nobody waits. One that has ended takes nothing."""
        with suppress(BrokenPipeError):
            self._given.write(answer)

    def broke(self) -> UnusableSound:
        """Why a file can't be used whose message did not come."""
        return UnusableSound(tr("{path} can't be read: it breaks the decoder of its format.").format(path=self.path))

    def _take(self, count: int) -> bytearray | None:
        out, at = bytearray(count), 0
        view, deadline = memoryview(out), time.monotonic() + PATIENCE_S
        while at < count:
            if not self._selector.select(max(deadline - time.monotonic(), 0.0)):
                raise UnusableSound(
                    tr("{path} can't be read: nothing has come of it for {patience_s:.0f} s.").format(path=self.path, patience_s=PATIENCE_S)
                )
            got = self._pipe.readinto(view[at:])  # type: ignore[attr-defined]
            if not got:
                return None
            at, deadline = at + got, time.monotonic() + PATIENCE_S
        return out
