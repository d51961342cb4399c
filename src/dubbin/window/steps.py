"""The six steps in the order of the work, each with a line that says what is left to do."""

from __future__ import annotations

from enum import StrEnum

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from dubbin.core.episode.model import Role
from dubbin.core.episode.time_map import merged
from dubbin.window.desk import Desk
from dubbin.window.parts.figures import clock
from dubbin.window.theme import Theme, font


class Step(StrEnum):
    INTAKE = "Intake"
    REPAIR = "Repair"
    EDIT = "Edit"
    VOICE = "Voice"
    BALANCE = "Balance"
    MASTER = "Master"


ROW_H, WIDTH = 58, 172


def status_line(step: Step, desk: Desk, proved: tuple[int, int] | None) -> tuple[str, bool]:
    """What the step list says of a step, and whether something is done there. proved: (passed, made) masters."""
    episode = desk.episode
    voices = [lane for lane in episode.lanes if lane.role is Role.VOICE]
    if step is Step.INTAKE:
        if not episode.lanes:
            return "drop recordings", False
        count = len(episode.recordings)
        return (
            f"{count} recording{'s' if count != 1 else ''}, {len(voices)} voice{'s' if len(voices) != 1 else ''}",
            True,
        )
    if not episode.lanes:
        return "not begun", False
    if step is Step.REPAIR:
        count = sum(use.on for lane in episode.lanes for use in lane.repairs)
        return (f"{count} treatment{'s' if count != 1 else ''} on", True) if count else ("not begun", False)
    if step is Step.EDIT:
        cuts = merged(episode.cuts)
        seconds = sum(b - a for a, b in cuts) / episode.rate
        if cuts:
            return f"{len(cuts)} cut{'s' if len(cuts) != 1 else ''}, −{clock(seconds)}", True
        found = len(desk.pauses())
        return (f"{found} pauses found" if found else "not begun"), False
    if step is Step.VOICE:
        count = sum(any(use.on for use in lane.voicing) for lane in voices)
        return (f"{count} of {len(voices)} voices set", True) if count else ("not begun", False)
    if step is Step.BALANCE:
        levelled = sum(lane.levelling.on for lane in voices)
        if levelled:
            return f"{levelled} of {len(voices)} voices levelled", True
        moved = any(lane.level_db or lane.pan or lane.mute or lane.solo or lane.line or lane.bleed.on for lane in episode.lanes)
        return ("levels set", True) if moved else ("levels as recorded", False)
    if proved:
        passed, made = proved
        return f"{passed} of {made} masters pass", passed == made
    count = len(episode.delivery.targets)
    return f"{count} target{'s' if count != 1 else ''} chosen", False


class StepList(QWidget):
    """Click, or Up and Down, to go to a step."""

    chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.current = Step.INTAKE
        self.proved: tuple[int, int] | None = None
        self.setFixedWidth(WIDTH)
        self.setMinimumHeight(ROW_H * len(Step) + 20)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Steps")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        for signal in (desk.episode_changed, desk.sounds_changed, desk.findings_changed, theme.changed):
            signal.connect(self.update)

    def show_step(self, step: Step) -> None:
        self.current = step
        self.update()

    def show_proved(self, proved: tuple[int, int] | None) -> None:
        self.proved = proved
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
            text, done = status_line(step, self._desk, self.proved)
            if step is self.current:
                p.fillRect(here, c.q("card"))
                p.fillRect(QRectF(0, top, 4, ROW_H), c.q("saddle"))
                if self.hasFocus():
                    p.setPen(QPen(c.q("indigo"), 2))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.drawRect(here.adjusted(1, 1, -1, -1))
            self._paint_state(p, QPointF(27, top + 21), done)
            p.setFont(font(16, 700 if step is self.current else 500))
            p.setPen(c.q("ink"))
            p.drawText(QRectF(46, top + 9, self.width() - 50, 24), Qt.AlignmentFlag.AlignVCenter, step.value)
            p.setFont(font(14))
            p.setPen(c.q("muted"))
            p.drawText(QRectF(46, top + 31, self.width() - 48, 20), Qt.AlignmentFlag.AlignVCenter, text)
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())

    def _paint_state(self, p: QPainter, middle: QPointF, done: bool) -> None:
        c = self._theme.colours
        if done:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c.q("fern"))
            p.drawEllipse(middle, 8, 8)
            p.setPen(QPen(c.q("on_accent"), 2, cap=Qt.PenCapStyle.RoundCap))
            p.drawPolyline([middle + QPointF(-3.5, 0.3), middle + QPointF(-1, 3), middle + QPointF(3.8, -2.8)])
        else:
            p.setPen(QPen(c.q("muted"), 1.4))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(middle, 7.3, 7.3)
