"""What the Edit step is judged by, in tabs: words, pauses and cuts, fillers, retakes, seams, the program's parts, the history."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.theme import Theme


class EditEvidence(QWidget):
    """Only the tab that is seen is refreshed."""

    shown = pyqtSignal(str)

    def __init__(self, theme: Theme, tabs: list[tuple[str, str, QWidget, Callable[[], None]]]) -> None:
        """tabs: key, title, widget, and what refreshes it."""
        super().__init__()
        self.setObjectName("evidence")
        self._refreshers = {key: refresh for key, _, _, refresh in tabs}
        self._keys = [key for key, _, _, _ in tabs]
        self.tabs = Segments(
            theme, tr("What is shown"), [(key, title, "") for key, title, _, _ in tabs], {key: "saddle" for key in self._keys}
        )
        self.pages = QStackedWidget()
        for _, _, widget, _ in tabs:
            self.pages.addWidget(widget)
        row = QHBoxLayout()
        row.setContentsMargins(10, 5, 10, 1)
        row.addWidget(self.tabs)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.pages, 1)
        self.tabs.chosen.connect(self.show_tab)

    @property
    def current(self) -> str:
        return self._keys[self.pages.currentIndex()]

    def show_tab(self, key: str) -> None:
        self.tabs.show_choice(key)
        self.pages.setCurrentIndex(self._keys.index(key))
        self.refresh()
        self.shown.emit(key)

    def refresh(self) -> None:
        self._refreshers[self.current]()
