"""A project folder: an episode with all that it needs in one place, or one archive, that opens on another machine.

Every copy is compared with what was recorded when the file was taken in; the folder or archive appears whole or not at all.
"""

from __future__ import annotations

import os
import shutil
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from dubbin.core.deliver.master import safe_name
from dubbin.core.episode.file import SUFFIX, save_episode
from dubbin.core.episode.model import Episode
from dubbin.core.errors import CannotWrite
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.sound.working_copy import fingerprint_of
from dubbin.core.sound.writing import check_folder, not_written, replacing, scratch_folder
from dubbin.core.texts import tr
from dubbin.core.there import is_file_there, is_folder_there, is_there

ARCHIVE = ".zip"
RECORDINGS = "recordings"
BLOCK_BYTES = 1 << 22
SPARE_BYTES = 1_000_000


@dataclass(frozen=True)
class Collected:
    """episode: the file that opens it, or the archive. files: how many were copied. remarks: sentences on what is missing or not as it was."""

    episode: Path
    files: int
    remarks: tuple[str, ...]


def collect(episode: Episode, out: Path, task: Task | None = None) -> Collected:
    """Copy an episode, its recordings and its cover into a new folder, or an archive where `out` ends in .zip. Raises CannotWrite."""
    task = task or Task()
    is_archive = out.suffix.lower() == ARCHIVE
    if not is_archive and is_there(out) and (not is_folder_there(out) or any(out.iterdir())):
        raise CannotWrite(tr("{out} is not empty: name a new folder.").format(out=out))
    check_folder(out.parent)
    _check_space(episode, out.parent, 2 if is_archive else 1)
    name = safe_name(episode.title)
    try:
        with scratch_folder(out.parent) as temporary:
            folder = temporary / name
            folder.mkdir()
            files, remarks = _fill(episode, folder, name, task.part(0.0, 0.6 if is_archive else 1.0))
            if is_archive:
                with replacing(out) as draft:
                    _pack(folder, draft, task.part(0.6, 1.0))
                return Collected(out, files, tuple(remarks))
            if out.is_dir():
                out.rmdir()  # an empty one, chosen by somebody
            os.rename(folder, out)
    except OSError as error:
        raise not_written(out, error) from error
    return Collected(out / f"{name}{SUFFIX}", files, tuple(remarks))


def _fill(episode: Episode, folder: Path, name: str, task: Task) -> tuple[int, list[str]]:
    """Copy what an episode needs, and write it with the new places."""
    (folder / RECORDINGS).mkdir()
    recordings, remarks, used, done = [], [], set[str](), 0
    total = max(sum(_size(Path(r.path)) for r in episode.recordings), 1)
    copied = 0
    for recording in episode.recordings:
        source = Path(recording.path)
        size = _size(source)
        part = task.part(0.95 * done / total, 0.95 * (done + size) / total)
        done += size
        if not is_file_there(source):
            remarks.append(tr("{path} is missing: it was not copied.").format(path=source))
            recordings.append(recording)
            continue
        to = folder / RECORDINGS / _free_name(source.name, used)
        _copy(source, to, part.part(0.0, 0.5))
        if fingerprint_of(to, part.part(0.5, 1.0)) != recording.fingerprint:
            remarks.append(tr("{path} is not what it was when it was taken in: it was changed since.").format(path=source))
        recordings.append(replace(recording, path=str(to)))
        copied += 1
    delivery = episode.delivery
    if delivery.cover:
        cover = Path(delivery.cover)
        if is_file_there(cover):
            to = folder / f"cover{cover.suffix.lower()}"
            _copy(cover, to, task.part(0.95, 0.97))
            delivery = replace(delivery, cover=str(to))
            copied += 1
        else:
            remarks.append(tr("{path} is missing: it was not copied.").format(path=cover))
    save_episode(replace(episode, recordings=tuple(recordings), delivery=delivery), folder / f"{name}{SUFFIX}")
    task.step(1.0)
    return copied, remarks


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _free_name(name: str, used: set[str]) -> str:
    """A name that none of the others has, on any system: two microphones may both have written REC_001.WAV."""
    stem, suffix = Path(name).stem, Path(name).suffix
    found, k = name, 2
    while found.casefold() in used:
        found, k = f"{stem}-{k}{suffix}", k + 1
    used.add(found.casefold())
    return found


def _copy(source: Path, to: Path, task: Task) -> None:
    size, done = max(_size(source), 1), 0
    with open(to, "wb") as write:
        for block in _blocks(source):
            write.write(block)
            done += len(block)
            task.step(done / size)


def _blocks(path: Path) -> Iterator[bytes]:
    """A file that is copied, block by block. Where it can't be read it is not the copy that is told to fail."""
    try:
        with open(path, "rb") as file:
            while block := file.read(BLOCK_BYTES):
                yield block
    except OSError as error:
        raise CannotWrite(tr("{path} could not be read: {strerror}.").format(path=path, strerror=error.strerror)) from error


def _pack(folder: Path, archive: Path, task: Task) -> None:
    """All of a folder in an archive, sound as it is: it hardly packs."""
    files = sorted(p for p in folder.rglob("*") if p.is_file())
    total, done = max(sum(_size(p) for p in files), 1), 0
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as packed:
        for path in files:
            with packed.open(str(path.relative_to(folder.parent)), "w", force_zip64=True) as write:
                for block in _blocks(path):
                    write.write(block)
                    done += len(block)
                    task.step(done / total)


def _check_space(episode: Episode, folder: Path, times: int) -> None:
    needed = times * sum(_size(Path(r.path)) for r in episode.recordings) + SPARE_BYTES
    free = shutil.disk_usage(folder).free
    if free < needed:
        raise CannotWrite(
            tr("The folder {folder} has {free} MB free; the copy needs about {needed} MB.").format(
                folder=folder, free=number(free / 1e6, 0), needed=number(needed / 1e6, 0)
            )
        )
