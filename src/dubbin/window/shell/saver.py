"""Saves the open episode in the background: the window goes on, also where the folder takes long to answer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QMessageBox, QWidget

from dubbin.core.episode.backups import keep_backup
from dubbin.core.episode.document import Document
from dubbin.core.episode.saving import Saved, Saving
from dubbin.core.errors import ChangedElsewhere
from dubbin.core.texts import tr
from dubbin.window.session.preferences import BACKUPS, Preferences
from dubbin.window.session.session import Session

SLOT = "save"
PATIENCE_MS = 700  # until a person who waits for it is told what is waited for

Written = tuple[Saved | None, str]  # what stands in the file, None where another program has changed it; what is to be said of the backup


class Saver(QObject):
    """One state after the other: what is asked for while one is being written follows it."""

    said = pyqtSignal(str)
    saved = pyqtSignal(object)  # Path
    refused = pyqtSignal(object, bool)  # Path: another program has changed the file; whether nobody had asked to save
    ended = pyqtSignal()

    def __init__(self, window: QWidget, session: Session, preferences: Preferences) -> None:
        super().__init__(window)
        self._window, self._session, self._preferences = window, session, preferences
        self._next: Callable[[], None] | None = None
        self.is_left_behind = False  # somebody leaves without waiting for what is being written

    @property
    def is_busy(self) -> bool:
        """Whether something is on its way to the disk."""
        return self._session.jobs.is_busy(SLOT)

    def start(self, path: Path | None = None, *, over: bool = False, by_itself: bool = False) -> None:
        """Save to `path`, or to the episode's place. over: whatever stands there. by_itself: nobody has asked for it."""
        if self.is_busy:
            self._next = lambda: self.start(path, over=over, by_itself=by_itself)
            return
        session, document = self._session, self._session.document
        saving, folder = document.saving(path, over=over), session.folders.backups / session.episode.id
        most = int(self._preferences.get("backups", BACKUPS))

        def done(written: Written) -> None:
            self._done(document, written, by_itself)

        session.jobs.start(SLOT, tr("Saving"), lambda _: _written(saving, folder, most), done, saves=True, failed=self._failed)

    def _done(self, document: Document, written: Written, by_itself: bool) -> None:
        saved, about_backup = written
        if about_backup:
            self.said.emit(about_backup)
        if saved is None:
            self._next = None
            self._end()
            self.refused.emit(document.path, by_itself)
            return
        document.note(saved)  # which need not be the one that is open now
        self.saved.emit(saved.path)
        self._end()

    def _failed(self) -> None:
        """The reason is told by the jobs. Who asked for a later state is served, too: it may go to another place."""
        QTimer.singleShot(0, self._end)

    def _end(self) -> None:
        following, self._next = self._next, None
        if following is not None:
            following()
        else:
            self.ended.emit()

    def wait(self) -> bool:
        """Let the window live until all is written; False when the person would rather not wait for it: to stay, or to leave (`is_left_behind`)."""
        self.is_left_behind = False
        if not self.is_busy:
            return True
        loop = QEventLoop()
        self.ended.connect(loop.quit)
        patience = QTimer(loop)
        patience.setSingleShot(True)
        patience.timeout.connect(loop.quit)
        patience.start(PATIENCE_MS)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        patience.stop()
        if self.is_busy:
            self._tell_what_is_waited_for()
        return not self.is_busy

    def _tell_what_is_waited_for(self) -> None:
        box = QMessageBox(self._window)
        box.setWindowTitle(tr("Saving"))
        box.setText(tr("“{title}” is being saved; its folder takes long to answer.").format(title=self._session.episode.title))
        box.setInformativeText(
            tr("The window goes on by itself once it is done. Who leaves now is offered the unsaved steps when Dubbin starts again.")
        )
        stay = box.addButton(tr("Stay"), QMessageBox.ButtonRole.RejectRole)
        leave = box.addButton(tr("Leave all the same"), QMessageBox.ButtonRole.DestructiveRole)
        box.setDefaultButton(stay)
        box.setEscapeButton(stay)
        self.ended.connect(box.accept)
        box.exec()
        if box.clickedButton() is leave and self.is_busy:
            self.is_left_behind = True
            self._session.document.leave()
        self.ended.disconnect(box.accept)
        box.deleteLater()


def _written(saving: Saving, folder: Path, most_backups: int) -> Written:
    """Keep what stands there as a backup, and write anew. Raises CannotWrite."""
    about_backup = ""
    try:
        saving.check()
        try:
            keep_backup(saving.path, folder, most_backups)
        except OSError as error:
            about_backup = tr("No backup could be kept: {strerror}. The episode itself is saved.").format(strerror=error.strerror)
        return saving.write(), about_backup
    except ChangedElsewhere:
        return None, ""
