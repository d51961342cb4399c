"""A file that lines are only ever added to, and that keeps its word: what was added is in the kernel's hands at once and on the disk within a second.

A line that can't be written (the disk is full, or gone) is said, kept, and tried again until it can; what stands in the file already is not touched.
"""

from __future__ import annotations

import errno
import fcntl
import os
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Protocol

SYNC_AFTER_S = 0.3  # what comes within it goes to the disk together
TRY_AGAIN_AFTER_S = 2.0
LOCK_TRIES, LOCK_AGAIN_S = 25, 0.02  # another program that looks through what is left over holds each file for a moment


class Disk(Protocol):
    """What is asked of the system; tests put one here that fails."""

    def pwrite(self, fd: int, data: bytes, offset: int) -> int:
        """Write at an offset; how many bytes were. Raises OSError."""

    def fdatasync(self, fd: int) -> None:
        """Have what was written on the disk. Raises OSError."""


class LineFile:
    """Lines at the end of a file that is locked while it is open.

    `on_trouble` is called with the error when lines can't be written and with None when all of them are, from any thread.
    """

    def __init__(self, path: Path, end: int, on_trouble: Callable[[OSError | None], None], disk: Disk = os) -> None:
        """Opens `path`, or creates it where lines are added from its beginning; they are added from byte `end` on. Raises OSError: it can't be opened, as
        FileNotFoundError where it does not reach so far; BlockingIOError where another program holds it."""
        self.path = path
        self._disk, self._on_trouble = disk, on_trouble
        self._fd = os.open(path, os.O_RDWR | (os.O_CREAT if end == 0 else 0) | os.O_CLOEXEC, 0o644)
        try:
            _lock(self._fd)
            if os.fstat(self._fd).st_size < end:
                raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), str(path))
            os.ftruncate(self._fd, end)  # a line that a crash cut off
        except OSError:
            os.close(self._fd)
            raise
        self._lock, self._syncing = threading.RLock(), threading.Lock()
        self._synced = end  # bytes that are on the disk for certain
        self._tail = bytearray()  # what comes behind them
        self._written = 0  # bytes of it that are in the kernel's hands
        self._trouble = False
        self._worker: threading.Thread | None = None
        self._wake = threading.Event()

    @property
    def size(self) -> int:
        """In bytes, with what could not be written yet."""
        return self._synced + len(self._tail)

    @property
    def is_open(self) -> bool:
        """Until it is closed."""
        return self._fd >= 0

    def add(self, line: bytes) -> None:
        """Add a line; it goes to the disk by itself."""
        with self._lock:
            self._tail += line + b"\n"
            self._write()
            if self._worker is None:
                self._worker = threading.Thread(target=self._keep_synced, name="journal", daemon=True)
                self._worker.start()

    def sync(self) -> None:
        """Have all lines on the disk when this returns, if the disk takes them."""
        with self._lock:
            self._write()
        self._sync()

    def close(self) -> None:
        """Let go of the file, with all on the disk that it takes."""
        if not self.is_open:
            return
        self.sync()
        self.abandon()

    def abandon(self) -> None:
        """Let go of the file as it is, as a crash would."""
        with self._lock:
            if self.is_open:
                os.close(self._fd)
            self._fd = -1
        self._wake.set()

    def _write(self) -> None:
        """Give the kernel what it has not got. A line of which it took a part is written again at its place: the file grows by nothing else."""
        try:
            while self.is_open and self._written < len(self._tail):
                self._written += self._disk.pwrite(self._fd, bytes(self._tail[self._written :]), self._synced + self._written)
        except OSError as error:
            self._say(error)

    def _sync(self) -> None:
        """Have on the disk what the kernel has."""
        with self._syncing:  # not the lock: it may take long, and lines may be added meanwhile
            with self._lock:
                count, fd = self._written, self._fd
            if not count or fd < 0:
                return
            try:
                self._disk.fdatasync(fd)
            except OSError as error:
                with self._lock:
                    self._written = 0  # the kernel may have dropped them: they are written anew
                    self._say(error)
                return
            with self._lock:
                del self._tail[:count]
                self._synced, self._written = self._synced + count, self._written - count
                if self._written == len(self._tail):
                    self._say(None)

    def _keep_synced(self) -> None:
        """Lives as long as something is not on the disk."""
        while True:
            self._wake.wait(TRY_AGAIN_AFTER_S if self._trouble else SYNC_AFTER_S)
            with self._lock:
                self._write()
                if not self.is_open or not self._tail:
                    self._worker = None
                    return
            self._sync()

    def _say(self, error: OSError | None) -> None:
        if (error is not None) != self._trouble:
            self._trouble = error is not None
            self._on_trouble(error)


def _lock(fd: int) -> None:
    """Raises BlockingIOError where another program keeps the file for itself."""
    for _ in range(LOCK_TRIES):
        with suppress(BlockingIOError):
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return
        time.sleep(LOCK_AGAIN_S)
    fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)


def sync_folder(folder: Path) -> None:
    """Have the names in a folder on the disk, as far as its file system can do that."""
    try:
        fd = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    with suppress(OSError):
        os.fsync(fd)
    os.close(fd)
