"""Asks for recordings: to be added, or where one is now."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.texts import tr
from dubbin.window.shell.file_kinds import SOUND_FILES
from dubbin.window.shell.shared import Shared


class RecordingFiles:
    def __init__(self, shared: Shared) -> None:
        self._window, self._session, self._folder = shared.window, shared.session, shared.folder

    def choose(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self._window, tr("Add recordings"), self._folder(), SOUND_FILES)
        if names:
            self._session.recordings.add_files([Path(n) for n in names])

    def choose_moved(self, recording_id: str) -> None:
        """Ask where a recording's file is now."""
        path = Path(self._session.episode.recording(recording_id).path)
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Where is {name} now?").format(name=path.name), self._folder(), SOUND_FILES)
        if name:
            self._session.recordings.relink(recording_id, Path(name))
