"""The place that one works at: play head, selected stretch and picked cut."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Cut


@dataclass(frozen=True)
class Band:
    """Frequencies of one lane, selected together with the range."""

    lane_id: str
    low_hz: float
    high_hz: float


class Selection(QObject):
    """Session frames throughout."""

    head_changed = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.head = 0
        self.range: tuple[int, int] | None = None
        self.cut: Cut | None = None
        self.band: Band | None = None

    def set_head(self, frame: int) -> None:
        if frame != self.head:
            self.head = max(0, frame)
            self.head_changed.emit()

    def select(self, start: int, end: int, band: Band | None = None) -> None:
        self.range = (min(start, end), max(start, end)) if start != end else None
        self.cut, self.band = None, band
        self.changed.emit()

    def pick_cut(self, cut: Cut | None) -> None:
        if cut != self.cut or self.range is not None:
            self.cut, self.range, self.band = cut, None, None
            self.changed.emit()

    def clear(self) -> None:
        if self.range is not None or self.cut is not None:
            self.range, self.cut, self.band = None, None, None
            self.changed.emit()
