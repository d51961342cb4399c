"""One of several choices of which exactly one holds, painted by its owner: a real radio button, so that keyboard and screen reader know it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QRadioButton, QWidget


class ChoiceButton(QRadioButton):
    """moves: keys that choose a neighbour, with the direction; move: chooses it."""

    def __init__(self, text: str, parent: QWidget, moves: Mapping[Qt.Key, int], move: Callable[[int], None]) -> None:
        super().__init__(text, parent)
        self._moves, self._move = dict(moves), move
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        direction = self._moves.get(Qt.Key(event.key())) if event else None
        if direction is None:
            super().keyPressEvent(event)
        else:
            self._move(direction)

    def hitButton(self, pos: QPoint) -> bool:
        return self.rect().contains(pos)
