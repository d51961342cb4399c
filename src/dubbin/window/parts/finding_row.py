"""One finding on a job card: how bad it is as a shape and a word, what it is, and a click that goes there."""

from __future__ import annotations

import re

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QWidget

from dubbin.core.measure.finding import Finding, Severity
from dubbin.core.texts import tr, tr_count
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font

LEFT, LINE_H = 20, 18


class FindingRow(QAbstractButton):
    """Clicked: the place it speaks of, one after the other."""

    def __init__(self, theme: Theme, finding: Finding, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self.finding = theme, finding
        self._next = 0
        places = len(finding.places_s)
        where = (
            tr_count("{count} place: click to go there and hear it.", "{count} places: click to go to the next and hear it.", places)
            if places
            else tr("Everywhere.")
        )
        self.setToolTip(f"{finding.text}. {where}")
        self.setAccessibleName(f"{finding.title}, {tr(finding.severity.value)}: {finding.text}")
        self.setCursor(Qt.CursorShape.PointingHandCursor if places else Qt.CursorShape.ArrowCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if places else Qt.FocusPolicy.NoFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def next_place(self) -> tuple[float, float] | None:
        """The place to go to now; the one after it comes next time."""
        places = self.finding.places_s
        if not places:
            return None
        place = places[self._next % len(places)]
        self._next += 1
        return place

    def _lines(self) -> list[str]:
        room, metrics = max(self.width() - LEFT, 160), QFontMetrics(font(14))
        words, lines = re.sub(r"(?<![\w–])-(?=\d)", "−", self.finding.text).split(), [""]
        for word in words:
            longer = f"{lines[-1]} {word}".strip()
            if metrics.horizontalAdvance(longer) <= room or not lines[-1]:
                lines[-1] = longer
            else:
                lines.append(word)
        return lines

    def sizeHint(self) -> QSize:
        return QSize(200, (1 + len(self._lines())) * LINE_H + 4)

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(self.sizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = {Severity.MINOR: "muted", Severity.AUDIBLE: "thread_text", Severity.SEVERE: "brick"}[self.finding.severity]
        self._paint_mark(p, colour)
        p.setFont(font(15, 500))
        p.setPen(c.q("ink"))
        p.drawText(QRectF(LEFT, 0, self.width() - LEFT, LINE_H), Qt.AlignmentFlag.AlignVCenter, self.finding.title)
        p.setFont(font(14))
        p.setPen(c.q(colour))
        p.drawText(QRectF(LEFT, 0, self.width() - LEFT, LINE_H), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                   tr(self.finding.severity.value))  # fmt: skip
        p.setPen(c.q("muted"))
        for k, line in enumerate(self._lines()):
            p.drawText(QRectF(LEFT, (k + 1) * LINE_H, self.width() - LEFT, LINE_H), Qt.AlignmentFlag.AlignVCenter, line)
        if self.hasFocus():
            p.setPen(QPen(c.q("indigo"), 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)

    def _paint_mark(self, p: QPainter, colour: str) -> None:
        """Slight: a ring; clear: half filled; severe: a full triangle."""
        c, middle = self._theme.colours, QPointF(8, LINE_H / 2)
        p.setPen(QPen(c.q(colour), 1.5))
        if self.finding.severity is Severity.SEVERE:
            p.setBrush(c.q(colour))
            p.drawPolygon(QPolygonF([middle + QPointF(-5.5, 4.5), middle + QPointF(5.5, 4.5), middle + QPointF(0, -5.5)]))
            return
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(middle, 4.5, 4.5)
        if self.finding.severity is Severity.AUDIBLE:
            p.setBrush(c.q(colour))
            p.drawPie(QRectF(middle.x() - 4.5, middle.y() - 4.5, 9, 9), 180 * 16, 180 * 16)
