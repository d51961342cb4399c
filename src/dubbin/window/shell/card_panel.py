"""The job card at the right of the window: a heading, and the sheets of the step in front; or the sheet of Run the card in their place."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.theme import scaled
from dubbin.window.shell.step import Step

CARD_W, WIDEST = 306, 520


class CardPanel(QFrame):
    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setMinimumWidth(scaled(CARD_W))
        self.setMaximumWidth(scaled(WIDEST))
        of_steps = QWidget()
        column = QVBoxLayout(of_steps)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 14, 0)
        self.title = label(tr("JOB CARD"), "section")
        self.about = label("", "muted")
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.about)
        column.addLayout(head)
        self._sheets = QStackedWidget()
        column.addWidget(self._sheets, 1)
        self._either = QStackedWidget()
        self._either.addWidget(of_steps)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._either)

    def add(self, card: QWidget) -> None:
        """The sheets of one more step, in the order of the steps."""
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(card)
        self._sheets.addWidget(scroll)

    def add_sheet(self, sheet: QWidget) -> None:
        """A sheet that stands in place of all steps' ones while it is shown."""
        self._either.addWidget(sheet)

    def show_sheet(self, on: bool) -> None:
        """Show the sheet, or the step's own cards again."""
        self._either.setCurrentIndex(1 if on else 0)

    @property
    def shows_sheet(self) -> bool:
        return self._either.currentIndex() == 1

    def show_step(self, step: Step, about: str) -> None:
        """Bring a step's sheets to the front; about: what they are about."""
        self._sheets.setCurrentIndex(list(Step).index(step))
        self.title.setText(tr("JOB CARD · {step}").format(step=step.caption.upper()))
        self.about.setText(about)
