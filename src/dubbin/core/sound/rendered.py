"""Sound that is costly to read, written to a file once and read from there."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound.interleaved import RawFile
from dubbin.core.sound.source import Samples, Source

TILES_AT_ONCE, TILE_S = 8, 4


class Rendered:
    """Sound on disk as float32, frames interleaved; a source."""

    def __init__(self, path: Path, rate: int, channels: int, frames: int) -> None:
        self.rate, self.channels, self.frames = rate, channels, frames
        self._data = RawFile(path)

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start)."""
        return self._data.read(self.channels, start, stop)


def tiles_of(source: Source, task: Task) -> Iterator[tuple[int, Samples]]:
    """The whole source as (frame behind it, samples), worked out on all cores, in order."""
    size = TILE_S * source.rate
    starts = list(range(0, source.frames, size))
    for first in range(0, len(starts), TILES_AT_ONCE):
        done: dict[int, Samples] = {}

        def work(start: int, done: dict[int, Samples] = done) -> None:
            done[start] = source.read(start, min(start + size, source.frames))

        batch = starts[first : first + TILES_AT_ONCE]
        in_parallel(work, batch, task.part(first / len(starts), min(first + TILES_AT_ONCE, len(starts)) / len(starts)))
        for start in batch:
            yield min(start + size, source.frames), done.pop(start)


@contextmanager
def rendered(source: Source, folder: Path, task: Task | None = None) -> Iterator[Source]:
    """The same sound for as long as it is looked through again and again; its file in `folder` goes with it. Where it can't be written, the source itself."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder) as out:  # without a name: it goes even where the program is killed
            for _, x in tiles_of(source, task or Task()):
                out.write(np.ascontiguousarray(x.T, np.float32).data)
            out.flush()
            held: Source = Rendered(Path(f"/proc/self/fd/{out.fileno()}"), source.rate, source.channels, source.frames)
    except OSError:
        held = source
    yield held
