"""What is known of files from one use of the program to the next: what they say of themselves, and their fingerprints.

An hour of one microphone is half a gigabyte to read before its fingerprint is known, and a compressed file wants a process of its own to look at it. A file that lies
where it lay, as large and as old as it was, and whose bytes are the same in a few places, is taken for the same.
"""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.sound.reading import SoundInfo
from dubbin.core.sound.writing import replacing

PLACES, PLACE_BYTES = 5, 1 << 15
MOST = 4000  # files; the earliest half is forgotten


@dataclass(frozen=True)
class KnownFile:
    """What a file says of itself, and its fingerprint."""

    info: SoundInfo
    fingerprint: str


@dataclass(frozen=True)
class _Entry:
    """standing: where the file lay on the disk, its size and times. sample: of its bytes."""

    standing: tuple[int, ...]
    sample: str
    known: KnownFile


class KnownFiles:
    """A folder with a small file for every path. What can't be read there is not known, what can't be written is not kept."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def get(self, path: Path, standing: tuple[int, ...]) -> KnownFile | None:
        """What is known of the file at `path`, which stands there like that; None when it is another one, or none that is known."""
        try:
            entry = msgspec.json.decode(self._place(path).read_bytes(), type=decodable(_Entry), dec_hook=_path)
            if entry.standing != standing or entry.sample != sample_of(path):
                return None
        except (OSError, ValueError):
            return None
        return replace(entry.known, info=replace(entry.known.info, path=path))

    def put(self, path: Path, standing: tuple[int, ...], known: KnownFile) -> None:
        """Keep what is known of a file that stands like that."""
        with suppress(OSError, UnicodeEncodeError):
            entry = _Entry(standing, sample_of(path), replace(known, info=replace(known.info, path=Path())))  # a path may be no text
            self.folder.mkdir(parents=True, exist_ok=True)
            self._make_room()
            with replacing(self._place(path)) as temporary:
                temporary.write_bytes(msgspec.json.encode(entry, enc_hook=str))

    def _place(self, path: Path) -> Path:
        name = hashlib.blake2b(os.fsencode(path.absolute()), digest_size=16).hexdigest()
        return self.folder / f"{name}.json"

    def _make_room(self) -> None:
        places = [self.folder / name for name in os.listdir(self.folder)]
        if len(places) < MOST:
            return
        kept = []
        for place in places:
            with suppress(FileNotFoundError):  # another program makes room too
                kept.append((place.stat().st_mtime, place))
        for _, old in sorted(kept)[: -(MOST // 2)]:
            old.unlink(missing_ok=True)


def sample_of(path: Path) -> str:
    """A name for the bytes of a file in PLACES places, the first and the last among them; of a short one for all."""
    digest = hashlib.blake2b(digest_size=16)
    with open(path, "rb", buffering=0) as f:
        last = max(os.fstat(f.fileno()).st_size - PLACE_BYTES, 0)
        for k in range(PLACES):
            f.seek(last * k // (PLACES - 1))
            digest.update(f.read(PLACE_BYTES))
    return digest.hexdigest()


def _path(kind: type, value: Any) -> Any:
    return Path(value) if kind is Path and isinstance(value, str) else value
