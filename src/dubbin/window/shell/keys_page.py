"""Keys as a person wants them: every action with its keys, changed one by one, conflicts said before anything is taken away."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QKeySequenceEdit, QLineEdit, QPushButton, QTableWidgetItem, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, ActionList
from dubbin.window.parts.card import label
from dubbin.window.parts.table import FigureTable

PORTABLE = QKeySequence.SequenceFormat.PortableText
NATIVE = QKeySequence.SequenceFormat.NativeText
LEFT_ALONE = frozenset(("Tab", "Shift+Tab", "Return", "Enter", "Esc", ""))  # what every window needs for itself


class KeysPage(QWidget):
    """`changed` with every change; the actions carry it at once."""

    changed = pyqtSignal()

    def __init__(self, actions: ActionList) -> None:
        super().__init__()
        self._actions = actions
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Find an action or a key"))
        self.filter.setAccessibleName(tr("Find an action or a key"))
        self.filter.textChanged.connect(self._fill)
        column.addWidget(self.filter)
        self.table = FigureTable(tr("Keys"), (tr("Menu"), tr("Action"), tr("Keys")), stretched=1)
        across = self.table.horizontalHeader()
        assert across is not None
        across.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.table.currentCellChanged.connect(lambda *_: self._show_picked())
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.key = QKeySequenceEdit()
        self.key.setMaximumSequenceLength(1)
        self.key.setAccessibleName(tr("New key"))
        self.key.keySequenceChanged.connect(lambda _: self._say_conflict())
        row.addWidget(label(tr("New key"), "muted"))
        row.addWidget(self.key, 1)
        self.buttons: dict[str, QPushButton] = {}
        for name, text, act in (
            ("set", tr("Use instead"), lambda: self.give(replace=True)), ("add", tr("Add"), lambda: self.give(replace=False)),
            ("none", tr("No key"), self.take_all), ("reset", tr("Reset"), self.reset), ("reset-all", tr("Reset all"), self.reset_all),
        ):  # fmt: skip
            self.buttons[name] = QPushButton(text)
            self.buttons[name].clicked.connect(lambda _=False, a=act: a())
            row.addWidget(self.buttons[name])
        column.addLayout(row)
        self.said = label("", "muted", wrap=True)
        self.said.setMinimumHeight(22)
        column.addWidget(self.said)
        self._fill()

    def _fill(self, *_: object) -> None:
        wanted, picked = self.filter.text().casefold().split(), self.picked()
        shown = [a for a in self._actions if all(w in f"{a.menu.caption} {a.text} {' '.join(a.keys)}".casefold() for w in wanted)]
        self.table.setRowCount(len(shown))
        for row, action in enumerate(shown):
            keys = "   ".join(QKeySequence(k).toString(NATIVE) for k in action.keys)
            own = action.keys != self._actions.given_keys(action.id)
            items = self.table.show_row(row, (action.menu.caption, action.text, tr("{keys}  (changed)").format(keys=keys) if own else keys))
            items[0].setData(Qt.ItemDataRole.UserRole, action.id)
        rows = [row for row, action in enumerate(shown) if picked is not None and action.id == picked.id]
        self.table.setCurrentCell(rows[0] if rows else 0, 1)
        self._show_picked()

    def picked(self) -> Action | None:
        """The action of the row that is picked."""
        item: QTableWidgetItem | None = self.table.item(self.table.currentRow(), 0)
        return self._actions[item.data(Qt.ItemDataRole.UserRole)] if item is not None else None

    def pick(self, id: str) -> None:
        """Pick an action's row."""
        self.filter.clear()
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == id:
                self.table.setCurrentCell(row, 1)

    def _show_picked(self) -> None:
        for button in self.buttons.values():
            button.setEnabled(self.picked() is not None)
        self._say_conflict()

    def typed(self) -> str:
        return self.key.keySequence().toString(PORTABLE)

    def user_of(self, key: str) -> Action | None:
        """The other action that has a key."""
        picked = self.picked()
        same = QKeySequence(key)
        return next((a for a in self._actions if a is not picked and any(QKeySequence(k) == same for k in a.keys)), None)

    def _say_conflict(self) -> None:
        key = self.typed()
        other = self.user_of(key) if key else None
        if key in LEFT_ALONE and key:
            self.said.setText(tr("{key} is needed to move about in the window; choose another.").format(key=key))
        elif other is not None:
            self.said.setText(
                tr("{tostring} is the key of “{text}”, which loses it.").format(
                    tostring=self.key.keySequence().toString(NATIVE), text=other.text
                )
            )
        else:
            self.said.setText(tr("Press the new key in the field, then choose Use instead or Add."))

    def give(self, *, replace: bool) -> None:
        """Give the picked action the typed key, in place of its keys or beside them; who had it loses it."""
        action, key = self.picked(), self.typed()
        if action is None or key in LEFT_ALONE:
            return
        keys = {a.id: a.keys for a in self._actions}
        other = self.user_of(key)
        if other is not None:
            keys[other.id] = tuple(k for k in other.keys if QKeySequence(k) != QKeySequence(key))
        kept = () if replace else tuple(k for k in action.keys if k != key)
        keys[action.id] = (key,) if replace else (*kept, key)
        self._take_over(keys)
        self.key.clear()

    def take_all(self) -> None:
        """Leave the picked action without a key; the menu and the command search still have it."""
        action = self.picked()
        if action is not None:
            self._take_over({**{a.id: a.keys for a in self._actions}, action.id: ()})

    def reset(self) -> None:
        """Give the picked action the keys that it comes with; who has one of them loses it."""
        action = self.picked()
        if action is None:
            return
        given = self._actions.given_keys(action.id)
        keys = {a.id: tuple(k for k in a.keys if k not in given) for a in self._actions}
        self._take_over({**keys, action.id: given})

    def reset_all(self) -> None:
        self._take_over({})

    def _take_over(self, keys: dict[str, tuple[str, ...]]) -> None:
        self._actions.set_keys(keys)
        self._fill()
        self.changed.emit()
