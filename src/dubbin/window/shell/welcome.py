"""The welcome page: what one can begin with, while the episode holds nothing."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.action import ActionButton, ActionList
from dubbin.window.parts.card import label
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.shell.window_memory import RecentEpisodes

BEGINNINGS = ("add-recordings", "open-folder", "open", "open-demo")


class Welcome(QScrollArea):
    """Drop recordings anywhere, or begin with one of these."""

    def __init__(self, actions: ActionList, recent: RecentEpisodes, open_episode: Callable[[Path], None]) -> None:
        super().__init__()
        self._recent, self._open = recent, open_episode
        self.setWidgetResizable(True)
        self.setAccessibleName(tr("Welcome"))
        inside = QWidget()
        inside.setObjectName("scrolled")
        column = QVBoxLayout(inside)
        column.setContentsMargins(40, 30, 40, 24)
        column.setSpacing(14)
        column.addWidget(self._drop_area(actions))
        self.heading = label(tr("Recent episodes"), "section")
        column.addWidget(self.heading)
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        column.addLayout(self.list)
        column.addStretch(1)
        self.setWidget(inside)
        self.refresh()

    @staticmethod
    def _drop_area(actions: ActionList) -> QFrame:
        area = QFrame()
        area.setObjectName("drop")
        column = QVBoxLayout(area)
        column.setContentsMargins(24, 26, 24, 26)
        column.setSpacing(10)
        for text, kind in (
            (tr("Drop recordings here"), "headline"),
            (
                tr("One file a microphone: WAV, FLAC, MP3, M4A, Ogg, Opus, AIFF, or the sound of a video. Your files are never changed."),
                "muted",
            ),
        ):
            line = label(text, kind, wrap=True)
            line.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            column.addWidget(line)
        grid = QGridLayout()
        grid.setSpacing(8)
        for k, id in enumerate(BEGINNINGS):
            button = ActionButton(actions, id)
            if id == BEGINNINGS[0]:
                button.setProperty("kind", "main")
            grid.addWidget(button, k // 2, 1 + k % 2)
        for side in (0, 3):
            grid.setColumnStretch(side, 1)
        column.addSpacing(8)
        column.addLayout(grid)
        return area

    def refresh(self) -> None:
        """List the episodes that were open."""
        clear_layout(self.list)
        found = self._recent.changed_at()
        self.heading.setVisible(bool(found))
        for path, changed_at in found.items():
            self.list.addWidget(self._entry(path, changed_at))

    def _entry(self, path: Path, changed_at: float) -> QPushButton:
        when = time.strftime("%-d %B %Y, %H:%M", time.localtime(changed_at))
        button = QPushButton(f"{path.stem}   ·   {when}")
        button.setProperty("kind", "row")
        button.setToolTip(str(path))
        button.clicked.connect(lambda: self._open(path))
        return button
