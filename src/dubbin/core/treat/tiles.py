"""Where computed tiles are kept: in memory, a few at a time, or in the cache folder, for good."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from dubbin.core.sound.interleaved import SAMPLE_BYTES, RawFile
from dubbin.core.sound.source import Samples


class Tiles(Protocol):
    """Tiles of one stage of one recording, by number."""

    def get(self, index: int) -> Samples | None:
        """A tile (channels, frames); None where it is not there."""

    def put(self, index: int, x: Samples) -> None:
        """Keep a tile."""

    def has(self, index: int) -> bool:
        """Whether a tile is there."""


class MemoryTiles:
    """Keeps the tiles used last, so that reading on from block to block computes nothing twice."""

    def __init__(self, keep: int = 4) -> None:
        self._keep = keep
        self._tiles: OrderedDict[int, Samples] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, index: int) -> Samples | None:
        with self._lock:
            x = self._tiles.get(index)
            if x is not None:
                self._tiles.move_to_end(index)
            return x

    def put(self, index: int, x: Samples) -> None:
        with self._lock:
            self._tiles[index] = x
            while len(self._tiles) > self._keep:
                self._tiles.popitem(last=False)

    def has(self, index: int) -> bool:
        with self._lock:
            return index in self._tiles


class DiskTiles:
    """A sparse file of float32 samples beside a file of one byte a tile: 1 where it is there."""

    def __init__(self, path: Path, channels: int, frames: int, tile_frames: int) -> None:
        count = -(-frames // tile_frames)
        path.parent.mkdir(parents=True, exist_ok=True)
        self._tile, self._frames, self._channels = tile_frames, frames, channels
        self._data = RawFile(path.with_suffix(".f32"), frames * channels * SAMPLE_BYTES)
        self._flags = RawFile(path.with_suffix(".done"), count)
        self._done = np.frombuffer(self._flags.read_bytes(0, count), np.uint8).copy()

    def get(self, index: int) -> Samples | None:
        if not self._done[index]:
            return None
        start = index * self._tile
        return self._data.read(self._channels, start, min(start + self._tile, self._frames))

    def put(self, index: int, x: Samples) -> None:
        self._data.write(index * self._tile, x)
        self._flags.write_bytes(index, b"\x01")
        self._done[index] = 1

    def has(self, index: int) -> bool:
        return bool(self._done[index])


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
        with lock:
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
    """Hands out the tiles of a stage by a key that names all that its result depends on."""

    findings: Findings

    def tiles(self, key: str, channels: int, frames: int, tile_frames: int) -> Tiles:
        """The tiles of a stage. tile_frames: length of each but the last."""


class MemoryTileCache:
    """For one pass over a recording (command line, export)."""

    def __init__(self, keep: int = 5) -> None:
        self._keep = keep
        self.findings = Findings()
        self._known: dict[str, MemoryTiles] = {}

    def tiles(self, key: str, channels: int, frames: int, tile_frames: int) -> Tiles:
        return self._known.setdefault(key, MemoryTiles(self._keep))


class DiskTileCache:
    """For the window: nothing is computed twice, also after a restart."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.findings = Findings()
        self._known: dict[str, DiskTiles] = {}
        self._lock = threading.Lock()

    def tiles(self, key: str, channels: int, frames: int, tile_frames: int) -> Tiles:
        with self._lock:
            if key not in self._known:
                self._known[key] = DiskTiles(self.folder / key, channels, frames, tile_frames)
            return self._known[key]


MOST_TILE_BYTES = 24 * 10**9  # kept of treated sound between one use of the program and the next


def prune(folder: Path, most_bytes: int) -> None:
    """Throw the tiles away that were used longest ago, until the rest takes less room than `most_bytes`."""
    found = []
    for path in folder.glob("*.f32") if folder.is_dir() else ():
        status = path.stat()
        found.append((max(status.st_mtime, status.st_atime), status.st_blocks * 512, path))
    total = sum(size for _, size, _ in found)
    for _, size, path in sorted(found):
        if total <= most_bytes:
            return
        path.unlink(missing_ok=True)
        path.with_suffix(".done").unlink(missing_ok=True)
        total -= size
