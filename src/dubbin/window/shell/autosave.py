"""Saves an episode that has changed every few minutes, as the preferences say."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from dubbin.window.session.preferences import AUTOSAVE_MINUTES, Preferences
from dubbin.window.shell.files import EpisodeFiles


class Autosave(QObject):
    def __init__(self, files: EpisodeFiles, preferences: Preferences, parent: QObject) -> None:
        super().__init__(parent)
        self._files, self._preferences = files, preferences
        self._minutes = 0
        timer = QTimer(self)
        timer.timeout.connect(self.count_minute)
        timer.start(60_000)

    def count_minute(self) -> None:
        """One more minute has gone by: save if that is due."""
        wanted = int(self._preferences.get("autosave_minutes", AUTOSAVE_MINUTES))
        self._minutes += 1
        if wanted and self._minutes >= wanted:
            self._minutes = 0
            self._files.autosave()
