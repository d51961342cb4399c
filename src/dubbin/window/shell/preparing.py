"""A small window for what has to be made before the main window can stand: what it is, and how far."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QProgressBar, QPushButton, QVBoxLayout, QWidget

from dubbin.core.jobs import Task
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.session.job_bridge import JobBridge

SLOT = "prepare"


class Preparing(QWidget):
    """Shows progress until the work is done; `result` is None when it was cancelled or failed."""

    def __init__(self, title: str, about: str, log_folder: Path) -> None:
        super().__init__()
        self.setWindowTitle("Dubbin")
        self.setFixedWidth(440)
        self.result: Path | None = None
        self._jobs, self._loop = JobBridge(log_folder), QEventLoop(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 18)
        column.setSpacing(10)
        column.addWidget(label(title, "title"))
        self.about = label(about, "muted", wrap=True)
        column.addWidget(self.about)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName(title)
        column.addWidget(self.bar)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.clicked.connect(self.close)
        column.addWidget(self.cancel, 0, Qt.AlignmentFlag.AlignRight)
        self._jobs.changed.connect(self._on_progress)
        self._jobs.failed.connect(self._on_failed)

    def run(self, work: Callable[[Task], Path]) -> Path | None:
        """Show the window and do the work; its result."""
        self._jobs.start(SLOT, self.windowTitle(), work, self._on_done)
        self.show()
        if self._jobs.is_busy(SLOT):
            self._loop.exec()
        self._jobs.close()
        return self.result

    def _on_progress(self) -> None:
        job = self._jobs.job(SLOT)
        if job is not None:
            self.bar.setValue(round(1000 * job.fraction))

    def _on_done(self, result: Path) -> None:
        self.result = result
        self.hide()
        self._loop.quit()

    def _on_failed(self, text: str) -> None:
        self.about.setText(text)
        self.cancel.setText(tr("Close"))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._jobs.cancel_all()
        self._loop.quit()
        if event is not None:
            event.accept()


def prepared(work: Callable[[Task], Path], log_folder: Path) -> Path | None:
    """Make an episode while a small window shows it; None when it could not be made, or was cancelled."""
    about = tr("The recordings of the demo episode are being computed: two voices, a fan, hum, a kitchen, clicks. This happens once.")
    return Preparing(tr("Building the demo"), about, log_folder).run(work)
