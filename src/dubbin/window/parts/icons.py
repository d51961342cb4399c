"""Icons drawn by hand: a few strokes each, in the ink of the theme."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from dubbin.window.parts.painting import painting

SIZE = 40  # drawn at twice the size in which they are shown


def icon(name: str, colour: QColor) -> QIcon:
    """play, stop, back, forward, loop, fold, unfold, add, minus, plus, all."""
    pixmap = QPixmap(SIZE, SIZE)
    pixmap.fill(Qt.GlobalColor.transparent)
    with painting(pixmap) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(colour, 3.4, cap=Qt.PenCapStyle.RoundCap, join=Qt.PenJoinStyle.RoundJoin))
        p.setBrush(Qt.BrushStyle.NoBrush)
        globals()[f"_draw_{name}"](p, colour)
    pixmap.setDevicePixelRatio(2.0)
    return QIcon(pixmap)


def _triangle(p: QPainter, colour: QColor, points: list[tuple[float, float]]) -> None:
    p.setBrush(colour)
    p.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))


def _draw_play(p: QPainter, colour: QColor) -> None:
    _triangle(p, colour, [(13, 9), (13, 31), (31, 20)])


def _draw_stop(p: QPainter, colour: QColor) -> None:
    p.setBrush(colour)
    p.drawRoundedRect(QRectF(11, 11, 18, 18), 2, 2)


def _stitch(p: QPainter, x: float) -> None:
    for y in (8, 17, 26):
        p.drawLine(QPointF(x, y), QPointF(x, y + 5))


def _draw_back(p: QPainter, colour: QColor) -> None:
    _stitch(p, 10)
    _triangle(p, colour, [(30, 11), (30, 29), (16, 20)])


def _draw_forward(p: QPainter, colour: QColor) -> None:
    _stitch(p, 30)
    _triangle(p, colour, [(10, 11), (10, 29), (24, 20)])


def _draw_loop(p: QPainter, colour: QColor) -> None:
    path = QPainterPath(QPointF(14, 11))
    path.lineTo(25, 11)
    path.arcTo(QRectF(16, 11, 18, 18), 90, -180)
    path.lineTo(15, 29)
    path.arcTo(QRectF(6, 11, 18, 18), 270, -120)
    p.drawPath(path)
    p.drawPolyline(QPolygonF([QPointF(18, 6), QPointF(13, 11), QPointF(18, 16)]))


def _draw_fold(p: QPainter, colour: QColor) -> None:
    _stitch(p, 20)
    p.drawPolyline(QPolygonF([QPointF(6, 13), QPointF(13, 20), QPointF(6, 27)]))
    p.drawPolyline(QPolygonF([QPointF(34, 13), QPointF(27, 20), QPointF(34, 27)]))


def _draw_unfold(p: QPainter, colour: QColor) -> None:
    _stitch(p, 20)
    p.drawPolyline(QPolygonF([QPointF(13, 13), QPointF(6, 20), QPointF(13, 27)]))
    p.drawPolyline(QPolygonF([QPointF(27, 13), QPointF(34, 20), QPointF(27, 27)]))


def _draw_plus(p: QPainter, colour: QColor) -> None:
    p.drawLine(QPointF(20, 10), QPointF(20, 30))
    p.drawLine(QPointF(10, 20), QPointF(30, 20))


def _draw_minus(p: QPainter, colour: QColor) -> None:
    p.drawLine(QPointF(10, 20), QPointF(30, 20))


def _draw_all(p: QPainter, colour: QColor) -> None:
    p.drawLine(QPointF(7, 10), QPointF(7, 30))
    p.drawLine(QPointF(33, 10), QPointF(33, 30))
    p.drawLine(QPointF(12, 20), QPointF(28, 20))
    p.drawPolyline(QPolygonF([QPointF(16, 15), QPointF(12, 20), QPointF(16, 25)]))
    p.drawPolyline(QPolygonF([QPointF(24, 15), QPointF(28, 20), QPointF(24, 25)]))
