"""The EQ as a curve over the voice's own spectrum and a typical one; its points are dragged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from dubbin.core.figures import number, short_number
from dubbin.core.measure.frequency_scale import WITH_UNIT
from dubbin.core.measure.spectrum import Spectrum
from dubbin.core.measure.voice_tone import laid_over
from dubbin.core.texts import tr
from dubbin.core.treat.equalise import OFF_HZ, EqSettings, response_db
from dubbin.window.parts.moving_keys import EVERY_WAY
from dubbin.window.parts.painting import painting
from dubbin.window.parts.polygon import polygon
from dubbin.window.parts.theme import Theme, font

LOW_HZ, HIGH_HZ, MOST_DB = 25.0, 20000.0, 18.0
LEFT, RIGHT, TOP, BOTTOM = 40, 12, 10, 22
GRAB_PX = 12.0


@dataclass(frozen=True)
class Handle:
    """A point of the curve: the fields that it moves. db None: it moves along the frequency only."""

    mark: str
    hz: str
    db: str | None
    q: str | None = None


HANDLES = (
    Handle("H", "high_pass_hz", None), Handle("L", "low_shelf_hz", "low_shelf_db"),
    *(Handle(str(k), f"bell{k}_hz", f"bell{k}_db", f"bell{k}_q") for k in (1, 2, 3, 4)),
    Handle("S", "high_shelf_hz", "high_shelf_db"), Handle("N", "notch_hz", "notch_db"),
)  # fmt: skip
LIMITS = {f.name: (f.metadata["low"], f.metadata["high"]) for f in EqSettings.__dataclass_fields__.values()}


class EqPlot(QWidget):
    """Drag a point; the wheel over a bell makes it narrower or wider; double-click sets a gain back to 0 dB. Arrow keys move the picked point."""

    changing = pyqtSignal(dict)
    changed = pyqtSignal(dict)
    given_up = pyqtSignal()
    picked = pyqtSignal()
    own_keys = EVERY_WAY  # it takes them for itself while it has the focus

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._settings, self._on = EqSettings(), False
        self._strength = 1.0
        self._spectrum: Spectrum | None = None
        self._picked, self._drag = 1, False
        self._before: EqSettings | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("EQ curve"))
        self.setMinimumHeight(120)
        self.setMouseTracking(True)
        theme.changed.connect(self.update)

    def show_state(self, settings: EqSettings, on: bool, strength: float, spectrum: Spectrum | None) -> None:
        if not self._drag:
            self._settings = settings
        self._on, self._strength, self._spectrum = on, strength, spectrum
        self.setAccessibleDescription(self.describe())
        self.update()

    def describe(self) -> str:
        """The picked point in words: for screen readers."""
        handle = self.handle
        parts = [f"{short_number(getattr(self._settings, handle.hz))} Hz"]
        if handle.db is not None:
            parts.append(f"{number(getattr(self._settings, handle.db), sign=True)} dB")
        return (tr("point {mark}: {parts}; on") if self._on else tr("point {mark}: {parts}; off")).format(
            mark=handle.mark, parts=", ".join(parts)
        )

    @property
    def settings(self) -> EqSettings:
        return self._settings

    @property
    def handle(self) -> Handle:
        """The picked point."""
        return HANDLES[self._picked]

    def type_in(self, field: str, value: float) -> None:
        """Set a figure of the picked point, as typed."""
        self._settings = self._moved(**{field: value})
        self._say(final=True)

    # -- where things are -------------------------------------------------------------

    def _area(self) -> QRectF:
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 10), max(self.height() - TOP - BOTTOM, 10))

    def x_of(self, hz: float) -> float:
        return float(self._x_of_many(np.array(hz)))

    def _x_of_many(self, hz: NDArray[np.float64]) -> NDArray[np.float64]:
        area = self._area()
        out: NDArray[np.float64] = area.left() + area.width() * np.log(hz / LOW_HZ) / np.log(HIGH_HZ / LOW_HZ)
        return out

    def y_of(self, db: float) -> float:
        area = self._area()
        return area.center().y() - area.height() / 2 * db / MOST_DB

    def handle_point(self, handle: Handle) -> QPointF:
        hz = getattr(self._settings, handle.hz)
        db = float(response_db(self._settings, np.array([hz]))[0]) if handle.db is None else getattr(self._settings, handle.db)
        return QPointF(self.x_of(max(hz, LOW_HZ)), self.y_of(float(np.clip(db, -MOST_DB, MOST_DB))))

    def _handle_at(self, position: QPointF) -> int | None:
        near = [((self.handle_point(h) - position).manhattanLength(), k) for k, h in enumerate(HANDLES)]
        best = min(near)
        return best[1] if best[0] <= GRAB_PX * 1.5 else None

    # -- acts of the person -----------------------------------------------------------

    def _moved(self, **fields: float) -> EqSettings:
        plain = {name: getattr(self._settings, name) for name in LIMITS}
        for name, value in fields.items():
            low, high = LIMITS[name]
            digits = 0 if name.endswith("_hz") else 2 if name.endswith("_q") else 1
            plain[name] = round(min(max(value, low), high), digits)
        return EqSettings(**plain)

    def _say(self, final: bool) -> None:
        fields = {
            n: getattr(self._settings, n) for n, f in EqSettings.__dataclass_fields__.items() if getattr(self._settings, n) != f.default
        }
        (self.changed if final else self.changing).emit(fields)
        self.picked.emit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        found = self._handle_at(event.position())
        if found is not None:
            self._picked, self._drag, self._before = found, True, self._settings
            self.picked.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if not self._drag:
            self.setCursor(Qt.CursorShape.SizeAllCursor if self._handle_at(event.position()) is not None else Qt.CursorShape.ArrowCursor)
            return
        area, handle = self._area(), HANDLES[self._picked]
        share = (event.position().x() - area.left()) / area.width()
        fields = {handle.hz: LOW_HZ * (HIGH_HZ / LOW_HZ) ** min(max(share, 0.0), 1.0)}
        if handle.db is not None:
            fields[handle.db] = (area.center().y() - event.position().y()) / (area.height() / 2) * MOST_DB
        self._settings = self._moved(**fields)
        self._say(final=False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag:
            self._drag = False
            if self._settings != self._before:
                self._say(final=True)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        found = self._handle_at(event.position()) if event else None
        if found is not None:
            handle = HANDLES[found]
            self._settings = self._moved(**({handle.db: 0.0} if handle.db else {handle.hz: OFF_HZ}))
            self._say(final=True)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        handle = HANDLES[self._picked]
        if event is not None and handle.q is not None and self._handle_at(event.position()) == self._picked:
            self._settings = self._moved(**{handle.q: getattr(self._settings, handle.q) * 1.15 ** (event.angleDelta().y() / 120)})
            self._say(final=True)
        elif event is not None:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        handle, keys = HANDLES[self._picked], Qt.Key
        if event.key() == keys.Key_Escape and self._drag and self._before is not None:
            self._settings, self._drag = self._before, False
            self.given_up.emit()
            self.update()
        elif event.key() in (keys.Key_PageUp, keys.Key_PageDown):
            self._picked = (self._picked + (1 if event.key() == keys.Key_PageDown else -1)) % len(HANDLES)
            self.picked.emit()
            self.update()
        elif event.key() in (keys.Key_Up, keys.Key_Down) and handle.db is not None:
            self._settings = self._moved(**{handle.db: getattr(self._settings, handle.db) + (0.5 if event.key() == keys.Key_Up else -0.5)})
            self._say(final=True)
        elif event.key() in (keys.Key_Left, keys.Key_Right):
            self._settings = self._moved(
                **{handle.hz: getattr(self._settings, handle.hz) * (1.03 if event.key() == keys.Key_Right else 1 / 1.03)}
            )
            self._say(final=True)
        else:
            event.ignore()

    # -- painting ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c, area = self._theme.colours, self._area()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), c.q("card"))
        p.setFont(font(13))
        for hz, text in WITH_UNIT:
            x = self.x_of(hz)
            p.setPen(QPen(c.q("line"), 1))
            p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            p.setPen(c.q("muted"))
            align = Qt.AlignmentFlag.AlignRight if hz == 20000 else Qt.AlignmentFlag.AlignHCenter
            p.drawText(QRectF(x - 60 if hz == 20000 else x - 30, area.bottom() + 3, 60, 16), align, text)
        for tick in (-12, -6, 0, 6, 12):
            y = self.y_of(tick)
            p.setPen(QPen(c.q("muted" if tick == 0 else "line"), 1))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            p.setPen(c.q("muted"))
            p.drawText(
                QRectF(0, y - 9, LEFT - 6, 18),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{tick:+d}".replace("-", "−") if tick else "0 dB",
            )
        p.setClipRect(area)
        if self._spectrum is not None:
            self._paint_spectrum(p, area, self._spectrum)
        f = np.geomspace(LOW_HZ, HIGH_HZ, 400)
        db = response_db(self._settings, f)
        if self._strength < 1.0:
            db = 20 * np.log10(1 - self._strength * (1 - 10 ** (db / 20)))
        line = polygon(self._x_of_many(f), area.center().y() - area.height() / 2 * np.clip(db, -30, 30) / MOST_DB)
        p.setPen(QPen(c.q("saddle" if self._on else "muted"), 2.4, Qt.PenStyle.SolidLine if self._on else Qt.PenStyle.DashLine))
        p.drawPolyline(line)
        p.setClipping(False)
        for k, handle in enumerate(HANDLES):
            self._paint_handle(p, handle, k == self._picked)

    def _paint_spectrum(self, p: QPainter, area: QRectF, spectrum: Spectrum) -> None:
        c = self._theme.colours
        typical = laid_over(spectrum)
        top = float(np.max(spectrum.level_db))
        x = self._x_of_many(spectrum.frequency_hz)

        def y(level_db: NDArray[np.float64]) -> NDArray[np.float64]:
            out: NDArray[np.float64] = area.top() + 8 + (top - level_db) / 70.0 * area.height()
            return out

        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.q("indigo", 46))
        p.drawPolygon(polygon(np.append(x, (area.right(), area.left())), np.append(y(spectrum.level_db), (area.bottom(), area.bottom()))))
        p.setPen(QPen(c.q("indigo"), 1.2, Qt.PenStyle.DotLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        inside = (spectrum.frequency_hz > 70) & (spectrum.frequency_hz < 14000)
        p.drawPolyline(polygon(x[inside], y(typical[inside])))

    def _paint_handle(self, p: QPainter, handle: Handle, picked: bool) -> None:
        c, point = self._theme.colours, self.handle_point(handle)
        idle = (handle.db is not None and getattr(self._settings, handle.db) == 0.0) or (
            handle.db is None and self._settings.high_pass_hz <= OFF_HZ
        )
        p.setPen(QPen(c.q("saddle" if not idle else "muted"), 2.2 if picked and self.hasFocus() else 1.4))
        p.setBrush(c.q("saddle") if picked and not idle else c.q("card"))
        p.drawEllipse(point, 9, 9)
        p.setPen(c.q("on_accent") if picked and not idle else c.q("ink" if not idle else "muted"))
        p.setFont(font(13, 700))
        p.drawText(QRectF(point.x() - 9, point.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, handle.mark)
