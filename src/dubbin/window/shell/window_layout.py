"""Where everything stands in the window: header and notices, the steps, lanes over evidence, the job card, the transport; or the welcome in place of the lanes."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from dubbin.window.lanes.lane_heads import LaneHeads, with_heads
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.overview import Overview
from dubbin.window.shell.card_panel import CARD_W, CardPanel
from dubbin.window.shell.header import Header
from dubbin.window.shell.notices import Notices
from dubbin.window.shell.page import Page
from dubbin.window.shell.step import Step
from dubbin.window.shell.steps import StepList
from dubbin.window.shell.transport import Transport
from dubbin.window.shell.welcome import Welcome
from dubbin.window.shell.window_memory import WindowMemory


@dataclass(frozen=True)
class Parts:
    """What stands in the window on every step."""

    header: Header
    notices: Notices
    steps: StepList
    overview: Overview
    lanes: LanesView
    lane_heads: LaneHeads
    welcome: Welcome
    card_panel: CardPanel
    transport: Transport


class WindowLayout(QWidget):
    """rows: lanes over evidence, shared out step by step; columns: both, and the job card. How somebody shared out the room is remembered."""

    def __init__(self, parts: Parts, memory: WindowMemory, width: int) -> None:
        """width: of the window, in pixels."""
        super().__init__()
        self._parts, self._memory = parts, memory
        self._shown = Step.INTAKE
        self._wanted_sizes: list[int] = []
        self._evidence = QStackedWidget()
        self.rows = QSplitter(Qt.Orientation.Vertical)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self._middle = QStackedWidget()
        self._put_together()
        self.columns.setSizes(memory.sizes("frame", (width - CARD_W - parts.steps.width(), CARD_W)))
        self.columns.splitterMoved.connect(lambda *_: memory.keep_sizes("frame", self.columns.sizes()))
        self.rows.setSizes(list(Page.sizes))
        self.rows.splitterMoved.connect(lambda *_: self._keep_sizes())

    def _put_together(self) -> None:
        """From the outside in: whatever is put into another place is styled anew with all that it holds."""
        parts = self._parts
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        body = QHBoxLayout()
        body.setSpacing(0)
        rows.addWidget(parts.header)
        rows.addWidget(_line())
        rows.addWidget(parts.notices)
        rows.addLayout(body, 1)
        rows.addWidget(_line())
        rows.addWidget(parts.transport)
        body.addWidget(parts.steps)
        body.addWidget(self.columns, 1)
        self.columns.setHandleWidth(3)
        self.columns.setChildrenCollapsible(False)
        self.columns.addWidget(self._middle)
        self.columns.addWidget(parts.card_panel)
        self.columns.setStretchFactor(0, 1)
        self.columns.setStretchFactor(1, 0)
        episode = QWidget()
        self._middle.addWidget(episode)
        self._middle.addWidget(parts.welcome)
        column = QVBoxLayout(episode)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(parts.overview)
        column.addWidget(self.rows, 1)
        self.rows.setHandleWidth(3)
        self.rows.addWidget(with_heads(parts.lanes, parts.lane_heads))
        self.rows.addWidget(self._evidence)
        self.rows.setStretchFactor(0, 3)
        self.rows.setStretchFactor(1, 2)

    def add(self, page: Page) -> None:
        """The page of one more step, in the order of the steps."""
        self._parts.card_panel.add(page.card)
        self._evidence.addWidget(page.evidence)

    def show_page(self, step: Step, page: Page) -> None:
        """Bring a step's evidence and what stands on the lanes there to the front."""
        self._shown = step
        self._parts.steps.show_step(step)
        self._parts.card_panel.show_sheet(False)
        self._evidence.setCurrentWidget(page.evidence)
        self._parts.lanes.show_overlays(page.overlays)
        wanted = self._memory.sizes(step.value, page.sizes)
        if wanted != self._wanted_sizes:  # to lay out the lanes anew takes a while
            self._wanted_sizes = wanted
            self.rows.setSizes(wanted)

    def show_welcome(self, on: bool) -> None:
        """Show what to begin with, where there is nothing yet; or overview, lanes and evidence."""
        if (self._middle.currentWidget() is self._parts.welcome) is not on:
            self._parts.welcome.refresh()
            self._middle.setCurrentIndex(1 if on else 0)

    def _keep_sizes(self) -> None:
        self._wanted_sizes = self.rows.sizes()
        self._memory.keep_sizes(self._shown.value, self._wanted_sizes)


def _line() -> QFrame:
    line = QFrame()
    line.setObjectName("rule")
    return line
