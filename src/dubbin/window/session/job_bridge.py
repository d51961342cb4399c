"""Brings the reports of background work to the window's thread, and drops those that came too late."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Job, JobRunner, Report, Task
from dubbin.core.log import program_error
from dubbin.core.texts import tr

T = TypeVar("T")
TELL_EVERY_MS = 100  # at the most, of how far work has come
# Numbers of quiet jobs, and of those that save, begin here, so that no two jobs share one.
QUIET_FROM, SAVED_FROM = 1_000_000_000, 2_000_000_000


class JobBridge(QObject):
    """Starts work under a slot: newer work in the same slot cancels and replaces the older.

    changed: what is going on is another; told once the present event is over. Work is asked for while something is painted, too, and to show at once
    that there is some would paint within painting, of which Qt's painters die.
    """

    changed = pyqtSignal()
    failed = pyqtSignal(str)
    _reported = pyqtSignal(object)
    _progressed = pyqtSignal()

    def __init__(self, log_folder: Path, *, hold: bool = False) -> None:
        """log_folder: where errors of the program are written down. hold: work waits until `release`."""
        super().__init__()
        self._log_folder = log_folder
        self._runner = JobRunner(self._bring, self._on_progress, in_background=True)
        self._is_to_tell = False  # that work has come further: the window has heard of it and tells soon
        self._painter = JobRunner(self._bring, threads=1, first_number=QUIET_FROM, gives_way=True)
        if hold:
            self._runner.hold()
            self._painter.hold()
        # A disk that does not answer holds up nothing else.
        self._writer = JobRunner(self._bring, threads=1, first_number=SAVED_FROM)
        self._quiet: set[int] = set()
        self._slots: dict[Hashable, Job] = {}
        self._done: dict[int, tuple[Hashable, Callable[[Any], None], Callable[[], None]]] = {}
        self._reported.connect(self._on_report)
        self._progressed.connect(self._tell_later)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._tell)
        self._closing = False

    def start(
        self, slot: Hashable, title: str, work: Callable[[Task], T], done: Callable[[T], None], *, quiet: bool = False,
        saves: bool = False, failed: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        """Run `work` in the background and call `done` with its result in the window's thread; `failed` where it ended with an error, which is told.

        quiet: short work on pictures, which goes before all other work and is not shown as progress. saves: it puts on the disk what somebody
        made; it waits for nothing but what was saved before, and is not shown either.
        """
        self.cancel(slot)
        runner = self._writer if saves else self._painter if quiet else self._runner
        job = runner.start(title, work)
        self._slots[slot] = job
        if quiet or saves:
            self._quiet.add(job.number)
        self._done[job.number] = (slot, done, failed)
        self._soon.start(0)

    def _bring(self, report: Report) -> None:
        """On a working thread. A method, which keeps this object while that thread may still report: a signal that is handed out alone does not, and what it does without
        its object ends the program."""
        self._reported.emit(report)

    def _on_progress(self, job: Job) -> None:
        """On a working thread: tell the window, but not so often that it has its hands full with being told. The last that is reported is told too."""
        if not self._is_to_tell:
            self._is_to_tell = True
            self._progressed.emit()

    def _tell_later(self) -> None:
        if not self._soon.isActive():
            self._soon.start(TELL_EVERY_MS)

    def _tell(self) -> None:
        self._is_to_tell = False
        self.changed.emit()

    def release(self) -> None:
        """Let work begin that was held back, so that the window could be there first."""
        self._runner.release()
        self._painter.release()

    def cancel(self, slot: Hashable) -> None:
        job = self._slots.pop(slot, None)
        if job is not None:
            job.cancel()
            self._done.pop(job.number, None)

    def cancel_job(self, job: Job) -> None:
        """Stop one piece of work; nothing happens when it has ended meanwhile."""
        slot = next((slot for slot, other in self._slots.items() if other is job), None)
        if slot is not None:
            self.cancel(slot)
            self._soon.start(0)

    def cancel_all(self) -> None:
        """Stop everything but what is on its way to the disk: it can't be taken back, and somebody has to learn that it is there."""
        for slot, job in list(self._slots.items()):
            if job.number < SAVED_FROM:
                self.cancel(slot)
        self._soon.start(0)

    def is_busy(self, slot: Hashable) -> bool:
        return slot in self._slots

    def job(self, slot: Hashable) -> Job | None:
        """The work that waits or runs in a slot."""
        return self._slots.get(slot)

    @property
    def live(self) -> list[Job]:
        """What runs, and then what waits; pictures left out."""
        return sorted((job for job in self._slots.values() if job.number not in self._quiet), key=lambda j: (not j.begun, j.number))

    def _on_report(self, report: Report) -> None:
        self._quiet.discard(report.job.number)
        entry = self._done.pop(report.job.number, None)
        if entry is None or self._closing:
            return  # replaced by newer work
        slot, done, failed = entry
        self._slots.pop(slot, None)
        self.changed.emit()
        if report.cancelled:
            return
        if report.error is not None:
            failed()
        if isinstance(report.error, DubbinError):
            self.failed.emit(str(report.error))
        elif report.error is not None:
            self.failed.emit(
                tr("{title}: {program_error} Nothing was lost.").format(
                    title=report.job.title, program_error=program_error(report.error, self._log_folder)
                )
            )
        else:
            done(report.result)

    def close(self) -> None:
        self._closing = True
        self._soon.stop()
        self._runner.close()
        self._painter.close()
        self._writer.close()
