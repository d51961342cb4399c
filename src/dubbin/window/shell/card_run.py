"""Run the card in the window: in the background, as ordinary changes, with a list of what was done whose entries have switches."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.mix.card_entry import Entry
from dubbin.core.mix.run_card import CardResources, CardResult, run_card
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

SLOT = "card"


class CardRun(QObject):
    """`changed` when it begins, goes on to another step, or is done."""

    changed = pyqtSignal()
    _told = pyqtSignal(str)

    def __init__(self, session: Session, speech: Speech) -> None:
        super().__init__()
        self._session, self._speech = session, speech
        self.entries: tuple[Entry, ...] = ()
        self.step = ""
        self._of = self._document = session.document
        self._told.connect(self._on_told)
        session.episode_changed.connect(self._on_episode_changed)

    @property
    def is_running(self) -> bool:
        return bool(self._session.jobs.is_busy(SLOT))

    def can_run(self) -> bool:
        return not self.is_running and self._session.recordings.are_all_read

    def run(self) -> None:
        """Begin; what came of it is done when everything is known."""
        if not self.can_run():
            return
        episode, session = self._session.document.history.episode, self._session
        resources = CardResources(session.recordings.copies, session.tile_cache, session.kept, self._speech.models)
        self._of = self._session.document

        def work(task: Task) -> CardResult:
            return run_card(episode, resources, task, self._told.emit)

        session.jobs.start(SLOT, "Running the card", work, self._done)
        self.changed.emit()

    def _on_told(self, step: str) -> None:
        self.step = step
        self.changed.emit()

    def _done(self, ran: CardResult) -> None:
        session = self._session
        if session.document is not self._of:
            return  # another episode is on the session now
        for change in ran.changes:
            session.do(change(session.document.history.episode))
            session.end_merge()
        self.entries, self.step = ran.entries, ""
        if ran.remarks:
            session.said.emit("\n".join(ran.remarks))
        self.changed.emit()

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if self._session.document is not self._document:
            self._document = self._session.document
            self.entries, self.step = (), ""
            self.changed.emit()

    def is_on(self, entry: Entry) -> bool:
        return entry.is_on(self._session.episode)

    def switch(self, entry: Entry, on: bool) -> None:
        self._session.do(entry.switched(self._session.document.history.episode, on))
        self._session.end_merge()
