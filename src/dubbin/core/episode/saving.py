"""A state of an episode on its way to its file: handed out by the document, written on any thread (a folder on a network may let one wait), and taken
note of by the document again."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.episode.file import as_read, save_episode
from dubbin.core.episode.journal import digest
from dubbin.core.episode.model import Episode
from dubbin.core.episode.unknown_fields import Tree
from dubbin.core.errors import ChangedElsewhere
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Saved:
    """What stands in the file now. on_disk: of its bytes; known_by: by which a journal knows the episode."""

    episode: Episode
    path: Path
    on_disk: bytes | None
    known_by: str


@dataclass(frozen=True)
class Saving:
    """A state, the place it goes to, and fields of the file that are not known here. expected: what the file held when it was read or written last
    (`file_digest`); None where it is written whatever it holds."""

    episode: Episode
    path: Path
    unknown: Tree
    expected: bytes | None

    def check(self) -> None:
        """Raise ChangedElsewhere where the file holds something unexpected."""
        if is_changed(self.path, self.expected):
            raise ChangedElsewhere(tr("{name} was changed by another program since it was opened here.").format(name=self.path.name))

    def write(self) -> Saved:
        """Write the file, whole or not at all. Raises ChangedElsewhere and CannotWrite."""
        self.check()
        save_episode(self.episode, self.path, self.unknown)
        return Saved(self.episode, self.path, file_digest(self.path), digest(as_read(self.episode)))


def is_changed(path: Path | None, expected: bytes | None) -> bool:
    """Whether a file holds something else than was expected. One that is gone is not changed."""
    if path is None or expected is None:
        return False
    now = file_digest(path)
    return now is not None and now != expected


def file_digest(path: Path | None) -> bytes | None:
    """What a file holds, in short; None where there is none to read."""
    try:
        return None if path is None else hashlib.blake2b(path.read_bytes(), digest_size=16).digest()
    except OSError:
        return None
