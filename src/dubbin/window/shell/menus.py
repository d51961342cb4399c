"""The menu bar and the context menus, made from the list of actions; shortcuts come with them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from dubbin.window.parts.action import Action, ActionList, ContextMenu, Menu
from dubbin.window.session.session import Session


class Menus:
    """Qt's actions by the ids of ours."""

    def __init__(self, window: QMainWindow, session: Session, actions: ActionList) -> None:
        self._window, self._session, self._actions = window, session, actions
        self.by_id: dict[str, QAction] = {}
        bar = window.menuBar()
        assert bar is not None
        for name in Menu:
            menu = bar.addMenu(name.value)
            assert menu is not None
            menu.aboutToShow.connect(self.refresh)
            for group in actions.groups(name):
                if menu.actions():
                    menu.addSeparator()
                for action in group:
                    self.by_id[action.id] = self._made(action)
                    menu.addAction(self.by_id[action.id])

    def _made(self, action: Action) -> QAction:
        out = QAction(action.text, self._window)
        out.setShortcuts([QKeySequence(k) for k in action.keys])
        out.setCheckable(action.checked is not None)
        out.triggered.connect(lambda _=False: self.run(action))
        return out

    def run(self, action: Action) -> None:
        """Do what an action does, where it can be done now."""
        if action.enabled():
            action.run()
        self.refresh()

    def refresh(self) -> None:
        """Ticks, and the names of what can be undone and redone."""
        for action in self._actions:
            if action.checked is not None:
                self.by_id[action.id].setChecked(action.checked())
        history = self._session.document.history
        self.by_id["undo"].setText(f"Undo: {history.done[-1].title}" if history.done else "Undo")
        self.by_id["redo"].setText(f"Redo: {history.undone[-1].title}" if history.undone else "Redo")

    def show(self, place: ContextMenu, at: QPoint) -> None:
        """Open a context menu at a point of the screen."""
        menu = QMenu(self._window)
        for action in self._actions.on(place):
            self.by_id[action.id].setEnabled(action.enabled())
            menu.addAction(self.by_id[action.id])
        menu.exec(at)
        for qaction in self.by_id.values():
            qaction.setEnabled(True)
