"""Breaks and sound files that are put into the program at the play head."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.episode.commands.arrangement import insert_break, insert_recording
from dubbin.core.episode.importing import ImportedFile, import_file
from dubbin.core.episode.model import Role, new_id
from dubbin.core.jobs import Task
from dubbin.core.texts import tr
from dubbin.window.edit.dialogs import BreakDialog
from dubbin.window.shell.file_kinds import SOUND_FILES
from dubbin.window.shell.shared import Shared

BREAK_S = 1.0


class Inserting:
    def __init__(self, shared: Shared) -> None:
        self._window, self._folder, self._session, self._selection = shared.window, shared.folder, shared.session, shared.selection

    def ask_break(self) -> None:
        dialog = BreakDialog(self._window)
        if dialog.exec():
            self.insert_break(*dialog.values())

    def insert_break(self, seconds: float = BREAK_S, name: str = tr("Break"), cue: bool = False) -> None:
        """A gap for an inserted advertisement; cue: with a tone at its beginning."""
        frames = round(seconds * self._session.episode.rate)
        self._session.do(insert_break(self._session.episode, self._selection.head, frames, new_id(), name, cue))

    def ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Sound to put in at the play head"), self._folder(), SOUND_FILES)
        if name:
            self.insert_file(Path(name))

    def insert_file(self, path: Path) -> None:
        """Put a sound file in at the play head."""
        at, rate, copies = self._selection.head, self._session.episode.rate, self._session.recordings.copies

        def work(task: Task) -> ImportedFile:
            return import_file(path, copies, rate, task)

        def done(imported: ImportedFile) -> None:
            lanes = [
                replace(lane, role=Role.MUSIC if lane.role is Role.VOICE and len(lane.channels) > 1 else lane.role)
                for lane in imported.lanes
            ]
            self._session.do(insert_recording(self._session.episode, imported.recording, lanes, at, new_id(), lanes[0].voice))
            if imported.remarks:
                self._session.said.emit("\n".join(imported.remarks))

        self._session.jobs.start(("insert", path), tr("Reading {name}").format(name=path.name), work, done)
