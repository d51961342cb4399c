"""The sheet of all shortcuts, made from the list of actions."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from dubbin.window.parts.action import Action, Menu
from dubbin.window.parts.card import label

COLUMNS = ((Menu.EPISODE, Menu.WORDS, Menu.HELP), (Menu.EDIT,), (Menu.PLAY,), (Menu.VIEW, Menu.PROGRAM))


class ShortcutSheet(QDialog):
    """All shortcuts, by menu."""

    def __init__(self, actions: Iterable[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        actions = list(actions)
        self.setWindowTitle("Shortcuts")
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 20, 24, 20)
        row.setSpacing(34)
        for menus in COLUMNS:
            column = QVBoxLayout()
            for menu in menus:
                column.addWidget(label(menu.value, "title"))
                column.addLayout(self._grid([a for a in actions if a.menu is menu and a.keys]))
                column.addSpacing(12)
            column.addStretch(1)
            row.addLayout(column)
        assert set(Menu) == {menu for menus in COLUMNS for menu in menus}

    @staticmethod
    def _grid(actions: list[Action]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        for number, action in enumerate(actions):
            grid.addWidget(label("  ".join(action.keys), "strong"), number, 0)
            grid.addWidget(label(action.text), number, 1)
        return grid
