"""The journal: every step is in the kernel's hands before the next one is taken and on the disk within a second, so that a crash loses nothing,
a power cut at most a second, and undo outlives the program.

One file an open episode, one JSON object a line: first the episode as it was opened, then a line a step with what it changed there and back, and a
line wherever it was saved. The file is locked while its program runs; one that is left behind and not locked
belongs to a program that ended without warning (journal_reading.py). When an episode is closed in order its journal is kept, and goes on when it is
opened again.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from hashlib import blake2b
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.episode.file import to_plain
from dubbin.core.episode.history import History, Step
from dubbin.core.episode.journal_file import LineFile, sync_folder
from dubbin.core.episode.migrations import VERSION
from dubbin.core.episode.model import Episode
from dubbin.core.texts import tr

KEPT = "kept"  # folder of the journals of closed episodes

Trouble = Callable[[str], None]


@dataclass(frozen=True)
class GoesOn:
    """A journal that is taken up again; end: the byte at which its whole lines end."""

    path: Path
    end: int


class Journal:
    """Open for as long as its episode is. trouble: told, from any thread, when steps can't be written, and when they can again."""

    def __init__(self, folder: Path, history: History, episode_path: Path | None, trouble: Trouble, goes_on: GoesOn | None = None) -> None:
        """A new journal, in which the steps that a history has already are written down again; goes_on: one that holds them."""
        self._folder, self._id, self._trouble = folder, history.episode.id, trouble
        self._file: LineFile | None = None
        self.path = goes_on.path if goes_on is not None and goes_on.path.parent == folder else self._new_path()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if goes_on is None or not self._took_up(goes_on):
                goes_on, self.path = None, self._new_path()
                self._file = LineFile(self.path, 0, self._say)
            sync_folder(folder)
        except OSError as error:
            self._say(error)
            return
        if goes_on is None:
            self._write_history(history, episode_path)

    def _took_up(self, goes_on: GoesOn) -> bool:
        """Go on with a journal; False where another program has been quicker."""
        try:
            if goes_on.path != self.path:
                goes_on.path.replace(self.path)
            self._file = LineFile(self.path, goes_on.end, self._say)
        except (FileNotFoundError, BlockingIOError):
            return False
        return True

    def _new_path(self) -> Path:
        return self._folder / f"{self._id}-{uuid.uuid4().hex[:8]}.jsonl"

    def _write_history(self, history: History, episode_path: Path | None) -> None:
        base = history.episode
        for base in history.earlier():  # noqa: B007 the last one is the first state
            pass
        self._line({"base": to_plain(base), "version": VERSION, "deltas": True, "path": str(episode_path) if episode_path else None})
        for step in (*history.done, *reversed(history.undone)):
            self.did(step, joins=False)
        for _ in history.undone:
            self.undid()

    def did(self, step: Step, joins: bool) -> None:
        """Note a step. joins: it stands in place of the one before, which it holds."""
        there, back = msgspec.Raw(step.there), msgspec.Raw(step.back)
        self._line({"kind": "do", "title": step.title, "merge": step.merge_key, "joins": joins, "there": there, "back": back})

    def undid(self) -> None:
        """Note that the last step was undone."""
        self._line({"kind": "undo"})

    def redid(self) -> None:
        """Note that the step that was undone last was done again."""
        self._line({"kind": "redo"})

    def saved(self, episode_path: Path, known_by: str) -> None:
        """Note that everything up to here is in the episode's file. known_by: its `digest`. It goes to the disk by itself, like every line."""
        self._line({"kind": "saved", "path": str(episode_path), "digest": known_by})

    def close(self, keep: bool = False) -> None:
        """The episode was closed in order: nothing is left over. keep: its steps can be undone when it is opened again; `saved` came last."""
        if self._file is None or not self._file.is_open:
            return
        with suppress(OSError):
            if keep:
                target = kept_path(self._folder, self._id)
                target.parent.mkdir(exist_ok=True)
                self.path.replace(target)
            else:
                self.path.unlink(missing_ok=True)
        self._file.close()

    def abandon(self) -> None:
        """Let go of the file and leave it, as a crash would."""
        if self._file is not None:
            self._file.abandon()

    def _line(self, entry: dict[str, Any]) -> None:
        if self._file is not None and self._file.is_open:
            self._file.add(msgspec.json.encode(entry))

    def _say(self, error: OSError | None) -> None:
        if error is None:
            self._trouble(tr("Your steps are on the disk again."))
        else:
            self._trouble(
                tr("Your latest steps can't be kept on the disk: {strerror}. They are here, and in the episode once you save it.").format(
                    strerror=error.strerror
                )
            )


def kept_path(folder: Path, episode_id: str) -> Path:
    """Where the journal of a closed episode is kept."""
    safe = "".join(c for c in episode_id if c.isalnum() or c in "-_")[:80] or "episode"
    return folder / KEPT / f"{safe}.jsonl"


def digest(episode: Episode) -> str:
    """By which a journal knows the episode that it led to, as its file gives it back (`as_read`). Where its recordings lie is no part of it: folders are moved."""
    placeless = replace(episode, recordings=tuple(replace(r, path="") for r in episode.recordings))
    return blake2b(msgspec.json.encode(placeless, order="sorted"), digest_size=16).hexdigest()
