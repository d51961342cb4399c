"""Raw float32 samples in a file, frames interleaved: read by position.

Not mapped: the pages of a mapped file count as memory of the program that looks at them, and hours of sound would add up.
"""

from __future__ import annotations

import os
import weakref
from pathlib import Path

import numpy as np

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.source import Samples
from dubbin.core.texts import tr

SAMPLE_BYTES = 4


class RawFile:
    """A file that several threads read by position; closed when nobody holds it any more. Raises UnusableSound from `read` when its disk is gone or it has become shorter."""

    def __init__(self, path: Path) -> None:
        self._folder = path.parent
        self._fd = os.open(path, os.O_RDONLY)
        weakref.finalize(self, os.close, self._fd)

    @property
    def size(self) -> int:
        """Bytes that it holds."""
        return os.fstat(self._fd).st_size

    def read(self, channels: int, start: int, stop: int) -> Samples:
        """Frames start to stop as (channels, stop - start)."""
        width = SAMPLE_BYTES * channels
        try:
            data = os.pread(self._fd, (stop - start) * width, start * width)
        except OSError as error:
            raise UnusableSound(
                tr("Sound kept in {folder} can't be read any more: {strerror}.").format(folder=self._folder, strerror=error.strerror)
            ) from error
        if len(data) != (stop - start) * width:
            raise UnusableSound(tr("Sound kept in {folder} has become shorter.").format(folder=self._folder))
        return np.ascontiguousarray(np.frombuffer(data, np.float32).reshape(-1, channels).T)
