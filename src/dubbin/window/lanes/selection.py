"""The place that one works at: play head, selected stretch and picked cut."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Cut


class Selection(QObject):
    """Session frames throughout."""

    head_changed = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.head = 0
        self.range: tuple[int, int] | None = None
        self.cut: Cut | None = None

    def set_head(self, frame: int) -> None:
        if frame != self.head:
            self.head = max(0, frame)
            self.head_changed.emit()

    def select(self, start: int, end: int) -> None:
        self.range = (min(start, end), max(start, end)) if start != end else None
        self.cut = None
        self.changed.emit()

    def pick_cut(self, cut: Cut | None) -> None:
        if cut != self.cut or self.range is not None:
            self.cut, self.range = cut, None
            self.changed.emit()

    def clear(self) -> None:
        if self.range is not None or self.cut is not None:
            self.range, self.cut = None, None
            self.changed.emit()
