"""The journal: every step is on disk before the next one is taken, so that a crash loses nothing and undo outlives the program.

One file an open episode, one JSON object a line: first the episode as it was opened, then a line a step, holding the parts of
the episode that it changed, and a line wherever it was saved. The file is locked while its program runs; a file that is left behind and not
locked belongs to a program that ended without warning. When an episode is closed in order its journal is kept, so that the next time
it is opened its steps can still be undone.
"""

from __future__ import annotations

import fcntl
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import msgspec

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.file import from_plain, to_plain
from dubbin.core.episode.history import History
from dubbin.core.episode.migrations import VERSION, migrated
from dubbin.core.episode.model import Episode
from dubbin.core.errors import BadEpisode

KEPT = "kept"  # folder of the journals of closed episodes
MOST_KEPT_BYTES = 48_000_000  # of one journal; a longer one is not kept
BEFORE_VERSIONS = 3  # of the format, in journals that do not say
STEPS = ("do", "undo", "redo")


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

    def __init__(self, folder: Path, history: History, episode_path: Path | None) -> None:
        """A new journal; the steps that a history has already are written down again."""
        folder.mkdir(parents=True, exist_ok=True)
        self._folder, self._id = folder, history.episode.id
        self.path = folder / f"{history.episode.id}-{uuid.uuid4().hex[:8]}.jsonl"
        self._file: IO[bytes] = open(self.path, "wb")  # noqa: SIM115 open as long as the episode
        fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        base = history.done[0].before if history.done else history.episode
        self._last = base
        self._line({"base": to_plain(base), "version": VERSION, "path": str(episode_path) if episode_path else None})
        for step in history.done:
            self.step("do", step.title, step.after, step.merge_key)
        for step in history.undone[::-1]:
            self.step("do", step.title, step.after, step.merge_key)
        for step in history.undone:
            self.step("undo", step.title, step.before)

    def step(self, kind: str, title: str, episode: Episode, merge_key: str | None = None, joins: bool = False) -> None:
        """Note that the episode is now `episode`; kind: do, undo or redo. joins: it made one step with the one before."""
        changed = {
            name: msgspec.to_builtins(getattr(episode, name))
            for name in episode.__dataclass_fields__
            if getattr(episode, name) is not getattr(self._last, name)
        }
        self._last = episode
        self._line({"kind": kind, "title": title, "set": changed, "merge": merge_key, "joins": joins})

    def saved(self, episode_path: Path) -> None:
        """Note that everything up to here is in the episode's file."""
        self._line({"kind": "saved", "path": str(episode_path)})

    def _line(self, entry: dict[str, Any]) -> None:
        self._file.write(msgspec.json.encode(entry) + b"\n")
        self._file.flush()  # in the kernel's hands: survives the end of this program

    def close(self, keep: bool = False) -> None:
        """The episode was closed in order: nothing is left over. keep: its steps can be undone when it is opened again."""
        if self._file.closed:
            return
        if keep and self._file.tell() <= MOST_KEPT_BYTES:
            target = kept_path(self._folder, self._id)
            target.parent.mkdir(exist_ok=True)
            self.path.replace(target)
        else:
            self.path.unlink(missing_ok=True)
        self._file.close()

    def abandon(self) -> None:
        """Let go of the file and leave it, as a crash would (for tests)."""
        self._file.close()


def kept_path(folder: Path, episode_id: str) -> Path:
    """Where the journal of a closed episode is kept."""
    safe = "".join(c for c in episode_id if c.isalnum() or c in "-_")[:80] or "episode"
    return folder / KEPT / f"{safe}.jsonl"


def kept_history(folder: Path, episode: Episode) -> History | None:
    """The steps that led to an episode that was closed in order; None when none are kept, or they lead elsewhere."""
    path = kept_path(folder, episode.id)
    try:
        history = _replayed(_entries(path.read_bytes()))
    except (OSError, BadEpisode):
        return None
    return history if history is not None and history.episode == episode else None


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
        last_saved = max((k for k, e in enumerate(entries) if e.get("kind") == "saved"), default=0)
        unsaved = [e for e in entries[last_saved + 1 :] if e.get("kind") in STEPS]
        if not unsaved:
            path.unlink(missing_ok=True)
            continue
        title = next((e["set"]["title"] for e in reversed(entries[1:]) if "title" in e.get("set", {})), entries[0]["base"]["title"])
        kept_at = next((e["path"] for e in reversed(entries) if e.get("path")), None)
        found.append(LeftOver(path, Path(kept_at) if kept_at else None, title, unsaved[-1]["title"], len(unsaved), path.stat().st_mtime))
    return sorted(found, key=lambda item: -item.changed_at)


def recover(item: LeftOver) -> History:
    """The history as it was when the program ended, the present episode included. Raises BadEpisode."""
    history = _replayed(_entries(item.journal.read_bytes()))
    if history is None:
        raise BadEpisode("The journal can't be read.")
    return history


def _replayed(entries: list[dict[str, Any]]) -> History | None:
    """Raises BadEpisode."""
    if not entries:
        return None
    version = entries[0].get("version", BEFORE_VERSIONS)
    plain = migrated(entries[0]["base"], version)
    history = History(from_plain(plain))
    for entry in entries[1:]:
        if entry["kind"] == "saved":
            continue
        plain = {**plain, **migrated(entry["set"], version)}
        if entry["kind"] == "undo":
            history.undo()
        elif entry["kind"] == "redo":
            history.redo()
        else:
            history.add(
                Change(entry["title"], _shared(from_plain(plain), history.episode), entry["merge"]),
                bool(entry.get("joins")) and bool(history.done),
            )
    if history.episode != from_plain(plain):
        history.add(Change("Recovered", from_plain(plain)), False)
    return history


def _shared(new: Episode, old: Episode) -> Episode:
    """The same episode with the parts that it has in common with another one kept only once."""
    values = {}
    for name in new.__dataclass_fields__:
        mine, theirs = getattr(new, name), getattr(old, name)
        values[name] = theirs if mine == theirs else mine
    return Episode(**values)


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
