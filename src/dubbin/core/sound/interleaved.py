"""Raw float32 samples in a file, frames interleaved: read and written by position.

Not mapped: the pages of a mapped file count as memory of the program that looks at them, and hours of sound would add up.
"""

from __future__ import annotations

import os
import weakref
from pathlib import Path

import numpy as np

from dubbin.core.sound.source import Samples

SAMPLE_BYTES = 4


class RawFile:
    """A file that several threads read and write by position; closed when nobody holds it any more."""

    def __init__(self, path: Path, size: int | None = None) -> None:
        """Without a size: for reading. With one: made with that many bytes, and emptied first if it had another length."""
        if size is None:
            self._fd = os.open(path, os.O_RDONLY)
        else:
            self._fd = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
            if os.fstat(self._fd).st_size != size:
                os.ftruncate(self._fd, 0)
                os.ftruncate(self._fd, size)
        weakref.finalize(self, os.close, self._fd)

    def read_bytes(self, start: int, count: int) -> bytes:
        """`count` bytes from an offset."""
        return os.pread(self._fd, count, start)

    def write_bytes(self, start: int, data: bytes | memoryview) -> None:
        """Write bytes at an offset."""
        os.pwrite(self._fd, data, start)

    def read(self, channels: int, start: int, stop: int) -> Samples:
        """Frames start to stop as (channels, stop - start)."""
        width = SAMPLE_BYTES * channels
        data = self.read_bytes(start * width, (stop - start) * width)
        return np.ascontiguousarray(np.frombuffer(data, np.float32).reshape(-1, channels).T)

    def write(self, start: int, x: Samples) -> None:
        """Put x (channels, frames) at frame `start`."""
        self.write_bytes(start * SAMPLE_BYTES * x.shape[0], np.ascontiguousarray(x.T).data)
