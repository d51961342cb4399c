"""Has unused objects collected by the window's thread alone."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

LOOK_EVERY_MS = 250


class Collector(QObject):
    """Python collects on whatever thread happens to make one object too many. A widget that is collected on a working thread is taken apart there while the
    window's thread may be painting it, and that ends the program."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(LOOK_EVERY_MS)

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
