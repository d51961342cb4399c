"""Files that go along to a machine which does not see the folders of the one that asks, and what comes back; in blocks, checked by what they hold."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.batch.steps import Stand, Work
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.sound.working_copy import fingerprint_of
from dubbin.core.sound.writing import replacing
from dubbin.core.texts import tr
from dubbin.core.there import is_file_there

BLOCK_BYTES = 8_000_000
There = Callable[..., Any]  # runs a function with its arguments on the other machine, and hands out what it returns
Places = Mapping[str, str]  # paths of one machine, and where the same files are on the other


# -- on the machine that works ------------------------------------------------------------


def arrived(inbox: Path, fingerprint: str, name: str) -> str | None:
    """Where a file is that came before; None where it did not."""
    path = inbox / fingerprint / name
    return str(path) if is_file_there(path) else None


def take_block(inbox: Path, fingerprint: str, name: str, sending: str, offset: int, data: bytes) -> None:
    """A part of a file that is on its way. sending: a name for this time that it is sent; the same file may come twice at once."""
    try:
        part = _part(inbox, fingerprint, sending)
        part.parent.mkdir(parents=True, exist_ok=True)
        with open(part, "r+b" if offset else "wb") as out:
            out.seek(offset)
            out.write(data)
    except OSError as error:
        raise CannotWrite(
            tr("{name} could not be kept in {folder}: {reason}.").format(name=name, folder=inbox, reason=error.strerror)
        ) from error


def whole(inbox: Path, fingerprint: str, name: str, sending: str) -> str:
    """Where a file is that has come whole. Raises DubbinError where it holds something else than it did."""
    part, path = _part(inbox, fingerprint, sending), inbox / fingerprint / name
    if fingerprint_of(part) != fingerprint:
        part.unlink()
        raise DubbinError(tr("{name} was changed while it was sent.").format(name=name))
    path.parent.mkdir(parents=True, exist_ok=True)
    os.replace(part, path)
    return str(path)


def give_block(path: str, offset: int) -> bytes:
    """A part of a file; empty after its end."""
    with open(path, "rb") as file:
        file.seek(offset)
        return file.read(BLOCK_BYTES)


def files_in(folder: Path) -> list[str]:
    """Names of the files that came out of the work."""
    return sorted(p.name for p in folder.iterdir() if is_file_there(p) and not p.name.startswith("."))


def clear_away(folders: Sequence[Path]) -> None:
    """Throw away what is not needed any more."""
    for folder in folders:
        shutil.rmtree(folder, ignore_errors=True)


def _part(inbox: Path, fingerprint: str, sending: str) -> Path:
    return inbox / f"{fingerprint}.{sending}.part"


# -- on the machine that asks -------------------------------------------------------------


@dataclass(frozen=True)
class Sent:
    """places: of all files that went along; each has a folder to itself. moved_bytes: that had to be sent."""

    places: Places
    moved_bytes: int


def files_of(work: Work, stand: Stand) -> list[Path]:
    """The files that it needs: recordings, music, cover."""
    recipe, episode = work.recipe, stand.episode
    found = [Path(r.path) for r in episode.recordings] if episode is not None else list(work.item.recordings)
    if recipe is not None:
        found += [Path(m.path) for m in recipe.music]
    found += [Path(d.delivery.cover) for d in (recipe, episode) if d is not None and d.delivery.cover]
    return [path for path in dict.fromkeys(found) if is_file_there(path)]  # what is missing is told by the step that needs it


def contents(paths: Sequence[Path]) -> dict[Path, str]:
    """Fingerprints of files."""
    return {path: fingerprint_of(path) for path in paths}


def send(files: Mapping[Path, str], inbox: Path, there: There, step: Callable[[int], None] = lambda _: None) -> Sent:
    """Bring files to the other machine, but those that are there. files: with their fingerprints. step: is told how many bytes have gone, and may raise."""
    places, moved, sending = {}, 0, uuid.uuid4().hex[:8]
    for path, fingerprint in files.items():
        place = there(arrived, inbox, fingerprint, path.name)
        if place is None:
            for offset, data in _blocks(path):
                there(take_block, inbox, fingerprint, path.name, sending, offset, data)
                moved += len(data)
                step(moved)
            place = there(whole, inbox, fingerprint, path.name, sending)
        places[str(path)] = place
    return Sent(places, moved)


def fetch(folder: Path, out: Path, there: There, step: Callable[[int], None] = lambda _: None) -> int:
    """Bring all files of a folder of the other machine here; each appears whole or not at all. Returns how many bytes."""
    moved = 0
    for name in there(files_in, folder):
        with replacing(out / Path(name).name) as temporary, open(temporary, "wb") as file:
            offset = 0
            while data := there(give_block, str(folder / name), offset):
                file.write(data)
                offset += len(data)
                step(moved + offset)
        moved += offset
    return moved


def _blocks(path: Path) -> Iterator[tuple[int, bytes]]:
    offset = 0
    with open(path, "rb") as file:
        while (data := file.read(BLOCK_BYTES)) or not offset:
            yield offset, data
            offset += len(data)
            if not data:
                return


def moved_work(work: Work, places: Places) -> Work:
    """The same work on files that lie elsewhere."""
    files = tuple(Path(places.get(str(f), str(f))) for f in work.item.recordings)
    voices = work.item.voices or ("",) * len(files)
    recipe = work.recipe
    if recipe is not None:
        music = tuple(replace(m, path=places.get(m.path, m.path)) for m in recipe.music)
        recipe = replace(
            recipe, music=music, delivery=replace(recipe.delivery, cover=places.get(recipe.delivery.cover, recipe.delivery.cover))
        )
    return Work(replace(work.item, files=files, voices=voices), work.name, recipe, work.by_sound)


def moved_stand(stand: Stand, places: Places) -> Stand:
    """The same episode with its files elsewhere."""
    episode = stand.episode
    if episode is None:
        return stand
    recordings = tuple(replace(r, path=places.get(r.path, r.path)) for r in episode.recordings)
    cover = places.get(episode.delivery.cover, episode.delivery.cover)
    return replace(stand, episode=replace(episode, recordings=recordings, delivery=replace(episode.delivery, cover=cover)))
