"""Actions are data: menu, context menus, command search, shortcut sheet and tests come from one list."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QPushButton

from dubbin.core.texts import mark, tr


class Menu(StrEnum):
    """The menus, in their order."""

    EPISODE = mark("Episode")
    EDIT = mark("Edit")
    WORDS = mark("Words")
    PROGRAM = mark("Program")
    PLAY = mark("Play")
    VIEW = mark("View")
    HELP = mark("Help")

    @property
    def caption(self) -> str:
        """Its name, for people."""
        return tr(self.value)


class ContextMenu(StrEnum):
    """What a right click opens."""

    LANES = "lanes"
    WORDS = "words"


# The parts of each menu, parted by lines, in their order. One that is not named here comes last.
GROUPS: dict[Menu, tuple[str, ...]] = {
    Menu.EPISODE: ("file", "save", "import", "card", "deliver", "recipes", "preferences", "quit"),
    Menu.EDIT: ("history", "cuts", "copies", "selection", "pauses", "pieces", "ends", "mute", "repairs", "places"),
    Menu.WORDS: ("transcript", "voices", "find", "words", "fillers", "retakes", "model"),
    Menu.PROGRAM: ("inserts", "chapters", "covers", "export"),
    Menu.PLAY: ("play", "speed", "monitor", "head", "words", "seams", "pauses", "places"),
    Menu.VIEW: ("steps", "zoom", "lanes", "window"),
    Menu.HELP: ("help",),
}


def always() -> bool:
    return True


@dataclass(frozen=True)
class Need:
    """What an action needs, and the sentence that says what to do where it is missing."""

    holds: Callable[[], bool]
    sentence: str

    def __call__(self) -> bool:
        return self.holds()


@dataclass(frozen=True)
class Action:
    """keys: shortcuts in Qt's notation, the first is shown. enabled: asked whenever it matters; a Need says why not. group: its part of the menu. on: the
    context menus in which it stands too. submenu: the entries of a menu below this one, asked for when it opens."""

    id: str
    menu: Menu
    group: str
    text: str
    keys: tuple[str, ...]
    run: Callable[[], None]
    enabled: Callable[[], bool] = always
    checked: Callable[[], bool] | None = None
    on: tuple[ContextMenu, ...] = ()
    submenu: Callable[[], list[tuple[str, Callable[[], None]]]] | None = None

    @property
    def key(self) -> str:
        """The first key as it is called on this system; nothing where there is none."""
        return QKeySequence(self.keys[0]).toString(QKeySequence.SequenceFormat.NativeText) if self.keys else ""

    @property
    def why_not(self) -> str:
        """Why it can't be done now and what to do, in a sentence; nothing where it can."""
        if self.enabled():
            return ""
        return self.enabled.sentence if isinstance(self.enabled, Need) else tr("This can't be done here.")

    @property
    def tip(self) -> str:
        """Text, first key and, where it can't be done now, why: for a button's tooltip."""
        return self.tip_where(self.why_not)

    def tip_where(self, why_not: str) -> str:
        """The tip, where it is known why it can't be done now; nothing: it can."""
        named = f"{self.text} ({self.key})" if self.keys else self.text
        return f"{named}\n{why_not}" if why_not else named


class ActionList:
    """All actions there are, by their ids; those of one room are added together."""

    def __init__(self, keys: Mapping[str, tuple[str, ...]] | None = None) -> None:
        """keys: a person's own, in place of those that an action comes with."""
        self._by_id: dict[str, Action] = {}
        self._given: dict[str, tuple[str, ...]] = {}
        self._own = dict(keys or {})
        self._listeners: list[Callable[[], None]] = []

    def add(self, actions: Iterable[Action]) -> None:
        """Raises ValueError on an id that is taken."""
        for action in actions:
            if action.id in self._by_id:
                raise ValueError(f"two actions are called {action.id}")
            self._given[action.id] = action.keys
            self._by_id[action.id] = replace(action, keys=self._own.get(action.id, action.keys))

    @property
    def own_keys(self) -> dict[str, tuple[str, ...]]:
        """The keys that differ from those that actions come with, by id."""
        return {id: action.keys for id, action in self._by_id.items() if action.keys != self._given[id]}

    def set_keys(self, keys: Mapping[str, tuple[str, ...]]) -> None:
        """Give actions other keys; those that are not named get the ones that they come with."""
        for id, action in self._by_id.items():
            self._by_id[id] = replace(action, keys=keys.get(id, self._given[id]))
        for tell in self._listeners:
            tell()

    def given_keys(self, id: str) -> tuple[str, ...]:
        """The keys that an action comes with."""
        return self._given[id]

    def listen(self, on_keys_changed: Callable[[], None]) -> None:
        self._listeners.append(on_keys_changed)

    def __getitem__(self, id: str) -> Action:
        return self._by_id[id]

    def __iter__(self) -> Iterator[Action]:
        """In the order of the menus."""
        return iter([action for menu in Menu for group in self.groups(menu) for action in group])

    def groups(self, menu: Menu) -> list[list[Action]]:
        """The actions of a menu, by its parts."""
        order = [*GROUPS[menu], *(a.group for a in self._by_id.values() if a.menu is menu)]
        groups = [[a for a in self._by_id.values() if a.menu is menu and a.group == name] for name in dict.fromkeys(order)]
        return [group for group in groups if group]

    def on(self, place: ContextMenu) -> list[Action]:
        """The actions of a context menu."""
        return [action for action in self if place in action.on]


class ActionButton(QPushButton):
    """Does what a menu entry does; its tooltip names the present key and, where it can't be done, why."""

    def __init__(self, actions: ActionList, id: str, text: str = "") -> None:
        """text: a shorter one than the entry's, where there is little room."""
        super().__init__(text or actions[id].text)
        self._actions, self.id = actions, id
        self.setAccessibleDescription(actions[id].text)
        self.clicked.connect(lambda: self.action_now.run())
        self.show_state()

    @property
    def action_now(self) -> Action:
        return self._actions[self.id]

    def show_state(self) -> None:
        """Enabled where it can be done now."""
        action = self.action_now
        why_not = action.why_not
        self.setEnabled(not why_not)
        self.setToolTip(action.tip_where(why_not))

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ToolTip:
            self.setToolTip(self.action_now.tip)
        return super().event(event)
