"""A switch: on or off, by click or space."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QSizePolicy, QWidget

from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme


class Switch(QCheckBox):
    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setToolTip(name)

    def show_state(self, on: bool) -> None:
        """Set from the model, in silence."""
        self.blockSignals(True)
        self.setChecked(on)
        self.blockSignals(False)
        self.update()

    def hitButton(self, pos: QPoint) -> bool:
        return self.rect().contains(pos)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def sizeHint(self) -> QSize:
        return QSize(32, 20)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        body = QRectF(1, (self.height() - 18) / 2, 30, 18)
        on = self.isChecked()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.q("saddle") if on else c.q("line"))
        p.drawRoundedRect(body, 9, 9)
        p.setBrush(c.q("card"))
        p.drawEllipse(QRectF(body.right() - 16 if on else body.left() + 2, body.top() + 2, 14, 14))
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(c.q("indigo"), 2))
            p.drawRoundedRect(body.adjusted(-0.5, -0.5, 0.5, 0.5), 9, 9)
