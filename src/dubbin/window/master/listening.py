"""The listening page for others, and their comments back."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.deliver.comments import comments_change, is_comments, read_comments
from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.review import write_review
from dubbin.core.errors import DubbinError
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound.writing import check_folder, check_output
from dubbin.core.texts import tr, tr_count
from dubbin.window.session.made_files import say_made
from dubbin.window.shell.shared import Shared


class Listening:
    def __init__(self, shared: Shared) -> None:
        self._window, self._session, self._folder = shared.window, shared.session, shared.folder

    def choose_page(self) -> None:
        if not self._session.recordings.are_all_read:
            return
        name = safe_name(self._session.episode.title)
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, tr("Write a listening page"), str(Path(self._folder()) / f"{name}.html"), tr("Listening pages (*.html)")
        )
        if chosen:
            path = Path(chosen)
            self.write(path if path.suffix.lower() in (".html", ".htm") else path.with_name(f"{path.name}.html"))

    def write(self, path: Path) -> None:
        """Write the page of the episode as it is now, in the background; says why where it can't be."""
        session = self._session
        episode = session.episode
        try:
            check_folder(path.parent)
            check_output(path, tuple(Path(r.path) for r in episode.recordings))
        except DubbinError as error:
            session.said.emit(str(error))
            return
        program = session.monitor.program(mode=MonitorMode.TREATED)

        def done(_: None) -> None:
            text = tr(
                "{name} holds the sound and the words. Send it to whoever shall listen; their comments come back as files, which you drop here."
            )
            say_made(session, text.format(name=path.name), path.parent)

        session.jobs.start(
            "review", tr("Writing {name}").format(name=path.name), lambda task: write_review(program, episode, path, task), done
        )

    def choose_comments(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self._window, tr("Take comments"), self._folder(), tr("Comments (*.json);;All files (*)"))
        if names:
            self.take([Path(name) for name in names])

    def take(self, paths: Sequence[Path]) -> None:
        """Bring files of comments into the episode, as markers."""
        session = self._session
        before = len(session.episode.markers)
        try:
            change = comments_change(session.episode, [read_comments(path) for path in paths])
        except DubbinError as error:
            session.said.emit(str(error))
            return
        count = len(change.episode.markers) - before
        if not count:
            session.said.emit(tr("These comments are here already."))
            return
        session.do(change)
        session.said.emit(
            tr_count(
                "{count} comment taken: it stands in Intake, under Markers, and V goes there.",
                "{count} comments taken: they stand in Intake, under Markers, and V goes from one to the next.",
                count,
            )
        )

    def take_dropped(self, path: Path) -> bool:
        """A file that was dropped, where it holds comments; whether it does."""
        if not is_comments(path):
            return False
        self.take([path])
        return True
