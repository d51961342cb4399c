"""A slider with a mark: strength in percent with a green tick at the suggested value, or any level."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QSlider

from dubbin.core.figures import short_number
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme

MARGIN = 8


class MarkedSlider(QSlider):
    """Reports `changing` while it is dragged and `changed` once at the end; Esc during a drag restores.

    Arrow keys move by one step, Page keys by ten, Home and End to the ends; double-click goes to the mark. To keyboards and screen readers it is a slider
    like any other, which counts in steps.
    """

    changing = pyqtSignal(float)
    changed = pyqtSignal(float)
    given_up = pyqtSignal()

    def __init__(
        self,
        theme: Theme,
        name: str,
        low: float = 0.0,
        high: float = 100.0,
        step: float = 1.0,
        origin: float | None = None,
    ) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._theme, self._low, self._high, self._step = theme, low, high, step
        self._origin = low if origin is None else origin
        self._value = low
        self._mark: float | None = None
        self._drag_from: float | None = None
        self.setRange(round(low / step), round(high / step))
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(160, 22)

    @property
    def figure(self) -> float:
        """The value in its own unit."""
        return self._value

    def _tell_value(self) -> None:
        """Let screen readers know the value; drags and wheels are our own, and so is what is reported."""
        self.blockSignals(True)
        self.setValue(round(self._within(self._value) / self._step))
        self.blockSignals(False)
        self.setAccessibleDescription(short_number(self._value))

    @property
    def is_dragged(self) -> bool:
        return self._drag_from is not None

    def show_value(self, value: float, mark: float | None = None) -> None:
        """Set from the model, in silence."""
        self._value, self._mark = value, mark
        self._tell_value()
        self.update()

    def _x_of(self, value: float) -> float:
        return MARGIN + (self._within(value) - self._low) / (self._high - self._low) * (self.width() - 2 * MARGIN)

    def _within(self, value: float) -> float:
        """The nearest value that the slider has; a file may hold others."""
        return min(max(value, self._low), self._high)

    def _value_at(self, x: float) -> float:
        share = (x - MARGIN) / max(self.width() - 2 * MARGIN, 1)
        value = self._low + min(max(share, 0.0), 1.0) * (self._high - self._low)
        return round(value / self._step) * self._step

    def _set(self, value: float, final: bool) -> None:
        value = self._within(value)
        moved = value != self._value
        self._value = value
        self._tell_value()
        self.update()
        if final:
            self.changed.emit(value)
        elif moved:
            self.changing.emit(value)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton:
            self._drag_from = self._value
            self._set(self._value_at(event.position().x()), final=False)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and self._drag_from is not None:
            self._set(self._value_at(event.position().x()), final=False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag_from is not None:
            self._drag_from = None
            self.changed.emit(self._value)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self._mark is not None:
            self._set(self._mark, final=True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, keys = event.key(), Qt.Key
        if key == keys.Key_Escape and self._drag_from is not None:
            self._value, self._drag_from = self._drag_from, None
            self.given_up.emit()
            self.update()
            return
        steps = {keys.Key_Left: -1, keys.Key_Down: -1, keys.Key_Right: 1, keys.Key_Up: 1,
                 keys.Key_PageDown: -10, keys.Key_PageUp: 10}  # fmt: skip
        if key in steps:
            self._set(self._value + steps[keys(key)] * self._step, final=True)
        elif key == keys.Key_Home:
            self._set(self._low, final=True)
        elif key == keys.Key_End:
            self._set(self._high, final=True)
        else:
            event.ignore()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event:
            event.ignore()  # a page that scrolls must not turn what lies under the pointer

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        enabled = self.isEnabled()
        p.setPen(QPen(c.q("wash") if not c.dark else c.q("line"), 5, cap=Qt.PenCapStyle.RoundCap))
        p.drawLine(QPointF(MARGIN, y), QPointF(self.width() - MARGIN, y))
        x = self._x_of(self._value)
        accent = c.q("saddle") if enabled else c.q("line")
        p.setPen(QPen(accent, 5, cap=Qt.PenCapStyle.RoundCap))
        p.drawLine(QPointF(self._x_of(self._origin), y), QPointF(x, y))
        if self._mark is not None:
            p.setPen(QPen(c.q("fern"), 2))
            at = self._x_of(self._mark)
            p.drawLine(QPointF(at, y - 8), QPointF(at, y + 8))
        p.setPen(QPen(c.q("indigo") if self.hasFocus() else accent, 2))
        p.setBrush(c.q("card"))
        p.drawEllipse(QRectF(x - 6.5, y - 6.5, 13, 13))
