"""What every step's page has: a job card for the right side, an evidence pane for below the lanes, and what it asks of the frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from dubbin.window.lanes.overlays import Overlays
from dubbin.window.shell.shared import Shared


@dataclass(frozen=True)
class Status:
    """What the step list says of a step, and whether something is done there."""

    text: str
    done: bool = False


class Page(QObject):
    """Subclasses fill `card` and set `evidence`, declare overlays and sizes, and show the model's state in `refresh`.

    overlays: what stands on the lanes besides the sound. sizes: heights of lanes and evidence, in their proportion.
    """

    overlays = Overlays()
    sizes = (390, 210)
    status_changed = pyqtSignal()

    def __init__(self, shared: Shared) -> None:
        super().__init__()
        self.shared = shared
        self.session, self.selection, self.theme = shared.session, shared.selection, shared.theme
        self.card = QWidget()
        self.card.setObjectName("scrolled")
        self.column = QVBoxLayout(self.card)
        self.column.setContentsMargins(12, 4, 12, 12)
        self.column.setSpacing(9)
        self.evidence: QWidget = QWidget()
        self.is_open = False

    def connect_model(self) -> None:
        """Show the model, then follow it."""
        session = self.session
        self.refresh()
        for signal in (session.episode_changed, session.sounds_changed, session.findings_changed, session.lane_picked):
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

    def takers(self) -> dict[str, Callable[[Path], bool | None]]:
        """What the page does with files that are dropped on the window, by their suffix. One that returns False leaves a file to the others."""
        return {}

    def title(self) -> str:
        """What the job card is about: usually the picked lane."""
        lane = self.session.picked_lane
        return lane.voice if lane else ""

    def status(self) -> Status:
        """The step's line in the step list; every page has its own."""
        return Status("")
