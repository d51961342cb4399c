"""A row of choices of which exactly one holds (recorded / treated / removed)."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.window.parts.choice_button import ChoiceButton
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font, scaled

PAD, HEIGHT = 13, 31


class Choice(ChoiceButton):
    """One of the choices, painted by the row."""

    def __init__(self, row: Segments, key: str, text: str, shortcut: str) -> None:
        super().__init__(text, row, {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}, row.move_choice)
        self._row, self.key, self.keys_shown = row, key, shortcut
        self.setAccessibleName(f"{text} ({shortcut})" if shortcut else text)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._row.paint_choice(self)


class Segments(QWidget):
    """choices: (key, text, shortcut shown). Left and Right change the choice."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme, name: str, choices: Sequence[tuple[str, str, str]], accents: dict[str, str]) -> None:
        super().__init__()
        self._theme, self._accents = theme, accents
        self.choices = [Choice(self, *choice) for choice in choices]
        for choice in self.choices:
            choice.clicked.connect(lambda _=False, c=choice: self._choose(c.key))
        self._measured: tuple[int, list[float]] = (0, [])  # at what scale of the text
        self._heights: dict[int, int] = {}  # by width, at that scale: a layout asks a hundred times
        self._current = self.choices[0].key
        self.choices[0].setChecked(True)
        self.setAccessibleName(name)
        self.setFocusProxy(self.choices[0])
        policy = QSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        theme.changed.connect(self.update)

    @property
    def current(self) -> str:
        return self._current

    def show_choice(self, key: str) -> None:
        self._current = key
        for choice in self.choices:
            if choice.key == key:
                choice.setChecked(True)
                self.setFocusProxy(choice)
        self.update()

    def _widths(self) -> list[float]:
        """Of the choices; measured once, for they are asked for at every layout."""
        if self._measured[0] != (scale := scaled(100)):
            self._measured = scale, self._measure()
            self._heights.clear()
        return self._measured[1]

    def _measure(self) -> list[float]:
        text, small = QFontMetrics(font(15)), QFontMetrics(font(13))
        return [
            2 * PAD + text.horizontalAdvance(c.text()) + (7 + small.horizontalAdvance(c.keys_shown) if c.keys_shown else 0)
            for c in self.choices
        ]

    def _rows(self, width: int) -> list[list[tuple[Choice, float]]]:
        """Choices with their widths, in as many rows as a width makes of them."""
        rows: list[list[tuple[Choice, float]]] = [[]]
        x = 0.0
        for choice, needed in zip(self.choices, self._widths(), strict=True):
            if rows[-1] and x + needed > width - 1:
                rows.append([])
                x = 0.0
            rows[-1].append((choice, needed))
            x += needed
        return rows

    def sizeHint(self) -> QSize:
        return QSize(int(sum(self._widths())) + 3, scaled(HEIGHT))

    def minimumSizeHint(self) -> QSize:
        return QSize(int(max(self._widths())) + 3, scaled(HEIGHT))

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        self._widths()  # which forgets the heights when the scale of the text is another one
        if width not in self._heights:
            self._heights[width] = scaled(HEIGHT) * len(self._rows(width))
        return self._heights[width]

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        for number, row in enumerate(self._rows(self.width())):
            x = 1.0
            for choice, width in row:
                choice.setGeometry(QRect(round(x), number * scaled(HEIGHT), round(x + width) - round(x), scaled(HEIGHT)))
                x += width

    def _choose(self, key: str) -> None:
        if key != self._current:
            self.show_choice(key)
            self.chosen.emit(key)

    def move_choice(self, direction: int) -> None:
        """Choose the neighbour of what is chosen: the next (1) or the one before (-1)."""
        at = [c.key for c in self.choices].index(self._current) + direction
        if 0 <= at < len(self.choices):
            self.choices[at].setFocus()
            self._choose(self.choices[at].key)

    # -- painting ---------------------------------------------------------------------

    def _frame_of(self, choice: Choice) -> QRectF:
        """The frame of the row in which a choice stands, in the choice's own coordinates."""
        row = [c for c in self.choices if c.y() == choice.y()]
        right = row[-1].geometry().right() + 1
        return QRectF(0.75 - choice.x(), 0.75, right - 0.5, choice.height() - 1.5)

    def paint_choice(self, choice: Choice) -> None:
        """Paint the part of the row that a choice covers."""
        with painting(choice) as p:
            self._paint(p, choice)

    def _paint(self, p: QPainter, choice: Choice) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, here, frame = self._theme.colours, QRectF(choice.rect()), self._frame_of(choice)
        clip = QPainterPath()
        clip.addRoundedRect(frame, 8, 8)
        on = choice.key == self._current
        p.save()
        p.setClipPath(clip)
        p.fillRect(here, c.q(self._accents.get(choice.key, "saddle")) if on else c.q("card"))
        p.setFont(font(15, 500 if on else 400))
        p.setPen(c.q("on_accent") if on else c.q("ink"))
        p.drawText(here.adjusted(PAD, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, choice.text())
        if choice.keys_shown:
            p.setFont(font(13))
            p.setPen(c.q("on_accent", 230) if on else c.q("muted"))
            p.drawText(here.adjusted(0, 0, -PAD + 2, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, choice.keys_shown)
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(int(here.right()), 0, int(here.right()), choice.height())
        p.restore()
        p.setPen(QPen(c.q("line"), 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(frame, 8, 8)
        if choice.hasFocus():
            p.setPen(QPen(c.q("on_accent" if on else "indigo"), 1.6))
            p.drawRoundedRect(here.adjusted(4, 4, -4, -4), 5, 5)
