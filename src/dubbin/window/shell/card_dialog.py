"""The sheet of Run the card: from it the card is begun, and on it stands what was done, with a switch for each entry."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dubbin.core.mix.card_entry import Entry
from dubbin.window.parts.card import label
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session
from dubbin.window.shell.card_run import SLOT, CardRun
from dubbin.window.shell.shared import Shared


class CardDialog(QDialog):
    """What was done, step by step, with figures before and after and a switch each. It stays beside the window."""

    def __init__(self, run: CardRun, theme: Theme, session: Session, cancel: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Run the card")
        self.resize(640, 560)
        self._run, self._theme, self._session = run, theme, session
        column = QVBoxLayout(self)
        self.head = label("", "strong", wrap=True)
        column.addWidget(self.head)
        self.about = label("", "muted", wrap=True)
        column.addWidget(self.about)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._inside = QWidget()
        self._inside.setObjectName("scrolled")
        self._grid = QGridLayout(self._inside)
        self._grid.setColumnStretch(1, 1)
        self._grid.setHorizontalSpacing(12)
        scroll.setWidget(self._inside)
        column.addWidget(scroll, 1)
        row = QHBoxLayout()
        self.start = QPushButton("Run the card")
        self.start.setProperty("kind", "main")
        self.start.clicked.connect(run.run)
        self.stop = QPushButton("Cancel")
        self.stop.clicked.connect(lambda: cancel())
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        row.addWidget(self.start)
        row.addWidget(self.stop)
        row.addStretch(1)
        row.addWidget(close)
        column.addLayout(row)
        self.switches: list[Switch] = []
        self._shown: tuple[Entry, ...] | None = None
        run.changed.connect(self.refresh)
        session.episode_changed.connect(lambda *_: self.refresh())
        session.jobs.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        running, entries = self._run.is_running, self._run.entries
        self.start.setVisible(not running and not entries)
        self.start.setEnabled(self._run.can_run())
        self.stop.setVisible(running)
        if running:
            self.head.setText(f"{self._run.step or 'Beginning'} …")
            self.about.setText(
                "The window stays free: go on working; what is found is done at the end, as ordinary steps that Undo takes back."
            )
        elif entries:
            self.head.setText(f"{len(entries)} things were done.")
            self.about.setText("Each can be switched off and on again here; all of them are in the history.")
        else:
            self.head.setText("The suggested work of every step up to Balance, in one go.")
            self.about.setText(
                "Repairs that answer the findings, no further than the voice allows; fillers, retakes and pauses where a cut is unheard; voices, levels, bleed and music."
            )
        if self._shown != entries:
            self._fill(entries)
        for switch, entry in zip(self.switches, entries, strict=True):
            switch.show_state(self._run.is_on(entry))

    def _fill(self, entries: tuple[Entry, ...]) -> None:
        clear_layout(self._grid)
        self.switches, self._shown = [], entries
        row = 0
        last: str = ""
        for entry in entries:
            if entry.step != last:
                last = entry.step
                self._grid.addWidget(label(last.upper(), "section"), row, 0, 1, 3)
                row += 1
            switch = Switch(self._theme, f"{entry.title} on or off")
            switch.toggled.connect(lambda on, e=entry: self._run.switch(e, on))
            self.switches.append(switch)
            self._grid.addWidget(switch, row, 0)
            self._grid.addWidget(label(entry.title), row, 1)
            figure: QLabel = label(f"{entry.before} → {entry.after}" if entry.before else entry.after, "strong")
            figure.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self._grid.addWidget(figure, row, 2)
            row += 1
        self._grid.setRowStretch(row, 1)


class CardSheet:
    """Shows the sheet; it is made when it is first asked for, and stays."""

    def __init__(self, shared: Shared) -> None:
        self._shared = shared
        self.run = CardRun(shared.session, shared.speech)
        self.dialog: CardDialog | None = None

    def show(self) -> None:
        if self.dialog is None:
            session = self._shared.session
            self.dialog = CardDialog(self.run, self._shared.theme, session, lambda: session.jobs.cancel(SLOT), self._shared.window)
        self.dialog.show()
        self.dialog.raise_()
