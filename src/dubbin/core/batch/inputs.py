"""What a batch is made of: files, folders of microphones, episodes, and tables that say which files belong together."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from pathlib import Path

from dubbin.core.deliver.master import safe_name
from dubbin.core.episode.file import SUFFIX
from dubbin.core.episode.model import Tags
from dubbin.core.errors import DubbinError
from dubbin.core.sound.folder import recordings_in
from dubbin.core.texts import tr
from dubbin.core.there import is_file_there, is_folder_there

TABLE = ".csv"
TAG_NAMES = tuple(f.name for f in fields(Tags))
COLUMNS = ("file", "episode", "voice", *TAG_NAMES)
MOST_BYTES = 20_000_000


@dataclass(frozen=True)
class BatchInput:
    """What becomes one episode. path: a file, a folder, or the name that a table gives it. files: its recordings, where a table names them, and voices: who speaks in
    each ("" where it does not say). tags: what a table says of it."""

    path: Path
    files: tuple[Path, ...] = ()
    voices: tuple[str, ...] = ()
    tags: Tags = field(default_factory=Tags)

    @property
    def recordings(self) -> list[Path]:
        """The files that it is made of."""
        if self.files:
            return list(self.files)
        return recordings_in(self.path) if is_folder_there(self.path) else [self.path]


def find_inputs(paths: Sequence[Path], out: Path) -> list[BatchInput]:
    """What becomes an episode each: files as they are named; a folder of recordings, as one of several microphones; of a folder of folders each of those, and
    the episodes in it; the rows of a table. Raises DubbinError, also where masters would come to lie among them."""
    check_places(paths, out)
    found: list[BatchInput] = []
    for path in paths:
        if is_folder_there(path):
            inside = _episodes_in(path, out.resolve())
            if not inside:
                raise DubbinError(tr("The folder {path} holds no recordings.").format(path=path))
            found += [BatchInput(p) for p in inside]
        elif path.suffix.lower() == TABLE:
            rows = read_table(path)
            check_places(
                [file for row in rows for file in row.files if file.suffix.lower() == SUFFIX], out
            )  # their own episode would be put aside
            found += rows
        else:
            found.append(BatchInput(path))  # one that is not there is an outcome too, and no reason to stop
    return list(dict.fromkeys(found))


def check_places(paths: Sequence[Path], out: Path) -> None:
    """Raise DubbinError where masters would come to lie among what they are made of: next time they would be taken for recordings."""
    folder = out.resolve()
    for path in paths:
        if path.suffix.lower() != TABLE and folder in (path.resolve(), path.resolve().parent if is_file_there(path) else None):
            raise DubbinError(
                tr("{path} lies in {out}, where the masters are to go: name another folder for them.").format(path=path, out=folder)
            )


def _episodes_in(folder: Path, out: Path) -> list[Path]:
    """A folder itself where it holds recordings, the folders in it that hold some, and its episodes."""
    inside = [p for p in sorted(folder.iterdir()) if not p.name.startswith(".")]
    episodes = [p for p in inside if p.suffix.lower() == SUFFIX and is_file_there(p)]
    folders = [p for p in inside if is_folder_there(p) and p.resolve() != out and recordings_in(p)]
    return [*([folder] if recordings_in(folder) else []), *folders, *episodes]


def read_table(path: Path) -> list[BatchInput]:
    """The episodes of a table: rows with the same `episode` belong together; a row without one is an episode by itself. `file` is beside the table or a whole path, `voice`
    who speaks in it; other columns are tags. Commas, semicolons or tabs part the cells. Raises DubbinError."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise DubbinError(tr("{path} is too large to be a table of files.").format(path=path))
        text = path.read_bytes().decode("utf-8-sig")
        head = text.splitlines()[0] if text.strip() else ""
        rows = list(csv.DictReader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=head.count), strict=True))
    except OSError as error:
        raise DubbinError(tr("{path} could not be read: {reason}.").format(path=path, reason=error.strerror)) from error
    except (UnicodeDecodeError, csv.Error) as error:
        raise DubbinError(tr("{path} is no table that can be read: {reason}.").format(path=path, reason=str(error).rstrip("."))) from error
    names = [name.strip().lower() for name in (rows[0] if rows else {}) if name is not None]
    if "file" not in names:
        raise DubbinError(tr("The table {path} has no column “file”, or no rows.").format(path=path))
    if unknown := [name for name in names if name not in COLUMNS]:
        raise DubbinError(
            tr("The table {path} has a column “{name}”, which is not known; there are: {known}.").format(
                path=path, name=unknown[0], known=", ".join(COLUMNS)
            )
        )
    groups: dict[str, list[dict[str, str]]] = {}
    for number, row in enumerate(rows, 2):
        cells = {name.strip().lower(): (value or "").strip() for name, value in row.items() if name is not None}
        if not any(cells.values()):
            continue
        if not cells["file"]:
            raise DubbinError(tr("Line {number} of {path} names no file.").format(number=number, path=path))
        groups.setdefault(cells.get("episode") or cells["file"], []).append(cells)
    return [_of_group(path.parent, name, group) for name, group in groups.items()]


def _of_group(folder: Path, name: str, group: Sequence[dict[str, str]]) -> BatchInput:
    files = tuple(folder / cells["file"] for cells in group)
    is_named = any(cells.get("episode") for cells in group)
    tags = Tags()
    for cells in group:
        tags = replace(tags, **{tag: cells[tag] for tag in TAG_NAMES if cells.get(tag)})
    return BatchInput(folder / safe_name(name) if is_named else files[0], files, tuple(cells.get("voice", "") for cells in group), tags)
