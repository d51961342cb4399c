"""Command search and the sheet of shortcuts; both made from the list of actions."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from dubbin.window.actions import MENUS, Action
from dubbin.window.parts.card import label


class CommandSearch(QDialog):
    """Type some letters of what is wanted; Enter does it."""

    def __init__(self, actions: Sequence[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Search commands")
        self.setModal(True)
        self.resize(460, 380)
        self._actions = [a for a in actions if a.id != "search"]
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do?")
        self.list = QListWidget()
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(self._run)
        self.field.returnPressed.connect(lambda: self._run(self.list.currentItem()))
        self._fill("")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            move = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if move:
                self.list.setCurrentRow(min(max(self.list.currentRow() + move, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)

    def _fill(self, text: str) -> None:
        wanted = text.lower().split()
        self.list.clear()
        for action in self._actions:
            if all(word in f"{action.menu} {action.text}".lower() for word in wanted):
                keys = f"    {action.keys[0]}" if action.keys else ""
                item = QListWidgetItem(f"{action.text}{keys}")
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.enabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        action = item.data(Qt.ItemDataRole.UserRole)
        if action.enabled():
            self.accept()
            action.run()


COLUMNS = (("Episode", "Words", "Help"), ("Edit",), ("Play",), ("View", "Program"))


class ShortcutSheet(QDialog):
    """All shortcuts, by menu."""

    def __init__(self, actions: Sequence[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 20, 24, 20)
        row.setSpacing(34)
        for menus in COLUMNS:
            column = QVBoxLayout()
            for menu in menus:
                column.addWidget(label(menu, "title"))
                column.addLayout(self._grid([a for a in actions if a.menu == menu and a.keys]))
                column.addSpacing(12)
            column.addStretch(1)
            row.addLayout(column)
        assert set(MENUS) == {menu for menus in COLUMNS for menu in menus}

    @staticmethod
    def _grid(actions: list[Action]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        for number, action in enumerate(actions):
            grid.addWidget(label("  ".join(action.keys), "strong"), number, 0)
            grid.addWidget(label(action.text), number, 1)
        return grid


class WordDialog(QDialog):
    """A word as it was said."""

    def __init__(self, word: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Correct a word")
        self.field = QLineEdit(word)
        self.field.setMinimumWidth(280)
        self.field.selectAll()
        self.box = QCheckBox("Wherever this word stands")
        column = QVBoxLayout(self)
        column.addWidget(label("The sound stays as it is. An empty field takes the word away.", "muted"))
        column.addWidget(self.field)
        column.addWidget(self.box)
        column.addWidget(_ok_or_cancel(self))

    def text(self) -> str:
        return self.field.text().strip()

    def everywhere(self) -> bool:
        return self.box.isChecked()


class BreakDialog(QDialog):
    """Length, name and cue tone of a break."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Insert a break")
        self.name = QLineEdit("Break")
        self.length = QDoubleSpinBox()
        self.length.setRange(0.1, 600.0)
        self.length.setValue(1.0)
        self.length.setSuffix(" s")
        self.cue = QCheckBox("A cue tone at its beginning")
        grid = QGridLayout(self)
        grid.addWidget(label("Name", "muted"), 0, 0)
        grid.addWidget(self.name, 0, 1)
        grid.addWidget(label("Length", "muted"), 1, 0)
        grid.addWidget(self.length, 1, 1)
        grid.addWidget(self.cue, 2, 0, 1, 2)
        grid.addWidget(_ok_or_cancel(self), 3, 0, 1, 2)

    def values(self) -> tuple[float, str, bool]:
        return self.length.value(), self.name.text().strip() or "Break", self.cue.isChecked()


def _ok_or_cancel(dialog: QDialog) -> QDialogButtonBox:
    kinds = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box
