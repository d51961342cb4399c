"""The journal: every step is on disk before the next one is taken, so that a crash loses nothing.

One file an open episode, one JSON object a line: first the episode as it was opened or saved, then a line a step,
holding the parts of the episode that it changed. The file is locked while its program runs; a file that is left
behind and not locked belongs to a program that ended without warning.
"""

from __future__ import annotations

import fcntl
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import msgspec

from dubbin.core.episode.commands import Change
from dubbin.core.episode.file import from_plain, to_plain
from dubbin.core.episode.history import History
from dubbin.core.episode.model import Episode
from dubbin.core.errors import BadEpisode


@dataclass(frozen=True)
class LeftOver:
    """What a journal holds that was never saved."""

    journal: Path
    episode_path: Path | None
    title: str
    last_step: str
    steps: int
    changed_at: float


class Journal:
    """Open for as long as its episode is."""

    def __init__(self, folder: Path, episode: Episode, episode_path: Path | None) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.path = folder / f"{episode.id}-{uuid.uuid4().hex[:8]}.jsonl"
        self._file: IO[bytes] = open(self.path, "wb")  # noqa: SIM115 open as long as the episode
        fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self.rebase(episode, episode_path)

    def rebase(self, episode: Episode, episode_path: Path | None, steps: int = 0) -> None:
        """Start over from an episode that was just opened or saved."""
        self._file.seek(0)
        self._file.truncate()
        self._last = episode
        self._line({"base": to_plain(episode), "path": str(episode_path) if episode_path else None})

    def step(self, kind: str, title: str, episode: Episode, merge_key: str | None = None) -> None:
        """Note that the episode is now `episode`; kind: do, undo or redo."""
        changed = {
            name: msgspec.to_builtins(getattr(episode, name))
            for name in episode.__dataclass_fields__
            if getattr(episode, name) is not getattr(self._last, name)
        }
        self._last = episode
        self._line({"kind": kind, "title": title, "set": changed, "merge": merge_key})

    def _line(self, entry: dict[str, Any]) -> None:
        self._file.write(msgspec.json.encode(entry) + b"\n")
        self._file.flush()  # in the kernel's hands: survives the end of this program

    def close(self) -> None:
        """The episode was closed in order: nothing is left over."""
        self.path.unlink(missing_ok=True)
        self._file.close()

    def abandon(self) -> None:
        """Let go of the file and leave it, as a crash would (for tests)."""
        self._file.close()


def left_over(folder: Path) -> list[LeftOver]:
    """Journals with unsaved steps whose program no longer runs, the latest first."""
    found = []
    for path in folder.glob("*.jsonl") if folder.is_dir() else ():
        with open(path, "rb") as f:
            try:
                fcntl.flock(f, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                continue  # its program is alive
            entries = _entries(f.read())
        if len(entries) < 2:
            path.unlink(missing_ok=True)
            continue
        title = next(
            (e["set"]["title"] for e in reversed(entries[1:]) if "title" in e["set"]),
            entries[0]["base"]["title"],
        )
        kept_at = Path(entries[0]["path"]) if entries[0]["path"] else None
        found.append(LeftOver(path, kept_at, title, entries[-1]["title"], len(entries) - 1, path.stat().st_mtime))
    return sorted(found, key=lambda item: -item.changed_at)


def recover(item: LeftOver) -> History:
    """The history as it was when the program ended, the present episode included. Raises BadEpisode."""
    entries = _entries(item.journal.read_bytes())
    if not entries:
        raise BadEpisode("The journal can't be read.")
    plain = entries[0]["base"]
    history = History(from_plain(plain))
    for entry in entries[1:]:
        if entry["kind"] == "undo":
            history.undo()
        elif entry["kind"] == "redo":
            history.redo()
        plain = {**plain, **entry["set"]}
        if entry["kind"] == "do":
            history.do(Change(entry["title"], from_plain(plain), entry["merge"]))
    if history.episode != from_plain(plain):
        history.do(Change("Recovered", from_plain(plain)))
    return history


def _entries(data: bytes) -> list[dict[str, Any]]:
    """Whole lines only: the last one may have been cut off by the crash."""
    entries: list[dict[str, Any]] = []
    for line in data.split(b"\n"):
        try:
            entry = msgspec.json.decode(line)
        except msgspec.DecodeError:
            break
        if not isinstance(entry, dict) or ("base" if not entries else "kind") not in entry:
            break
        entries.append(entry)
    return entries
