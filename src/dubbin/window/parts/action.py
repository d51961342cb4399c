"""Actions are data: menu, context menus, command search, shortcut sheet and tests come from one list."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

from PyQt6.QtWidgets import QPushButton


class Menu(StrEnum):
    """The menus, in their order."""

    EPISODE = "Episode"
    EDIT = "Edit"
    WORDS = "Words"
    PROGRAM = "Program"
    PLAY = "Play"
    VIEW = "View"
    HELP = "Help"


class ContextMenu(StrEnum):
    """What a right click opens."""

    LANES = "lanes"
    WORDS = "words"


# The parts of each menu, parted by lines, in their order. One that is not named here comes last.
GROUPS: dict[Menu, tuple[str, ...]] = {
    Menu.EPISODE: ("file", "save", "import", "quit", "card", "deliver", "recipes"),
    Menu.EDIT: ("places", "history", "cuts", "selection", "pauses", "mute", "pieces", "ends", "copies"),
    Menu.WORDS: ("transcript", "voices", "find", "words", "fillers", "retakes", "model"),
    Menu.PROGRAM: ("inserts", "chapters", "covers", "export"),
    Menu.PLAY: ("play", "head", "pauses", "seams", "places", "monitor"),
    Menu.VIEW: ("steps", "zoom", "lanes"),
    Menu.HELP: ("help",),
}


def always() -> bool:
    return True


@dataclass(frozen=True)
class Action:
    """keys: shortcuts in Qt's notation, the first is shown. enabled: asked whenever it matters. group: its part of the menu. on: the context menus in which
    it stands too."""

    id: str
    menu: Menu
    group: str
    text: str
    keys: tuple[str, ...]
    run: Callable[[], None]
    enabled: Callable[[], bool] = always
    checked: Callable[[], bool] | None = None
    on: tuple[ContextMenu, ...] = ()

    @property
    def tip(self) -> str:
        """Text and first key, for a button's tooltip."""
        return f"{self.text} ({self.keys[0]})" if self.keys else self.text


class ActionList:
    """All actions there are, by their ids; those of one room are added together."""

    def __init__(self) -> None:
        self._by_id: dict[str, Action] = {}

    def add(self, actions: Iterable[Action]) -> None:
        """Raises ValueError on an id that is taken."""
        for action in actions:
            if action.id in self._by_id:
                raise ValueError(f"two actions are called {action.id}")
            self._by_id[action.id] = action

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


def action_button(action: Action, text: str = "") -> QPushButton:
    """A button that does what a menu entry does; text: a shorter one, where there is little room."""
    button = QPushButton(text or action.text)
    button.setToolTip(action.tip)
    button.clicked.connect(lambda: action.run())
    return button
