"""An open episode: its present state, history, file and journal; tells listeners what changed."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.file import as_read, read_episode
from dubbin.core.episode.history import History
from dubbin.core.episode.journal import GoesOn, Journal, digest
from dubbin.core.episode.journal_reading import LeftOver, keep_aside, kept_history, recover
from dubbin.core.episode.model import Episode
from dubbin.core.episode.saving import Saved, Saving, file_digest, is_changed
from dubbin.core.episode.unknown_fields import Tree
from dubbin.core.errors import BadEpisode
from dubbin.core.texts import tr

Listener = Callable[[Episode, Episode], None]


def new_episode(title: str = tr("Untitled episode")) -> Episode:
    """An empty episode with a name of its own."""
    return Episode(id=uuid.uuid4().hex[:12], title=title)


class Document:
    """The one truth about an open episode. Listeners get (before, after), also for previews.

    `preview` shows a state without making it a step (while a slider is dragged); the next `do`, or
    `end_preview`, puts an end to it.
    """

    def __init__(
        self,
        journal_folder: Path,
        episode: Episode | None = None,
        path: Path | None = None,
        history: History | None = None,
        unknown: Tree | None = None,
        goes_on: GoesOn | None = None,
    ) -> None:
        """unknown: fields of the episode's file that are not known here, to be written back. goes_on: a journal that holds the history."""
        self.history = history or History(episode or new_episode())
        self.path = path
        self._unknown = unknown or {}
        self._on_trouble: Callable[[str], None] | None = None
        self._trouble = ""
        self._journal = Journal(journal_folder, self.history, path, self._tell_trouble, goes_on)
        self._saved: Episode = self.history.episode
        self._on_disk = file_digest(path)
        self._preview: Episode | None = None
        self._listeners: list[Listener] = []

    @classmethod
    def opened(cls, journal_folder: Path, path: Path) -> Document:
        """Open an episode file; what led to it in earlier sessions can be undone. Raises BadEpisode."""
        episode, unknown = read_episode(path)
        kept = kept_history(journal_folder, episode)
        if kept is None:
            return cls(journal_folder, episode, path, None, unknown)
        document = cls(journal_folder, None, path, kept.history, unknown, kept.goes_on)
        document._saved = episode
        if kept.goes_on is None:
            document._journal.saved(path, digest(episode))
        return document

    @classmethod
    def recovered(cls, journal_folder: Path, item: LeftOver) -> Document:
        """Take up where a program that ended without warning left off. Raises BadEpisode."""
        found = recover(item)
        kept = keep_aside(item.journal) if found.is_damaged else None
        document = cls(journal_folder, None, item.episode_path, found.history, _unknown_of(item.episode_path), found.goes_on)
        if found.base is not None:
            document._saved = found.base
        if found.goes_on is None and item.journal != document._journal.path:
            with suppress(OSError):  # where it stays, it is offered again
                item.journal.unlink()
        if found.is_damaged:
            last = next((step.title for step in reversed(found.history.done) if step.title), "")
            told = tr("The journal was damaged: what was done after “{title}” could not be brought back.").format(title=last)
            document._tell_trouble(told + (" " + tr("The whole of it is kept as {file}.").format(file=kept) if kept else ""))
        return document

    def watch_trouble(self, told: Callable[[str], None]) -> None:
        """Have what goes wrong with the journal told, from any thread; also what went wrong before."""
        self._on_trouble = told
        if self._trouble:
            told(self._trouble)

    def _tell_trouble(self, text: str) -> None:
        self._trouble = text
        if self._on_trouble is not None:
            self._on_trouble(text)

    @property
    def episode(self) -> Episode:
        """The present episode; the preview while there is one."""
        return self._preview or self.history.episode

    @property
    def is_saved(self) -> bool:
        """Whether the file holds the present state."""
        return self.path is not None and self.history.episode == self._saved

    @property
    def has_changes(self) -> bool:
        """Whether closing now would lose something."""
        return self.history.episode != self._saved

    @property
    def is_changed_elsewhere(self) -> bool:
        """Whether the file holds something else than when it was opened or saved here: another program has written it. One that is gone is not changed."""
        return is_changed(self.path, self._on_disk)

    def listen(self, listener: Listener) -> Callable[[], None]:
        """Call `listener` after every change; returns what ends it, once or more often."""
        self._listeners.append(listener)

        def end() -> None:
            if listener in self._listeners:
                self._listeners.remove(listener)

        return end

    def do(self, change: Change) -> bool:
        """Take over a change and note it in the journal; whether it changed anything."""
        before = self.episode
        self._preview = None
        steps = len(self.history.done)
        done = self.history.do(change)
        if done:
            self._journal.did(self.history.done[-1], joins=len(self.history.done) == steps)
        self._tell(before)
        return done

    def go_to(self, steps: int) -> None:
        """Undo or redo until so many steps are done."""
        before = self.episode
        self._preview = None
        while len(self.history.done) > max(steps, 0):
            self.history.undo()
            self._journal.undid()
        while len(self.history.done) < steps and self.history.undone:
            self.history.redo()
            self._journal.redid()
        self._tell(before)

    def preview(self, episode: Episode) -> None:
        """Show a state without making it a step."""
        before = self.episode
        self._preview = episode
        self._tell(before)

    def end_preview(self) -> None:
        """Back to the last step (Esc during a drag)."""
        before = self.episode
        self._preview = None
        self._tell(before)

    def undo(self) -> str | None:
        """Undo one step; its title."""
        before = self.episode
        self._preview = None
        step = self.history.undo()
        if step is None:
            return None
        self._journal.undid()
        self._tell(before)
        return step.title

    def redo(self) -> str | None:
        """Do an undone step again; its title."""
        before = self.episode
        self._preview = None
        step = self.history.redo()
        if step is None:
            return None
        self._journal.redid()
        self._tell(before)
        return step.title

    def save(self, path: Path | None = None) -> None:
        """Write the episode file (to `path`, which is its place from then on). Raises CannotWrite."""
        self.note(self.saving(path, over=True).write())

    def saving(self, path: Path | None = None, *, over: bool = False) -> Saving:
        """The present state on its way to the file (to `path`, which is its place once it is there): to be written on any thread. over: whatever stands there."""
        target = path or self.path
        assert target is not None, tr("an episode without a place must be given one")
        return Saving(self.history.episode, target, self._unknown, None if over or target != self.path else self._on_disk)

    def note(self, saved: Saved) -> None:
        """Take note of a state that was written. Steps that were taken meanwhile are not saved."""
        self.path, self._on_disk, self._saved = saved.path, saved.on_disk, saved.episode
        if self.history.episode == saved.episode:
            self._journal.saved(saved.path, saved.known_by)
        self._tell(self.episode)

    def close(self) -> None:
        """Let go of the episode: its journal is kept where everything is saved."""
        if self.is_saved and self.path is not None:
            self._journal.saved(self.path, digest(as_read(self.history.episode)))
        self._journal.close(keep=self.is_saved)

    def leave(self) -> None:
        """Let go of the episode as it is, as when a program ends without warning: what is not saved is offered at the next start."""
        self._journal.abandon()

    def _tell(self, before: Episode) -> None:
        for listener in list(self._listeners):
            listener(before, self.episode)


def _unknown_of(path: Path | None) -> Tree:
    """What the file of an episode holds besides; nothing where it can't be read any more."""
    try:
        return read_episode(path)[1] if path is not None else {}
    except BadEpisode:
        return {}
