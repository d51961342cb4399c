"""The edit as a list for other programs."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.deliver.edit_lists import FORMS, write_edit_list
from dubbin.window.edit.writing import write_and_say
from dubbin.window.shell.shared import Shared

EDIT_FILES = "OpenTimelineIO (*.otio);;EDL, CMX 3600 (*.edl);;Table (*.csv);;Labels (*.txt)"


class EditExport:
    def __init__(self, shared: Shared) -> None:
        self._window, self._folder, self._session = shared.window, shared.folder, shared.session

    def ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, "Write the edit", self._folder(), EDIT_FILES)
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """By the file's ending; OpenTimelineIO where it has none that is known."""
        target = path if path.suffix.lower() in FORMS else path.with_name(path.name + ".otio")
        write_and_say(self._session, lambda: write_edit_list(self._session.episode, target), target)
