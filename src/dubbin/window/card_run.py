"""Run the card in the window: in the background, as ordinary changes, with a list of what was done whose entries have switches."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, pyqtSignal
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

from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.mix.run_card import Entry, Means, Ran, is_on, run_card, switched
from dubbin.core.treat.tiles import DiskKeeper
from dubbin.window.desk import Desk
from dubbin.window.parts.card import label
from dubbin.window.parts.switch import Switch
from dubbin.window.speech_desk import SpeechDesk
from dubbin.window.theme import Theme

SLOT = "card"


class CardRun(QObject):
    """`changed` when it begins, goes on to another step, or is done."""

    changed = pyqtSignal()
    _told = pyqtSignal(str)

    def __init__(self, desk: Desk, speech: SpeechDesk) -> None:
        super().__init__()
        self._desk, self._speech = desk, speech
        self.entries: tuple[Entry, ...] = ()
        self.step = ""
        self._of = self._document = desk.document
        self._told.connect(self._on_told)
        desk.episode_changed.connect(self._on_episode_changed)

    @property
    def is_running(self) -> bool:
        return bool(self._desk.jobs.is_busy(SLOT))

    def can_run(self) -> bool:
        episode = self._desk.episode
        return bool(episode.lanes) and not self.is_running and all(r.id in self._desk.recordings for r in episode.recordings)

    def run(self) -> None:
        """Begin; what came of it is done when everything is known."""
        if not self.can_run():
            return
        episode, desk = self._desk.document.history.episode, self._desk
        means = Means(desk.copies, DiskKeeper(desk.folders.tiles), self._speech.model_folder)
        self._of = self._desk.document

        def work(task: Task) -> Ran:
            return run_card(episode, means, task, self._told.emit)

        desk.jobs.start(SLOT, "Running the card", work, self._done)
        self.changed.emit()

    def _on_told(self, step: str) -> None:
        self.step = step
        self.changed.emit()

    def _done(self, ran: Ran) -> None:
        desk = self._desk
        if desk.document is not self._of:
            return  # another episode is on the desk now
        for change in ran.changes:
            desk.do(change(desk.document.history.episode))
            desk.document.history.seal()
        self.entries, self.step = ran.entries, ""
        self.changed.emit()

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if self._desk.document is not self._document:
            self._document = self._desk.document
            self.entries, self.step = (), ""
            self.changed.emit()

    def is_on(self, entry: Entry) -> bool:
        return is_on(self._desk.episode, entry)

    def switch(self, entry: Entry, on: bool) -> None:
        self._desk.do(switched(self._desk.document.history.episode, entry, on))
        self._desk.document.history.seal()


class CardDialog(QDialog):
    """What was done, step by step, with figures before and after and a switch each. It stays beside the window."""

    def __init__(self, run: CardRun, theme: Theme, desk: Desk, cancel: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Run the card")
        self.resize(640, 560)
        self._run, self._theme, self._desk = run, theme, desk
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
        desk.episode_changed.connect(lambda *_: self.refresh())
        desk.jobs.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        running, entries = self._run.is_running, self._run.entries
        self.start.setVisible(not running and not entries)
        self.start.setEnabled(self._run.can_run())
        self.stop.setVisible(running)
        if running:
            self.head.setText(f"{self._run.step or 'Beginning'} …")
            self.about.setText("The window stays free: go on working; what is found is done at the end, as ordinary steps that Undo takes back.")
        elif entries:
            self.head.setText(f"{len(entries)} things were done.")
            self.about.setText("Each can be switched off and on again here; all of them are in the history.")
        else:
            self.head.setText("The suggested work of every step up to Balance, in one go.")
            self.about.setText("Repairs that answer the findings, no further than the voice allows; fillers, retakes and pauses where a cut is unheard; voices, levels, bleed and music.")
        if self._shown != entries:
            self._fill(entries)
        for switch, entry in zip(self.switches, entries, strict=True):
            switch.show_state(self._run.is_on(entry))

    def _fill(self, entries: tuple[Entry, ...]) -> None:
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self.switches, self._shown = [], entries
        row, last = 0, ""
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
