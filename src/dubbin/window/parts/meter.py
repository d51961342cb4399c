"""Level meters of what is playing: a bar a channel, with the highest peak so far."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.core.figures import number
from dubbin.core.measure.live import Reading
from dubbin.core.texts import tr
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme

LOWEST_DB = -48.0
HOT_DB = -1.0
NARROWEST = 60


class LevelMeter(QWidget):
    """Two bars from -48 to 0 dB; a mark at the highest true peak since playing began."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._reading: Reading | None = None
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(NARROWEST)
        self.setAccessibleName(tr("Peak meter"))
        self.setToolTip(tr("Peak level of both channels, −48 to 0 dBFS; the mark is the highest true peak so far."))

    def sizeHint(self) -> QSize:
        return QSize(190, 22)

    def show_reading(self, reading: Reading | None) -> None:
        self._reading = reading
        highest = reading.highest_dbtp if reading is not None else None
        text = (
            tr("highest true peak {highest} dBTP").format(highest=number(highest, 0)) if highest is not None else tr("nothing has played")
        )
        if text != self.accessibleDescription():
            self.setAccessibleDescription(text)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        peaks = self._reading.peaks_db if self._reading else ()
        for row in range(2):
            y = 3 + row * 10
            p.setBrush(c.q("wash"))
            p.drawRoundedRect(QRectF(0, y, self.width(), 7), 2, 2)
            level = peaks[min(row, len(peaks) - 1)] if peaks else LOWEST_DB
            width = self._x(level)
            if width > 0:
                p.setBrush(c.q("brick") if level > HOT_DB else c.q("ink"))
                p.drawRoundedRect(QRectF(0, y, width, 7), 2, 2)
        highest = self._reading.highest_dbtp if self._reading else None
        if highest is not None:
            p.setBrush(c.q("brick") if highest > HOT_DB else c.q("saddle"))
            p.drawRect(QRectF(min(self._x(highest), self.width() - 2), 1, 2, 20))

    def _x(self, level_db: float) -> float:
        return min(max((level_db - LOWEST_DB) / -LOWEST_DB, 0.0), 1.0) * self.width()
