"""Results of long measuring, kept in the cache folder: an episode that is opened again is known at once.

A result is found by what it was computed from and by the program's own code: whatever measures or treats otherwise than it did finds nothing.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Hashable, Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar, get_origin

import msgspec
import numpy as np

import dubbin.core
from dubbin.core.decodable import decodable
from dubbin.core.sound.peaks import PeakPyramid
from dubbin.core.sound.writing import replacing

T = TypeVar("T")
SUFFIX, NOTES = ".result", ".notes"
SEAL = 32  # bytes in front, by which a result that was changed or torn is known
MOST_BYTES = 10**9
CODE = ("sound", "measure", "treat", "speech")  # parts of the program that have a say in what is measured


class KeptResults:
    """The folder they are kept in. Several threads may use it; a result that can't be read or written is one that is not there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def recall(self, kind: str, key: Hashable, shape: type[T]) -> T | None:
        """A result as it was kept. shape: its type, a dataclass or what msgspec knows, with arrays and peak pyramids in it."""
        path = self._path(kind, key)
        try:
            data = memoryview(path.read_bytes())  # of hours a hundred megabytes, of which no copies are made
            seal, packed = data[:SEAL], data[SEAL:]
            value = msgspec.msgpack.decode(packed, type=decodable(shape), dec_hook=_restored) if _seal(packed) == seal else None
            os.utime(path)
        except (OSError, msgspec.MsgspecError, ValueError, TypeError):
            return None
        return value

    def keep(self, kind: str, key: Hashable, value: object) -> None:
        """Keep a result."""
        data = msgspec.msgpack.encode(value, enc_hook=_plain)
        path = self._path(kind, key)
        with suppress(OSError):  # a full disk keeps nothing; nothing is lost but time
            self.folder.mkdir(parents=True, exist_ok=True)
            with replacing(path) as temporary, open(temporary, "wb") as f:
                f.write(_seal(data))
                f.write(data)

    @contextmanager
    def notes(self, kind: str, key: Hashable) -> Iterator[Path]:
        """The beginning of names of files in which long work notes what is finished; they are gone once it is whole, and stay when it breaks off."""
        beginning = self._path(kind, key).with_suffix(NOTES)
        with suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
        yield beginning
        with suppress(OSError):
            for path in self.folder.glob(f"{beginning.name}*"):
                path.unlink(missing_ok=True)

    def prune(self, most_bytes: int = MOST_BYTES) -> None:
        """Throw those away that were used longest ago."""
        found = []
        with suppress(OSError):
            for entry in os.scandir(self.folder):
                if entry.name.endswith(SUFFIX) or NOTES in entry.name:
                    found.append((entry.stat().st_mtime, entry.stat().st_size, entry.path))
        total = sum(size for _, size, _ in found)
        for _, size, path in sorted(found):
            if total <= most_bytes:
                return
            with suppress(OSError):
                os.unlink(path)
            total -= size

    def _path(self, kind: str, key: Hashable) -> Path:
        name = hashlib.blake2b(msgspec.json.encode([_code(), kind, key], order="sorted", enc_hook=repr), digest_size=20).hexdigest()
        return self.folder / f"{name}{SUFFIX}"


def _seal(data: bytes | memoryview) -> bytes:
    return hashlib.blake2b(data, digest_size=SEAL).digest()


@lru_cache(maxsize=1)
def _code() -> str:
    """A name for the code that measures and treats, and for what small networks of our own have learnt."""
    digest = hashlib.blake2b(digest_size=16)
    root = Path(dubbin.core.__file__).parent
    for path in sorted(p for part in CODE for pattern in ("*.py", "weights/*.npz") for p in (root / part).glob(pattern)):
        digest.update(path.read_bytes())
    return digest.hexdigest()


def _plain(value: object) -> Any:
    if isinstance(value, PeakPyramid):
        return {"frames": value.frames, "base": value.levels[0]}
    if isinstance(value, np.ndarray):
        return {"dtype": value.dtype.str, "shape": value.shape, "data": np.ascontiguousarray(value).data}
    if isinstance(value, np.generic):
        return value.item()
    raise TypeError(f"{type(value).__name__} can't be kept")


def _restored(shape: type, plain: Any) -> Any:
    if shape is PeakPyramid:
        return PeakPyramid(_restored(np.ndarray, plain["base"]), plain["frames"])
    if (get_origin(shape) or shape) is np.ndarray:
        return np.frombuffer(plain["data"], np.dtype(plain["dtype"])).reshape(plain["shape"]).copy()
    raise TypeError(f"{shape} can't be kept")
