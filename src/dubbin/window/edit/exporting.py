"""The edit as a list for other programs."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from dubbin.core.deliver.edit_lists import FORMS, FRAMES_PER_S, write_edit_list
from dubbin.core.deliver.timecode import USUAL
from dubbin.core.texts import tr
from dubbin.window.edit.writing import write_and_say
from dubbin.window.shell.shared import Shared

FPS = tr("frames a second of the picture")
EDIT_FILES = tr("OpenTimelineIO (*.otio);;EDL, CMX 3600 (*.edl);;Table (*.csv);;Tab-separated list (*.txt)")


class EditExport:
    def __init__(self, shared: Shared) -> None:
        self._window, self._folder, self._session, self._preferences = shared.window, shared.folder, shared.session, shared.preferences

    def ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Export the edit list"), self._folder(), EDIT_FILES)
        if not name:
            return
        fps: float | None = FRAMES_PER_S
        if Path(name).suffix.lower() == ".edl":
            fps = self._ask_fps()
        if fps is not None:
            self.write(Path(name), fps)

    def _ask_fps(self) -> float | None:
        """Frames a second of the picture, which an EDL counts in; None where nothing was chosen."""
        last = self._preferences.get(FPS, f"{FRAMES_PER_S}")
        choices = list(USUAL) if last in USUAL else [*USUAL, last]
        text, done = QInputDialog.getItem(
            self._window, tr("Export the edit list"), tr("Frames a second of the picture:"), choices, choices.index(last), True
        )
        if not done:
            return None
        try:
            fps = float(text.replace(",", "."))
        except ValueError:
            self._session.said.emit(tr("“{text}” is no number of frames a second.").format(text=text))
            return None
        self._preferences.set(FPS, text)
        return fps

    def write(self, path: Path, fps: float = FRAMES_PER_S) -> None:
        """By the file's ending; OpenTimelineIO where it has none that is known."""
        target = path if path.suffix.lower() in FORMS else path.with_name(path.name + ".otio")
        write_and_say(self._session, lambda: write_edit_list(self._session.episode, target, fps), target)
