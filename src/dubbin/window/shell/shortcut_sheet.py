"""The sheet of all shortcuts, made from the list of actions."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, Menu
from dubbin.window.parts.card import label

COLUMNS = ((Menu.EPISODE, Menu.WORDS), (Menu.EDIT,), (Menu.PLAY,), (Menu.VIEW, Menu.PROGRAM, Menu.HELP))
WIDEST, HIGHEST = 1240, 740
NATIVE = QKeySequence.SequenceFormat.NativeText


class ShortcutSheet(QDialog):
    """All shortcuts, by menu."""

    def __init__(self, actions: Iterable[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        actions = list(actions)
        self.setWindowTitle(tr("Shortcuts"))
        inside = QWidget()
        inside.setObjectName("scrolled")
        row = QHBoxLayout(inside)
        row.setContentsMargins(24, 16, 24, 16)
        row.setSpacing(22)
        for menus in COLUMNS:
            column = QVBoxLayout()
            column.setSpacing(3)
            for menu in menus:
                column.addWidget(label(menu.caption, "title"))
                column.addLayout(self._grid([a for a in actions if a.menu is menu and a.keys]))
                column.addSpacing(12)
            column.addStretch(1)
            row.addLayout(column)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        wanted = inside.sizeHint()
        self.resize(min(wanted.width() + 24, WIDEST), min(wanted.height() + 8, HIGHEST))
        assert set(Menu) == {menu for menus in COLUMNS for menu in menus}

    @staticmethod
    def _grid(actions: list[Action]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        for number, action in enumerate(actions):
            grid.addWidget(label("  ".join(QKeySequence(k).toString(NATIVE) for k in action.keys[:2]), "strong"), number, 0)
            grid.addWidget(label(action.text), number, 1)
        return grid
