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


class _Bell(QObject):
    """Rings on the window's thread, where it also ends."""

    rung = pyqtSignal()


class _Reading:
    """One piece of reading on a thread of its own; what it brings after nobody waits any more is given to `unwanted`."""

    def __init__(self, work: Callable[[], Any], unwanted: Callable[[Any], None], done: Callable[[], None]) -> None:
        """done: called on the working thread, unless nobody waits any more."""
        self._work, self._unwanted = work, unwanted
        self._done: Callable[[], None] | None = done
        self._lock = Lock()
        self.is_done = False
        self.result: Any = None
        self.error: Exception | None = None
        Thread(target=self._run, name="read", daemon=True).start()

    def _run(self) -> None:
        result, error = None, None
        try:
            result = self._work()
        except Exception as found:  # raised again where it is waited for
            error = found
        with self._lock:
            self.result, self.error, self.is_done = result, error, True
            if self._done is not None:
                self._done()
                return
        if error is None:
            self._unwanted(result)

    def leave(self) -> bool:
        """Wait no longer; False where it has ended meanwhile. The thread holds nothing of the window's from now on."""
        with self._lock:
            self._done = None
            return not self.is_done


def read_apart(window: QWidget | None, text: str, work: Callable[[], T], unwanted: Callable[[T], None] = lambda _: None) -> T | None:
    """What `work` returns, or None when the person would not wait for it. Raises what `work` raises.

    text: what is waited for, shown when it takes longer than half a second. unwanted: is given a result that comes after that, on the working thread.
    """
    bell, loop = _Bell(), QEventLoop()
    bell.rung.connect(loop.quit)
    reading = _Reading(work, unwanted, bell.rung.emit)
    QTimer.singleShot(PATIENCE_MS, loop.quit)
    if not reading.is_done:
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    if not reading.is_done:
        _show(window, text, reading, bell)
    if reading.leave():
        return None
    if reading.error is not None:
        raise reading.error
    result: T = reading.result
    return result


def _show(window: QWidget | None, text: str, reading: _Reading, bell: _Bell) -> None:
    """Tell what is waited for, until it is there or the person cancels."""
    box = QProgressDialog(text, tr("Cancel"), 0, 0, window)
    box.setWindowTitle("Dubbin")
    box.setWindowModality(Qt.WindowModality.ApplicationModal)
    box.setMinimumWidth(NARROWEST)
    box.setMinimumDuration(0)
    bell.rung.connect(box.accept)
    if not reading.is_done:
        box.exec()
    box.deleteLater()
