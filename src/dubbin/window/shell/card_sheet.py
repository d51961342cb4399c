"""The sheet of Run the card, in the job card's place: what it would do, how far each line is, and what it did, each with its switch and a place to hear."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QProgressBar, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dubbin.core.card.entry import Entry
from dubbin.core.card.plan import PlanKey, PlanLine
from dubbin.core.texts import tr, tr_count
from dubbin.window.parts.card import label, set_kind
from dubbin.window.parts.elided_button import ElidedButton
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session
from dubbin.window.shell.card_run import SLOT, CardRun
from dubbin.window.shell.step import Step
from dubbin.window.shell.work_list import remaining

BEFORE = tr("The suggested work of every step, in one go. Untick what is to be left alone; every line can be undone afterwards.")
BEGINNING = tr("Beginning")
RUNNING = tr("Go on working: what is found is done at the end, as ordinary steps that Undo takes back.")
AFTER = tr("Each line can be switched off and on again. A click on its name plays it before and after.")


class PlanRow(QWidget):
    """A line of the plan: a tick, what would be done and why; while the card runs, how far it is."""

    def __init__(self, line: PlanLine, on_ticked: Callable[[PlanKey, bool], None]) -> None:
        super().__init__()
        self.line = line
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(1)
        self.tick = QCheckBox(line.title)
        self.tick.setChecked(True)
        self.tick.setToolTip(line.reason)
        self.tick.toggled.connect(lambda on: on_ticked(line.key, on))
        self.state = label("", "muted")
        row = QHBoxLayout()
        row.addWidget(self.tick, 1)
        row.addWidget(self.state)
        column.addLayout(row)
        reason = label(line.reason, "muted", wrap=True)
        reason.setContentsMargins(22, 0, 0, 0)
        column.addWidget(reason)

    def show_progress(self, share: float | None, running: bool) -> None:
        """share: 0 to 1 of this line; None: not begun."""
        self.tick.setEnabled(not running)
        done = share is not None and share >= 1.0
        text = (
            ""
            if not running or not self.tick.isChecked()
            else tr("waits")
            if share is None
            else tr("done")
            if done
            else f"{100 * share:.0f} %"
        )
        self.state.setText(text)
        set_kind(self.state, "good" if text == "done" else "muted")


class EntryRow(QWidget):
    """Something that was done: its switch, its name as a button that plays it, and its figures."""

    def __init__(self, theme: Theme, entry: Entry, on_switched: Callable[[bool], None], on_play: Callable[[], None]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 1, 0, 3)
        row.setSpacing(8)
        self.switch = Switch(theme, tr("{title} on or off").format(title=entry.title))
        self.switch.toggled.connect(on_switched)
        row.addWidget(self.switch, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(0)
        self.play = ElidedButton(entry.title)
        self.play.setProperty("kind", "line")
        self.play.setToolTip(tr("{title}\nPlays it before and after.").format(title=entry.title))
        self.play.clicked.connect(on_play)
        column.addWidget(self.play)
        figures = f"{entry.before} → {entry.after}" if entry.before else entry.after
        if figures:
            self.figures = label(figures, "muted", wrap=True)
            self.figures.setContentsMargins(4, 0, 0, 0)
            column.addWidget(self.figures)
        row.addLayout(column, 1)


class CardSheet(QWidget):
    """Beside the lanes, which stay in sight. `shown` when it asks to be seen, `left` when somebody goes back to the step's own card."""

    shown = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, run: CardRun, theme: Theme, session: Session, play: Callable[[Entry], None]) -> None:
        """play: has an entry heard before and after."""
        super().__init__()
        self.run, self._theme, self._session, self._play = run, theme, session, play
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 10)
        column.setSpacing(7)
        head = QHBoxLayout()
        self.title = label(tr("RUN THE CARD"), "section")
        self.back = QPushButton(tr("Back"))
        self.back.setProperty("kind", "small")
        self.back.setToolTip(tr("Back to the job card of the step. Ctrl+R opens this list again."))
        self.back.clicked.connect(self.left)
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.back)
        column.addLayout(head)
        self.start, self.again, self.stop = QPushButton(tr("Run the card")), QPushButton(tr("Plan it again")), QPushButton(tr("Cancel"))
        self.start.setProperty("kind", "main")
        self.start.clicked.connect(self.begin)
        self.again.clicked.connect(run.forget)
        self.stop.clicked.connect(lambda: session.jobs.cancel(SLOT))
        for button in (self.start, self.again, self.stop):
            column.addWidget(button)
        self.progress = QProgressBar()
        self.progress.setRange(0, 1000)
        self.progress.setFixedHeight(6)
        column.addWidget(self.progress)
        self.head = label("", "strong", wrap=True)
        self.about = label("", "muted", wrap=True)
        column.addWidget(self.head)
        column.addWidget(self.about)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        inside.setObjectName("scrolled")
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(0, 0, 4, 0)
        self._list.setSpacing(0)
        scroll.setWidget(inside)
        column.addWidget(scroll, 1)
        self.rows: list[PlanRow] = []
        self.entry_rows: list[EntryRow] = []
        self._unticked: set[PlanKey] = set()
        self._shown: tuple[object, ...] | None = None
        for signal in (run.changed, session.episode_changed, session.findings_changed, session.jobs.changed):
            signal.connect(self.refresh)

    def show(self) -> None:
        """Come into sight; Return begins."""
        self.shown.emit()
        self.refresh()
        (self.start if self.start.isVisible() else self.back).setFocus()

    def begin(self) -> None:
        """Run what is ticked."""
        self.run.run(frozenset(self._unticked))

    # -- showing ----------------------------------------------------------------------

    def refresh(self, *_: object) -> None:
        if not self.isVisible():
            return
        running, entries = self.run.is_running, self.run.entries
        planned = self.run.planned if running else self.run.plan() if not entries else ()
        self.start.setVisible(not running and not entries)
        self.start.setEnabled(self.run.can_run())
        self.again.setVisible(bool(entries) and not running)
        self.stop.setVisible(running)
        self.progress.setVisible(running)
        done = () if running else entries
        if self._shown != (planned, done):
            self._shown = (planned, done)
            self._fill(planned, done)
        self._show_words(running, entries)
        for row in self.rows:
            row.show_progress(self.run.progress.get(row.line.key), running)
        for entry_row, entry in zip(self.entry_rows, done, strict=True):
            entry_row.switch.show_state(self.run.is_on(entry))

    def _show_words(self, running: bool, entries: tuple[Entry, ...]) -> None:
        if running:
            job = self._session.jobs.job(SLOT)
            left = remaining(job) if job is not None else ""
            self.progress.setValue(round(1000 * job.fraction) if job is not None else 0)
            self.head.setText(" · ".join(part for part in (f"{self.run.step or BEGINNING} …", left) if part))
            self.about.setText(RUNNING)
        elif entries:
            self.head.setText(tr_count("{count} change made.", "{count} changes made.", len(entries)))
            self.about.setText(AFTER)
        else:
            waiting = self.run.is_measuring
            self.head.setText(tr("Measuring; what is found joins the list …") if waiting else tr("This is what would be done:"))
            self.about.setText(BEFORE)

    def _fill(self, planned: tuple[PlanLine, ...], entries: tuple[Entry, ...]) -> None:
        clear_layout(self._list)
        self.rows, self.entry_rows = [], []
        last = ""
        for line in planned:
            last = self._heading(Step(line.step.value).caption, last)
            row = PlanRow(line, self._on_ticked)
            row.tick.setChecked(line.key not in self._unticked)
            self.rows.append(row)
            self._list.addWidget(row)
        for entry in entries:
            last = self._heading(Step(entry.step.value).caption, last)
            made = EntryRow(self._theme, entry, lambda on, e=entry: self.run.switch(e, on), lambda _=False, e=entry: self._play(e))  # type: ignore[misc]
            self.entry_rows.append(made)
            self._list.addWidget(made)
        self._list.addStretch(1)

    def _heading(self, step: str, last: str) -> str:
        if step != last:
            heading = label(step.upper(), "section")
            heading.setContentsMargins(0, 6, 0, 2)
            self._list.addWidget(heading)
        return step

    def _on_ticked(self, key: PlanKey, on: bool) -> None:
        (self._unticked.discard if on else self._unticked.add)(key)
