"""What every page has: a job card for the right side and an evidence pane for below the lanes."""

from __future__ import annotations

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.theme import Theme


class Page(QObject):
    """Subclasses fill `card` and set `evidence`, and show the model's state in `refresh`."""

    shows_pauses = False
    shows_findings = False
    shows_words = False
    shows_levels = False
    shows_reductions = False

    def __init__(self, desk: Desk, selection: Selection, theme: Theme) -> None:
        super().__init__()
        self.desk, self.selection, self.theme = desk, selection, theme
        self.card = QWidget()
        self.card.setObjectName("scrolled")
        self.column = QVBoxLayout(self.card)
        self.column.setContentsMargins(12, 4, 12, 12)
        self.column.setSpacing(9)
        self.evidence: QWidget = QWidget()
        self.is_open = False

    def connect_model(self) -> None:
        """Show the model, then follow it."""
        self.refresh()
        for signal in (self.desk.episode_changed, self.desk.sounds_changed, self.desk.findings_changed,
                       self.desk.selection_changed):  # fmt: skip
            signal.connect(self._refresh_if_open)

    def _refresh_if_open(self, *_: object) -> None:
        if self.is_open:
            self.refresh()

    def opened(self) -> None:
        """The page came to the front."""
        self.is_open = True
        self.refresh()

    def closed(self) -> None:
        self.is_open = False

    def refresh(self) -> None:
        """Show the model's present state; every page has its own."""

    def title(self) -> str:
        """What the job card is about: usually the picked lane."""
        lane = self.desk.picked_lane
        return lane.voice if lane else ""
