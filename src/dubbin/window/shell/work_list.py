"""The list of everything that is being computed: what it is, how far, how long still, and a button to stop each."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from dubbin.core.figures import clock
from dubbin.core.jobs import Job
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.session.job_bridge import JobBridge

WIDTH, TITLE_WIDTH = 460, 238
MOST = 12  # rows; what waits behind them is counted
SHORT_S = 2.0  # less than this is not worth telling


def remaining(job: Job) -> str:
    """How long a job will still take, as text; empty where that can't be told, or is no time at all."""
    seconds = job.remaining_s
    return tr("{seconds} left").format(seconds=clock(seconds)) if seconds is not None and seconds > SHORT_S else ""


def how_far(job: Job) -> str:
    """What the list says of a job beside its title."""
    if not job.begun:
        return tr("waits")
    return ", ".join(text for text in (f"{100 * job.fraction:.0f} %", remaining(job)) if text)


class WorkList(QFrame):
    """Stands over the window while it is open; a click elsewhere or Escape closes it, and so does the end of all work."""

    def __init__(self, jobs: JobBridge, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setAccessibleName(tr("Work in progress"))
        self._jobs = jobs
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        heading = QHBoxLayout()
        heading.addWidget(label(tr("Work in progress"), "strong"), 1)
        self.all = QPushButton(tr("Cancel all"))
        self.all.setProperty("kind", "quiet")
        self.all.clicked.connect(jobs.cancel_all)
        heading.addWidget(self.all)
        column.addLayout(heading)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(7)
        self._grid.setColumnStretch(0, 1)
        column.addLayout(self._grid)
        self.more = label("", "muted")
        column.addWidget(self.more)
        self.rows: list[_Row] = []
        self.setFixedWidth(WIDTH)
        jobs.changed.connect(self._refresh)

    def open_above(self, widget: QWidget) -> None:
        """Show it with its lower left corner on the upper left one of `widget`."""
        self._refresh()
        if not self._jobs.live:
            return
        self.adjustSize()
        self.move(widget.mapToGlobal(QPoint(0, -self.height() - 6)))
        self.show()
        self.rows[0].cancel.setFocus(Qt.FocusReason.PopupFocusReason)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.FontChange:
            self.adjustSize()

    def _refresh(self) -> None:
        live = self._jobs.live
        if not live:
            self.hide()
            return
        shown = live[:MOST]
        while len(self.rows) < len(shown):
            self.rows.append(_Row(self._grid, len(self.rows), self._jobs))
        for k, row in enumerate(self.rows):
            row.show_job(shown[k] if k < len(shown) else None)
        self.all.setVisible(len(live) > 1)
        self.more.setVisible(len(live) > MOST)
        self.more.setText(tr("and {count} more that wait").format(count=len(live) - MOST))
        if self.isVisible():
            bottom = self.geometry().bottom()
            self.adjustSize()
            self.move(self.x(), bottom - self.height() + 1)


class _Row:
    def __init__(self, grid: QGridLayout, number: int, jobs: JobBridge) -> None:
        self.job: Job | None = None
        self.title, self.state, self.bar, self.cancel = label(), label("", "muted"), QProgressBar(), QPushButton(tr("Cancel"))
        self.state.setMinimumWidth(118)
        self.bar.setRange(0, 1000)
        self.bar.setFixedHeight(4)
        self.cancel.setProperty("kind", "quiet")
        self.cancel.clicked.connect(lambda: jobs.cancel_job(self.job) if self.job is not None else None)
        grid.addWidget(self.title, 2 * number, 0)
        grid.addWidget(self.state, 2 * number, 1, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(self.cancel, 2 * number, 2, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        grid.addWidget(self.bar, 2 * number + 1, 0, 1, 2)

    def show_job(self, job: Job | None) -> None:
        self.job = job
        for widget in (self.title, self.state, self.bar, self.cancel):
            widget.setVisible(job is not None)
        if job is not None:
            self.title.setText(self.title.fontMetrics().elidedText(job.title, Qt.TextElideMode.ElideRight, TITLE_WIDTH))
            self.title.setToolTip(job.title)
            self.state.setText(how_far(job))
            self.bar.setValue(round(job.fraction * 1000))
            self.cancel.setAccessibleName(tr("Cancel {title}").format(title=job.title))
