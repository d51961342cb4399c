"""The six steps in the order of the work, each with a line that says what is left to do."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from dubbin.window.parts.theme import Theme, font
from dubbin.window.session.session import Session
from dubbin.window.shell.page import Page
from dubbin.window.shell.step import Step

ROW_H, WIDTH = 58, 172


class StepList(QWidget):
    """Click, or Up and Down, to go to a step."""

    chosen = pyqtSignal(object)

    def __init__(self, session: Session, theme: Theme, pages: Mapping[Step, Page]) -> None:
        super().__init__()
        self._theme, self._pages = theme, pages
        self.current = Step.INTAKE
        self.setFixedWidth(WIDTH)
        self.setMinimumHeight(ROW_H * len(Step) + 20)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Steps")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        for page in pages.values():
            page.status_changed.connect(self.update)
        for signal in (session.episode_changed, session.sounds_changed, session.findings_changed, theme.changed):
            signal.connect(self.update)

    def show_step(self, step: Step) -> None:
        self.current = step
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            row = int((event.position().y() - 12) // ROW_H)
            if 0 <= row < len(Step):
                self.chosen.emit(list(Step)[row])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if move is None:
            event.ignore()
            return
        steps = list(Step)
        self.chosen.emit(steps[min(max(steps.index(self.current) + move, 0), len(steps) - 1)])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        c = self._theme.colours
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), c.q("paper"))
        for row, step in enumerate(Step):
            top = 12 + row * ROW_H
            here = QRectF(0, top, self.width(), ROW_H)
            status = self._pages[step].status()
            if step is self.current:
                p.fillRect(here, c.q("card"))
                p.fillRect(QRectF(0, top, 4, ROW_H), c.q("saddle"))
                if self.hasFocus():
                    p.setPen(QPen(c.q("indigo"), 2))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.drawRect(here.adjusted(1, 1, -1, -1))
            self._paint_state(p, QPointF(27, top + 21), status.done)
            p.setFont(font(16, 700 if step is self.current else 500))
            p.setPen(c.q("ink"))
            p.drawText(QRectF(46, top + 9, self.width() - 50, 24), Qt.AlignmentFlag.AlignVCenter, step.value)
            p.setFont(font(14))
            p.setPen(c.q("muted"))
            p.drawText(QRectF(46, top + 31, self.width() - 48, 20), Qt.AlignmentFlag.AlignVCenter, status.text)
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())

    def _paint_state(self, p: QPainter, middle: QPointF, done: bool) -> None:
        c = self._theme.colours
        if done:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c.q("fern"))
            p.drawEllipse(middle, 8, 8)
            p.setPen(QPen(c.q("on_accent"), 2, cap=Qt.PenCapStyle.RoundCap))
            p.drawPolyline(QPolygonF([middle + QPointF(-3.5, 0.3), middle + QPointF(-1, 3), middle + QPointF(3.8, -2.8)]))
        else:
            p.setPen(QPen(c.q("muted"), 1.4))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(middle, 7.3, 7.3)
