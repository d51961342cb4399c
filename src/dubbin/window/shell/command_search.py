"""The command search: type some letters of what is wanted."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action


class CommandSearch(QDialog):
    """Type some letters of what is wanted; Enter does it."""

    def __init__(self, actions: Iterable[Action], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Search commands"))
        self.setModal(True)
        self.resize(460, 380)
        self._actions = [a for a in actions if a.id != "search" and a.submenu is None]
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("What do you want to do?"))
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
            if all(word in f"{action.menu.caption} {action.text}".lower() for word in wanted):
                keys = f"    {action.key}" if action.keys else ""
                item = QListWidgetItem(f"{action.text}{keys}")
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.enabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                    item.setToolTip(action.why_not)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        action = item.data(Qt.ItemDataRole.UserRole)
        if action.enabled():
            self.accept()
            action.run()
