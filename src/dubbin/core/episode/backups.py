"""Numbered backups of an episode's file: what stood there before it was saved."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.episode.file import SUFFIX
from dubbin.core.sound.writing import replacing
from dubbin.core.there import is_file_there

MOST_KEPT = 99


@dataclass(frozen=True)
class Backup:
    """An earlier state of an episode. number: 1 is the latest. saved_at: seconds since 1970."""

    path: Path
    number: int
    saved_at: float


def keep_backup(episode: Path, folder: Path, most: int) -> None:
    """Copy an episode's file into a folder before it is written anew. most: older ones than so many go; 0 keeps none. A file that is not there yet, or can't be
    read, is no trouble; raises OSError where the folder can't be written to."""
    if most <= 0 or not is_file_there(episode):
        return
    found = backups(folder)
    if found and found[0].path.read_bytes() == episode.read_bytes():
        return  # saved again without a change
    folder.mkdir(parents=True, exist_ok=True)
    for backup in reversed(found):
        if backup.number >= most:
            backup.path.unlink(missing_ok=True)
        else:
            backup.path.replace(_path(folder, backup.number + 1))
    with replacing(_path(folder, 1)) as temporary:
        shutil.copy2(episode, temporary)


def backups(folder: Path) -> list[Backup]:
    """What is kept in a folder, the latest first."""
    found = []
    for path in folder.glob(f"*{SUFFIX}") if folder.is_dir() else ():
        if path.stem.isdigit():
            found.append(Backup(path, int(path.stem), path.stat().st_mtime))
    return sorted(found, key=lambda b: b.number)


def _path(folder: Path, number: int) -> Path:
    return folder / f"{number:02d}{SUFFIX}"
