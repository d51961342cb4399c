"""Episode files: new, opened, saved, left, and taken up again after a crash."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from dubbin.core.deliver.master import safe_name
from dubbin.core.episode.backups import backups
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import SUFFIX, load_episode
from dubbin.core.episode.journal_reading import LeftOver, discard, left_over
from dubbin.core.errors import DubbinError
from dubbin.core.figures import clock, number
from dubbin.core.sound.folder import recordings_in
from dubbin.core.texts import tr, tr_count
from dubbin.core.there import is_folder_there
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.session import Session
from dubbin.window.shell.changed_elsewhere import ask_before_saving
from dubbin.window.shell.file_kinds import EPISODE_FILES
from dubbin.window.shell.former_lanes import FormerLanes
from dubbin.window.shell.notices import Notices
from dubbin.window.shell.read_apart import read_apart
from dubbin.window.shell.recovery import RecoveryDialog, is_sure
from dubbin.window.shell.saver import Saver
from dubbin.window.shell.step import Step
from dubbin.window.shell.window_memory import RecentEpisodes

Taker = Callable[[Path], bool | None]  # False: this is nothing of its kind
ORDERED = ("master", "card")  # slots of work that takes minutes and that nobody wants to lose by closing the window


class EpisodeFiles:
    """Every way from one episode to another, and onto the disk."""

    def __init__(
        self, window: QWidget, session: Session, notices: Notices, set_document: Callable[[Document], None], go_step: Callable[[Step], None],
        preferences: Preferences, recent: RecentEpisodes,
    ) -> None:  # fmt: skip
        """set_document: has another document shown by the whole window."""
        self._window, self._session, self._notices = window, session, notices
        self._set_document, self._go_step = set_document, go_step
        self.recent = recent
        self.demo_opened: Callable[[], None] = lambda: None
        self._takers: dict[str, list[Taker]] = {}  # what is done with a dropped file, by its suffix
        self.saver = Saver(window, session, preferences)
        self.saver.saved.connect(recent.add)
        self.saver.said.connect(notices.say)
        self.saver.refused.connect(self._ask_about_other)
        self._former_lanes = FormerLanes(session, notices)

    @property
    def _journals(self) -> Path:
        return self._session.folders.journals

    def folder(self) -> str:
        """Where file dialogs begin: beside the episode, or at home."""
        path = self._session.document.path
        return str(path.parent if path else Path.home())

    # -- another episode --------------------------------------------------------------

    def new(self) -> None:
        if self.may_leave():
            self._set_document(Document(self._journals))
            self._go_step(Step.INTAKE)

    def choose(self) -> None:
        if not self.may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Open an episode"), self.folder(), EPISODE_FILES)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open an episode file; says why when it can't."""
        if self._show(path, lambda: Document.opened(self._journals, path)):
            self.recent.add(path)

    def _show(self, path: Path | None, read: Callable[[], Document]) -> bool:
        """Show the document that `read` gives, from the file at `path`; whether it could be read, and was waited for."""
        name = path.name if path is not None else tr("the episode")
        try:
            document = read_apart(self._window, tr("Opening {name} …").format(name=name), read, Document.leave)
        except DubbinError as error:
            self._notices.say(str(error))
            return False
        if document is not None:
            self._set_document(document)
        return document is not None

    def open_recent(self, path: Path) -> None:
        """Open one of the episodes that were open before."""
        if self.may_leave():
            self.open(path)

    def close(self) -> None:
        """Close the episode: the welcome page is shown."""
        self.new()

    def choose_backup(self) -> None:
        """Open an earlier saved state, as an episode that has no place yet: the present file stays as it is."""
        folder = self._backup_folder()
        found = backups(folder)
        if not found:
            self._notices.say(tr("No backup is kept of this episode yet: one is made of what was saved before, with every save."))
            return
        texts = [time.strftime("%-d %B %Y, %H:%M:%S", time.localtime(b.saved_at)) for b in found]
        text, done = QInputDialog.getItem(self._window, tr("Open a backup"), tr("Saved at:"), texts, 0, False)
        if done and self.may_leave():
            self.open_backup(found[texts.index(text)].path)

    def open_backup(self, path: Path) -> None:
        if self._show(path, lambda: Document(self._journals, load_episode(path))):
            self._notices.say(tr("This is a backup. Save as … keeps it; the episode's own file is as it was."))

    def _backup_folder(self) -> Path:
        return self._session.folders.backups / self._session.episode.id

    def open_demo(self) -> None:
        from dubbin.demo.episode import build_demo

        if self.may_leave():
            folder, copies = self._session.folders.documents / tr("Slow Ferry demo"), self._session.recordings.copies
            self._session.jobs.start("demo", tr("Building the demo"), lambda task: build_demo(folder, copies, task), self._open_built)

    def _open_built(self, path: Path) -> None:
        self.open(path)
        self.demo_opened()

    def add_takers(self, takers: Mapping[str, Taker]) -> None:
        """Have files of some suffixes taken over where they are dropped; who came last is asked first."""
        for suffix, taker in takers.items():
            self._takers.setdefault(suffix, []).insert(0, taker)

    def take(self, paths: list[Path]) -> None:
        """Files that were dropped: an episode is opened, a transcript, a recipe or a cover is taken over, everything else is imported."""
        episodes = [p for p in paths if p.suffix == SUFFIX]
        if episodes:
            if self.may_leave():
                self.open(episodes[0])
            return
        for path in [p for p in paths if p.suffix.lower() in self._takers]:
            if self._session.episode.lanes:
                any(taker(path) is not False for taker in self._takers[path.suffix.lower()])  # the first that knows it
            else:
                self._notices.say(tr("{name} goes with recordings: add these first.").format(name=path.name))
        paths = [p for p in paths if p.suffix.lower() not in self._takers]
        looking = tr("Looking at what was dropped …")
        folders = read_apart(self._window, looking, lambda: [p for p in paths if is_folder_there(p)]) if paths else []
        if folders is None:
            return  # nobody would wait for it
        for folder in folders:
            self.take_folder(folder)
        files = [p for p in paths if p not in folders]
        if files:
            self._session.recordings.add_files(files)
            self._go_step(Step.INTAKE)

    def choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, tr("A folder with the recordings of one session"), self.folder())
        if name:
            self.take_folder(Path(name))

    def take_folder(self, folder: Path) -> None:
        """The recordings of a folder as one episode, lined up by their sound; a new one, where the present one has recordings."""
        try:
            paths = read_apart(self._window, tr("Reading {name} …").format(name=folder.name), lambda: recordings_in(folder))
        except OSError as error:
            self._notices.say(tr("{folder} could not be read: {strerror}.").format(folder=folder, strerror=error.strerror))
            return
        if paths is None:
            return  # nobody would wait for it
        if not paths:
            self._notices.say(tr("The folder {folder} holds no recordings.").format(folder=folder))
            return
        if self._session.episode.recordings:
            if not self.may_leave():
                return
            self._set_document(Document(self._journals))
        self._session.recordings.add_folder(folder, paths)
        self._go_step(Step.INTAKE)

    # -- saving -----------------------------------------------------------------------

    def save(self) -> None:
        """Save to the episode's place, or ask for one; the window goes on meanwhile."""
        if self._session.document.path is None:
            self.save_as()
        else:
            self.saver.start()

    def save_as(self) -> bool:
        """Ask for a place and save there; whether one was chosen."""
        suggestion = Path(self.folder()) / f"{safe_name(self._session.episode.title)}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Save the episode"), str(suggestion), EPISODE_FILES)
        if name:
            self.saver.start(Path(name if name.endswith(SUFFIX) else name + SUFFIX), over=True)
        return bool(name)

    def save_now(self) -> bool:
        """Save, and wait for it; whether everything is saved."""
        self.save()
        return self.saver.wait() and self._session.document.is_saved

    def _ask_about_other(self, path: Path, by_itself: bool) -> None:
        """Somebody else has written the file: what now? Where nobody has asked to save, what is said already goes before."""
        if by_itself and self._notices.isVisible():
            return
        ask_before_saving(self._notices, path, lambda: self.saver.start(over=True), self.save_as)

    def autosave(self) -> None:
        """Save where it can be done without a question."""
        if self._session.document.path is not None and self._session.document.has_changes and not self.saver.is_busy:
            self.saver.start(by_itself=True)

    def may_leave(self) -> bool:
        """Ask what to do with unfinished work and unsaved changes; False when the person stays."""
        if not self._may_stop():
            return False
        if not self.saver.wait():
            return self.saver.is_left_behind
        if not self._session.document.has_changes:
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle(tr("Unsaved changes"))
        box.setText(tr("“{title}” has changes that are not saved.").format(title=self._session.episode.title))
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        box.setDefaultButton(kinds.Save)
        answer = box.exec()
        if answer == kinds.Save:
            return self.save_now() or self.saver.is_left_behind
        return bool(answer == kinds.Discard)

    def _may_stop(self) -> bool:
        """Ask before work is stopped that somebody has ordered; False when the person stays."""
        jobs = self._session.jobs
        job = next((job for slot in ORDERED if (job := jobs.job(slot)) is not None), None)
        if job is None:
            return True
        left = tr(", about {remaining_s} left").format(remaining_s=clock(job.remaining_s)) if job.remaining_s is not None else ""
        box = QMessageBox(self._window)
        box.setWindowTitle(tr("Work in progress"))
        box.setText(tr("{title}: {fraction} % done{left}.").format(title=job.title, fraction=number(100 * job.fraction, 0), left=left))
        box.setInformativeText(tr("Leaving now stops it. Files that are finished stay; no half-made file does."))
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Yes | kinds.No)
        for kind, text in ((kinds.Yes, tr("Stop and leave")), (kinds.No, tr("Stay"))):
            button = box.button(kind)
            if button is not None:
                button.setText(text)
        box.setDefaultButton(kinds.No)
        return bool(box.exec() == kinds.Yes)

    # -- after a crash ----------------------------------------------------------------

    def offer_left_over(self) -> None:
        """Say that an episode was left by a program that ended without warning, and offer it."""
        found = left_over(self._journals)
        if len(found) == 1:
            (item,) = found
            steps = tr_count("{count} step not saved", "{count} steps not saved", item.steps)
            self._notices.say(
                tr("Dubbin ended unexpectedly. “{title}” is kept up to “{last_step}” ({steps}).").format(
                    title=item.title, last_step=item.last_step, steps=steps
                ),
                ((tr("Recover"), lambda: self.recover(item)), (tr("Discard …"), lambda: self._discard(item))),
            )
        elif found:
            self._notices.say(
                tr("Dubbin ended unexpectedly. Unsaved changes of {count} episodes are kept.").format(count=len(found)),
                ((tr("Show them …"), self.show_left_over),),
            )

    def show_left_over(self) -> None:
        """All episodes that were left with unsaved changes, each to be recovered or discarded."""
        if not left_over(self._journals):
            self._notices.say(tr("There is nothing to recover."))
            return
        RecoveryDialog(self._journals, self.recover, self._window).exec()

    def _discard(self, item: LeftOver) -> None:
        if not is_sure(self._window, item):
            return
        try:
            discard(item)
        except DubbinError as error:
            self._notices.say(str(error))

    def recover(self, item: LeftOver) -> None:
        self._show(item.episode_path, lambda: Document.recovered(self._journals, item))
