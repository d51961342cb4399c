"""The menu bar and the context menus, made from the list of actions; shortcuts come with them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, ActionList, ContextMenu, Menu
from dubbin.window.session.session import Session

# The letter that opens a menu with Alt; each only once.
MNEMONICS = {
    Menu.EPISODE: tr("&Episode"), Menu.EDIT: tr("E&dit"), Menu.WORDS: tr("&Words"), Menu.PROGRAM: tr("Pro&gram"), Menu.PLAY: tr("&Play"), Menu.VIEW: tr("&View"),
    Menu.HELP: tr("&Help"),
}  # fmt: skip
# Parts of menus that stand in a menu of their own below: by their menu and name.
BELOW = {
    (Menu.PLAY, "speed"): tr("Speed"), (Menu.PLAY, "head"): tr("Move the play head"), (Menu.PLAY, "words"): tr("Words and sentences"),
    (Menu.PLAY, "places"): tr("Findings, markers and overlaps"), (Menu.EDIT, "pieces"): tr("Pieces and edges"), (Menu.EDIT, "selection"): tr("Selection"),
}  # fmt: skip


class Menus:
    """Qt's actions by the ids of ours. While a menu is open, what can't be done is grey and says why; a key does nothing then, but says what to do."""

    def __init__(self, window: QMainWindow, session: Session, actions: ActionList) -> None:
        self._window, self._session, self._actions = window, session, actions
        self.by_id: dict[str, QAction] = {}
        self.menus: dict[Menu, QMenu] = {}
        bar = window.menuBar()
        assert bar is not None
        for name in Menu:
            menu = bar.addMenu(MNEMONICS[name])
            assert menu is not None
            menu.setToolTipsVisible(True)
            menu.aboutToShow.connect(self._show_what_can_be_done)
            menu.aboutToHide.connect(self._enable_all)
            self.menus[name] = menu
            for group in actions.groups(name):
                self._add(menu, group, BELOW.get((name, group[0].group)))
        actions.listen(self._show_keys)
        self._show_keys()

    def _add(self, menu: QMenu, group: list[Action], below: str | None) -> None:
        """The actions of one part of a menu, parted from those before by a line; or in a menu below this one."""
        if below is not None:
            inner = menu.addMenu(below)
            assert inner is not None
            inner.setToolTipsVisible(True)
            menu = inner
        elif menu.actions():
            menu.addSeparator()
        for action in group:
            if action.submenu is not None:
                self.by_id[action.id] = self._submenu(menu, action)
                continue
            self.by_id[action.id] = self._made(action)
            menu.addAction(self.by_id[action.id])

    def _made(self, action: Action) -> QAction:
        out = QAction(action.text, self._window)
        out.setCheckable(action.checked is not None)
        out.triggered.connect(lambda _=False: self.run(self._actions[action.id]))
        return out

    def _submenu(self, menu: QMenu, action: Action) -> QAction:
        """A menu below an entry, filled when it opens."""
        below = QMenu(action.text, menu)

        def fill() -> None:
            below.clear()
            for text, act in action.submenu() if action.submenu is not None else ():
                entry = below.addAction(text)
                if entry is not None:
                    entry.triggered.connect(lambda _=False, a=act: a())
            if below.isEmpty():
                none = below.addAction(tr("None yet"))
                if none is not None:
                    none.setEnabled(False)

        below.aboutToShow.connect(fill)
        menu.addMenu(below)
        entry = below.menuAction()
        assert entry is not None
        return entry

    def _show_keys(self) -> None:
        for action in self._actions:
            self.by_id[action.id].setShortcuts([QKeySequence(k) for k in action.keys])

    def run(self, action: Action) -> None:
        """Do what an action does; where it can't be done now, say what is missing."""
        if action.enabled():
            action.run()
        elif action.why_not:
            self._session.said.emit(action.why_not)
        self.refresh()

    def refresh(self) -> None:
        """Ticks, and the names of what can be undone and redone."""
        for action in self._actions:
            if action.checked is not None:
                self.by_id[action.id].setChecked(action.checked())
        history = self._session.document.history
        self.by_id["undo"].setText(tr("Undo: {title}").format(title=history.done[-1].title) if history.done else tr("Undo"))
        self.by_id["redo"].setText(tr("Redo: {title}").format(title=history.undone[-1].title) if history.undone else tr("Redo"))

    def _show_what_can_be_done(self) -> None:
        self.refresh()
        for action in self._actions:
            qaction = self.by_id[action.id]
            qaction.setEnabled(action.enabled())
            qaction.setToolTip(action.why_not or action.tip)

    def _enable_all(self) -> None:
        """A shortcut of what is grey would not be heard, and so could not say why."""
        for qaction in self.by_id.values():
            qaction.setEnabled(True)

    def show(self, place: ContextMenu, at: QPoint) -> None:
        """Open a context menu at a point of the screen."""
        menu = QMenu(self._window)
        menu.setToolTipsVisible(True)
        self._show_what_can_be_done()
        for action in self._actions.on(place):
            menu.addAction(self.by_id[action.id])
        menu.exec(at)
        self._enable_all()
