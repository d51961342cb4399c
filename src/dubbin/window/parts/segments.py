"""A row of choices of which exactly one holds (recorded / treated / removed)."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.window.parts.theme import Theme, font

PAD = 13


class Segments(QWidget):
    """choices: (key, text, shortcut shown). Left and Right change the choice."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme, name: str, choices: Sequence[tuple[str, str, str]], accents: dict[str, str]) -> None:
        super().__init__()
        self._theme, self._choices, self._accents = theme, list(choices), accents
        self._current = self._choices[0][0]
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    @property
    def current(self) -> str:
        return self._current

    def show_choice(self, key: str) -> None:
        self._current = key
        self.update()

    def _widths(self) -> list[float]:
        text, small = QFontMetrics(font(15)), QFontMetrics(font(13))
        return [2 * PAD + text.horizontalAdvance(t) + (7 + small.horizontalAdvance(k) if k else 0) for _, t, k in self._choices]

    def sizeHint(self) -> QSize:
        return QSize(int(sum(self._widths())) + 2, 31)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = 1.0
        for (key, _, _), width in zip(self._choices, self._widths(), strict=True):
            if x <= event.position().x() < x + width:
                self._choose(key)
            x += width

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        move = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if move is None:
            event.ignore()
            return
        keys = [c[0] for c in self._choices]
        index = min(max(keys.index(self._current) + move, 0), len(keys) - 1)
        self._choose(keys[index])

    def _choose(self, key: str) -> None:
        if key != self._current:
            self._current = key
            self.update()
            self.chosen.emit(key)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        c = self._theme.colours
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = QRectF(0.75, 0.75, self.width() - 1.5, self.height() - 1.5)
        clip = QPainterPath()
        clip.addRoundedRect(frame, 8, 8)
        p.fillPath(clip, c.q("card"))
        p.save()
        p.setClipPath(clip)
        x = 1.0
        for (key, text, shortcut), width in zip(self._choices, self._widths(), strict=True):
            here = QRectF(x, 0, width, self.height())
            on = key == self._current
            if on:
                p.fillRect(here, c.q(self._accents.get(key, "saddle")))
            p.setFont(font(15, 500 if on else 400))
            p.setPen(c.q("on_accent") if on else c.q("ink"))
            p.drawText(here.adjusted(PAD, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)
            if shortcut:
                p.setFont(font(13))
                p.setPen(c.q("on_accent", 210) if on else c.q("muted"))
                p.drawText(
                    here.adjusted(0, 0, -PAD + 2, 0),
                    Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                    shortcut,
                )
            x += width
            p.setPen(QPen(c.q("line"), 1))
            if x < self.width() - 4:
                p.drawLine(int(x), 0, int(x), self.height())
        p.restore()
        p.setPen(QPen(c.q("indigo") if self.hasFocus() else c.q("line"), 2 if self.hasFocus() else 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(frame, 8, 8)
