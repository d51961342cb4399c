"""The six steps in the order of the work, each with a line that says what is left to do."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.choice_button import ChoiceButton
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font, scaled
from dubbin.window.session.session import Session
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.step import Step

ROW_H, WIDTH, TOP = 58, 172, 12


class StepButton(ChoiceButton):
    """A step, with what is left to do there."""

    def __init__(self, theme: Theme, step: Step, steps: StepList) -> None:
        super().__init__(step.caption, steps, {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}, steps.move_choice)
        self._theme, self.step = theme, step
        self.state = Status("")
        self.setFixedHeight(scaled(ROW_H))

    def show_status(self, status: Status) -> None:
        """Say how far the step is."""
        if status != self.state:
            self.state = status
            parts = (status.text, tr("done") if status.done else "")
            self.setAccessibleName(f"{self.step.caption}: {', '.join(part for part in parts if part)}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(scaled(WIDTH), scaled(ROW_H))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        here = QRectF(self.rect())
        if self.isChecked():
            p.fillRect(here, c.q("card"))
            p.fillRect(QRectF(0, 0, 4, here.height()), c.q("saddle"))
        if self.hasFocus():
            p.setPen(QPen(c.q("indigo"), 2))
            p.drawRect(here.adjusted(1, 1, -2, -1))
        middle = scaled(21)
        self._paint_state(p, QPointF(27, middle))
        p.setFont(font(16, 700 if self.isChecked() else 500))
        p.setPen(c.q("ink"))
        p.drawText(QRectF(46, middle - scaled(12), self.width() - 50, scaled(24)), Qt.AlignmentFlag.AlignVCenter, self.step.caption)
        p.setFont(font(14))
        p.setPen(c.q("muted"))
        p.drawText(QRectF(46, middle + scaled(10), self.width() - 48, scaled(20)), Qt.AlignmentFlag.AlignVCenter, self.state.text)

    def _paint_state(self, p: QPainter, middle: QPointF) -> None:
        c = self._theme.colours
        if self.state.done:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c.q("fern"))
            p.drawEllipse(middle, 8, 8)
            p.setPen(QPen(c.q("on_accent"), 2, cap=Qt.PenCapStyle.RoundCap))
            p.drawPolyline(QPolygonF([middle + QPointF(-3.5, 0.3), middle + QPointF(-1, 3), middle + QPointF(3.8, -2.8)]))
        else:
            p.setPen(QPen(c.q("muted"), 1.4))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(middle, 7.3, 7.3)


class StepList(QWidget):
    """Click, or Up and Down, to go to a step."""

    chosen = pyqtSignal(object)

    def __init__(self, session: Session, theme: Theme, pages: Mapping[Step, Page]) -> None:
        super().__init__()
        self._theme, self._pages = theme, pages
        self.current = Step.INTAKE
        self.setFixedWidth(scaled(WIDTH))
        self.setAccessibleName(tr("Steps"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, TOP, 0, 8)
        column.setSpacing(0)
        self.buttons: dict[Step, StepButton] = {}
        for step in Step:
            button = self.buttons[step] = StepButton(theme, step, self)
            button.clicked.connect(lambda _=False, s=step: self.chosen.emit(s))
            column.addWidget(button)
        column.addStretch(1)
        for page in pages.values():
            page.status_changed.connect(self.refresh)
        for signal in (session.episode_changed, session.sounds_changed, session.findings_changed, theme.changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Say how far each step is."""
        for step, button in self.buttons.items():
            button.show_status(self._pages[step].status())

    def move_choice(self, direction: int) -> None:
        """Go to the step below (1) or above (-1)."""
        steps = list(Step)
        at = steps.index(self.current) + direction
        if 0 <= at < len(steps):
            self.chosen.emit(steps[at])
            self.buttons[steps[at]].setFocus()

    def show_step(self, step: Step) -> None:
        self.current = step
        self.buttons[step].setChecked(True)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        p.setPen(QPen(self._theme.colours.q("line"), 1))
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
