"""Reads files while the window lives on: its thread waits in its event loop, not for a disk or a folder on a network that does not answer."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock, Thread
from typing import Any, TypeVar

from PyQt6.QtCore import QEventLoop, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QProgressDialog, QWidget

from dubbin.core.texts import tr

PATIENCE_MS = 500  # until a person is told what is waited for, and may leave it
NARROWEST = 420

T = TypeVar("T")


class _Reading(QObject):
    """One piece of reading on a thread of its own; what it brings after nobody waits any more is given to `unwanted`."""

    ended = pyqtSignal()

    def __init__(self, work: Callable[[], Any], unwanted: Callable[[Any], None]) -> None:
        super().__init__()
        self._work, self._unwanted = work, unwanted
        self._lock, self._is_left = Lock(), False
        self.is_done = False
        self.result: Any = None
        self.error: Exception | None = None
        Thread(target=self._run, name="read", daemon=True).start()

    def _run(self) -> None:
        result, error = None, None
        try:
            result = self._work()
        except Exception as found:
            error = found
        with self._lock:
            self.result, self.error, self.is_done = result, error, True
            is_left = self._is_left
            if not is_left:
                self.ended.emit()
        if is_left and error is None:
            self._unwanted(result)

    def leave(self) -> bool:
        """Wait no longer; False where it has ended meanwhile."""
        with self._lock:
            self._is_left = not self.is_done
            return self._is_left


def read_apart(window: QWidget | None, text: str, work: Callable[[], T], unwanted: Callable[[T], None] = lambda _: None) -> T | None:
    """What `work` returns, or None when the person would not wait for it. Raises what `work` raises.

    text: what is waited for, shown when it takes longer than half a second. unwanted: is given a result that comes after that, on the working thread.
    """
    reading, loop = _Reading(work, unwanted), QEventLoop()
    reading.ended.connect(loop.quit)
    QTimer.singleShot(PATIENCE_MS, loop.quit)
    if not reading.is_done:
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    if not reading.is_done:
        _show(window, text, reading)
    if reading.leave():
        return None
    if reading.error is not None:
        raise reading.error
    result: T = reading.result
    return result


def _show(window: QWidget | None, text: str, reading: _Reading) -> None:
    """Tell what is waited for, until it is there or the person cancels."""
    box = QProgressDialog(text, tr("Cancel"), 0, 0, window)
    box.setWindowTitle("Dubbin")
    box.setWindowModality(Qt.WindowModality.ApplicationModal)
    box.setMinimumWidth(NARROWEST)
    box.setMinimumDuration(0)
    reading.ended.connect(box.accept)
    if not reading.is_done:
        box.exec()
    box.deleteLater()
