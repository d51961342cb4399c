"""Where computed tiles are kept: in memory, a few at a time, or in the cache folder, for good."""

from __future__ import annotations

import os
import shutil
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, Protocol

from dubbin.core.errors import CannotWrite
from dubbin.core.seats import holding
from dubbin.core.sound.packing import Damaged, Packed, pack
from dubbin.core.sound.source import Samples
from dubbin.core.sound.writing import is_left_over, owner_mark
from dubbin.core.texts import tr

SUFFIX = ".tile"
OPEN_TILES = 3  # of a stage


class Tiles(Protocol):
    """Tiles of one stage of one recording, by number."""

    def get(self, index: int, start: int, stop: int) -> Samples | None:
        """Frames start to stop of a tile, counted from its own first; None where it is not there."""

    def put(self, index: int, x: Samples) -> Samples:
        """Keep a tile (channels, frames); the samples as `get` will give them."""

    def has(self, index: int) -> bool:
        """Whether a tile is there."""

    def clear(self) -> None:
        """Let go of all of them."""


class TileLocks:
    """A lock for each tile that is being computed, so that nobody computes it a second time meanwhile."""

    def __init__(self) -> None:
        self._known: dict[int, threading.Lock] = {}
        self._lock = threading.Lock()

    @contextmanager
    def of(self, index: int) -> Iterator[None]:
        """Hold a tile's. Who had to wait looks whether it is there now."""
        with self._lock:
            lock = self._known.setdefault(index, threading.Lock())
        with holding(lock):
            yield
        with self._lock:
            self._known.pop(index, None)


class MemoryTiles:
    """Keeps the tiles used last, so that reading on from block to block computes nothing twice."""

    def __init__(self, keep: int = 4) -> None:
        self._keep = keep
        self._tiles: OrderedDict[int, Samples] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, index: int, start: int, stop: int) -> Samples | None:
        """Frames start to stop of a tile, which counts as used last; None where it is not there."""
        with self._lock:
            x = self._tiles.get(index)
            if x is not None:
                self._tiles.move_to_end(index)
            return x if x is None else x[:, start:stop]

    def put(self, index: int, x: Samples) -> Samples:
        """Keep a tile; the one used longest ago goes."""
        with self._lock:
            self._tiles[index] = x
            while len(self._tiles) > self._keep:
                self._tiles.popitem(last=False)
        return x

    def has(self, index: int) -> bool:
        """Whether a tile is among those used last."""
        with self._lock:
            return index in self._tiles

    def clear(self) -> None:
        """Let go of all of them."""
        with self._lock:
            self._tiles.clear()


class DiskTiles:
    """A folder with a packed file for each tile, which is there whole or not at all. What is damaged is computed again."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._open: dict[int, Packed] = {}
        self._lock = threading.Lock()
        self._writing = threading.Lock()  # so that the folder is not taken away under a tile
        self._there: set[int] = set()
        with suppress(OSError):  # what can't be written is said when a tile is
            folder.mkdir(parents=True, exist_ok=True)
            os.utime(folder)  # when it was used last
        with suppress(OSError):
            self._there |= {int(p.stem) for p in folder.glob(f"*{SUFFIX}") if p.stem.isdecimal()}
            for old in folder.glob("*.part"):
                if is_left_over(old.stem):
                    old.unlink(missing_ok=True)

    def get(self, index: int, start: int, stop: int) -> Samples | None:
        """Frames start to stop of a tile; None where it is not there or damaged."""
        if index not in self._there:
            return None
        try:
            return (self._open.get(index) or self._opened(index)).read(start, stop)
        except (OSError, Damaged):
            self._there.discard(index)
            return None

    def _opened(self, index: int) -> Packed:
        """A tile read into memory; the last few stay, since reading goes on from block to block."""
        packed = Packed(self._path(index).read_bytes())
        with self._lock:
            self._open[index] = packed
            while len(self._open) > OPEN_TILES:
                self._open.pop(next(iter(self._open)))
        return packed

    def put(self, index: int, x: Samples) -> Samples:
        """Write a tile; the samples as they are kept, a whole number of 2^-23 each. Raises CannotWrite."""
        data, kept = pack(x)
        path = self._path(index)
        part = path.with_suffix(f".{owner_mark()}.part")
        try:
            with self._writing:
                self._folder.mkdir(parents=True, exist_ok=True)  # somebody may have cleared the cache since
                with open(part, "wb") as f:
                    f.write(data)
                os.replace(part, path)
        except OSError as error:
            with suppress(OSError):
                part.unlink()
            raise CannotWrite(
                tr("Treated sound could not be kept in {parent}: {strerror}.").format(parent=self._folder.parent, strerror=error.strerror)
            ) from error
        with self._lock:
            self._open.pop(index, None)
        self._there.add(index)
        return kept

    def has(self, index: int) -> bool:
        """Whether its file is there."""
        return index in self._there

    def clear(self) -> None:
        """Let go of all of them, on the disk too."""
        self._there.clear()
        with self._lock:
            self._open.clear()
        with self._writing:
            shutil.rmtree(self._folder, ignore_errors=True)

    def _path(self, index: int) -> Path:
        return self._folder / f"{index:06d}{SUFFIX}"


class Findings:
    """What treatments found in whole recordings, by the key of their stage; each is looked for once."""

    def __init__(self) -> None:
        self._known: dict[str, Any] = {}
        self._locks: dict[str, threading.Lock] = {}
        self._lock = threading.Lock()

    def get(self, key: str, find: Callable[[], Any]) -> Any:
        """The findings of `key`; `find` is called, by one thread only, when they are not known."""
        with self._lock:
            lock = self._locks.setdefault(key, threading.Lock())
        with holding(lock):
            if key not in self._known:
                self._known[key] = find()
            return self._known[key]

    def forget(self, key: str) -> None:
        """Let go of findings that take room; they are looked for again when they are asked for."""
        with self._lock:
            self._known.pop(key, None)

    def knows(self, key: str) -> bool:
        """Whether the findings of `key` can be had without looking."""
        with self._lock:
            return key in self._known


class TileCache(Protocol):
    """Hands out the tiles of a stage by a key that names all that its result depends on. is_compact: what takes less room is kept: of treatments
    that change little, what they remove."""

    findings: Findings
    is_compact: bool

    def tiles(self, key: str) -> Tiles:
        """The tiles of a stage."""


class MemoryTileCache:
    """For one pass over a recording (command line, export)."""

    is_compact = False

    def __init__(self, keep: int = 5) -> None:
        self._keep = keep
        self.findings = Findings()
        self._known: dict[str, MemoryTiles] = {}

    def tiles(self, key: str) -> Tiles:
        """The tiles of a stage, in memory."""
        return self._known.setdefault(key, MemoryTiles(self._keep))


class DiskTileCache:
    """For the window: nothing is computed twice, also after a restart."""

    is_compact = True

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.findings = Findings()
        self._known: dict[str, DiskTiles] = {}
        self._lock = threading.Lock()

    def tiles(self, key: str) -> Tiles:
        """The tiles of a stage, in a folder named by its key."""
        with self._lock:
            if key not in self._known:
                self._known[key] = DiskTiles(self.folder / key)
            return self._known[key]


FORMER_SUFFIXES = (".f32", ".done")  # of stages as they were kept before


def prune(folder: Path, most_bytes: int) -> None:
    """Throw the stages away that were used longest ago, until the rest takes less room than `most_bytes`; and what is of no use any more."""
    if not folder.is_dir():
        return
    found: list[tuple[float, int, Path]] = []
    for path in folder.iterdir():
        with suppress(OSError):  # another program may prune too
            if path.suffix in FORMER_SUFFIXES:
                path.unlink(missing_ok=True)
            elif path.is_dir():
                size = sum(entry.stat().st_blocks * 512 for entry in os.scandir(path))
                found.append((path.stat().st_mtime, size, path))
    total = sum(size for _, size, _ in found)
    for _, size, path in sorted(found):
        if total <= most_bytes:
            return
        shutil.rmtree(path, ignore_errors=True)
        total -= size
