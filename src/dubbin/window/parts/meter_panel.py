"""The meters of the program: peaks of both channels, loudness, range, correlation; what was over stays marked until it is reset."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.core.figures import number
from dubbin.core.measure.live import Reading
from dubbin.core.texts import tr
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font

LOWEST_DB, OVER_DBTP = -48.0, -1.0
TICKS_DB = (-48, -36, -24, -18, -12, -6, 0)
LEFT, RIGHT, BAR_H = 22, 58, 12


class MeterPanel(QWidget):
    """Click takes the held peaks back and begins integrated loudness and range anew."""

    reset_wanted = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._reading: Reading | None = None
        self.setAccessibleName(tr("Meters"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(
            tr(
                "Peaks of both channels with their highest true peak, held; loudness and range since playing began; correlation. Click to reset."
            )
        )
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(300, 122)

    @property
    def is_over(self) -> bool:
        """Whether a true peak went over −1 dBTP since the last reset."""
        peaks = [p for p in self._reading.true_peaks_dbtp if p is not None] if self._reading else []
        return any(p > OVER_DBTP for p in peaks)

    def show_reading(self, reading: Reading | None) -> None:
        self._reading = reading
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return does what a click does."""
        if event and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._reading = None
            self.update()
            self.reset_wanted.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton:
            self._reading = None
            self.update()
            self.reset_wanted.emit()

    def _x(self, db: float) -> float:
        room = self.width() - LEFT - RIGHT
        return LEFT + min(max((db - LOWEST_DB) / -LOWEST_DB, 0.0), 1.0) * room

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c, reading = self._theme.colours, self._reading
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(13))
        for row, name in enumerate("LR"):
            self._paint_channel(p, row, name)
        p.setPen(c.q("muted"))
        for db in TICKS_DB:
            p.drawText(QRectF(self._x(db) - 20, 33, 40, 16), Qt.AlignmentFlag.AlignCenter, number(db, 0))
        self._paint_correlation(p, 58.0)
        texts = (
            ("M, LUFS", number(reading.momentary_lufs if reading else None)),
            ("S, LUFS", number(reading.short_term_lufs if reading else None)),
            ("I, LUFS", number(reading.integrated_lufs if reading else None)),
            (tr("range, LU"), number(reading.range_lu if reading else None)),
        )
        width = self.width() / len(texts)
        for k, (name, value) in enumerate(texts):
            p.setFont(font(13))
            p.setPen(c.q("muted"))
            p.drawText(QRectF(k * width, 82, width, 16), Qt.AlignmentFlag.AlignLeft, name)
            p.setFont(font(16, 700))
            p.setPen(c.q("ink"))
            p.drawText(QRectF(k * width, 97, width, 22), Qt.AlignmentFlag.AlignLeft, value)

    def _paint_channel(self, p: QPainter, row: int, name: str) -> None:
        c, reading = self._theme.colours, self._reading
        y = 2.0 + row * (BAR_H + 4)
        p.setPen(c.q("muted"))
        p.setFont(font(13, 700))
        p.drawText(QRectF(0, y - 2, LEFT - 4, BAR_H + 4), Qt.AlignmentFlag.AlignCenter, name)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.q("wash"))
        p.drawRoundedRect(QRectF(LEFT, y, self.width() - LEFT - RIGHT, BAR_H), 2, 2)
        if reading is None:
            return
        peaks = reading.peaks_db
        level = peaks[min(row, len(peaks) - 1)] if peaks else LOWEST_DB
        if self._x(level) > LEFT:
            p.setBrush(c.q("ink"))
            p.drawRoundedRect(QRectF(LEFT, y, self._x(level) - LEFT, BAR_H), 2, 2)
        held = reading.true_peaks_dbtp[row] if row < len(reading.true_peaks_dbtp) else None
        sample = reading.sample_peaks_dbfs[row] if row < len(reading.sample_peaks_dbfs) else None
        if sample is not None:
            p.fillRect(QRectF(self._x(sample) - 1, y, 2, BAR_H), c.q("muted"))
        if held is not None:
            over = held > OVER_DBTP
            p.fillRect(QRectF(self._x(held) - 1.5, y - 1, 3, BAR_H + 2), c.q("brick" if over else "saddle"))
            p.setFont(font(13, 700))
            p.setPen(c.q("brick" if over else "ink"))
            text = f"▲ {number(held)}" if over else number(held)
            p.drawText(QRectF(self.width() - RIGHT + 4, y - 2, RIGHT - 4, BAR_H + 4), Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_correlation(self, p: QPainter, y: float) -> None:
        c = self._theme.colours
        value = self._reading.correlation if self._reading else None
        a, b = float(LEFT), float(self.width() - RIGHT)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.q("wash"))
        p.drawRoundedRect(QRectF(a, y, b - a, 8), 2, 2)
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(QPointF((a + b) / 2, y - 2), QPointF((a + b) / 2, y + 10))
        if value is not None:
            x = a + (value + 1) / 2 * (b - a)
            p.fillRect(QRectF(min(x, (a + b) / 2), y + 1, abs(x - (a + b) / 2), 6), c.q("brick" if value < 0 else "fern"))
        p.setFont(font(13))
        p.setPen(c.q("muted"))
        p.drawText(QRectF(a, y + 8, 60, 15), Qt.AlignmentFlag.AlignLeft, "−1")
        p.drawText(QRectF(b - 60, y + 8, 60, 15), Qt.AlignmentFlag.AlignRight, "+1")
        p.drawText(QRectF(a, y + 8, b - a, 15), Qt.AlignmentFlag.AlignCenter, tr("correlation"))
        p.setPen(c.q("ink"))
        p.drawText(QRectF(b + 4, y - 4, RIGHT - 4, 16), Qt.AlignmentFlag.AlignVCenter, number(value, 2))
