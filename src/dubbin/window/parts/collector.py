"""Has unused objects collected by the window's thread alone, when it has nothing else to do."""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, Qt, QTimer

LOOK_EVERY_MS = 250
LATE_S = 0.015  # who is asked so much too late was kept waiting by something else
MOST_PUT_OFF = 8  # times in a row


class Collector(QObject):
    """Python collects on whatever thread happens to make one object too many. A widget that is collected on a working thread is taken apart there while the
    window's thread may be painting it, and that ends the program.

    All objects of an hour take three hundredths of a second to look through. Right behind a page that was painted that would hold the window for as much longer, so it is put off then.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._due, self._put_off = time.monotonic() + LOOK_EVERY_MS / 1000.0, 0
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._on_time)
        self._timer.start(LOOK_EVERY_MS)

    def _on_time(self) -> None:
        now = time.monotonic()
        is_late, self._due = now - self._due > LATE_S, now + LOOK_EVERY_MS / 1000.0
        self._put_off = self._put_off + 1 if is_late else 0
        if not is_late or self._put_off > MOST_PUT_OFF:
            self._put_off = 0
            self.look()

    def look(self) -> None:
        """Collect the oldest generation that has as many new objects as Python's own collector waits for."""
        due = [
            generation for generation, (count, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)) if count > most > 0
        ]
        if due:
            gc.collect(due[-1])

    def end(self) -> None:
        """Leave it to Python again."""
        self._timer.stop()
        gc.enable()
