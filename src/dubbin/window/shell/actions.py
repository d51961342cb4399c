"""What menu and keys do that belongs to no step: files, undo, steps, help, the card and recipes."""

from __future__ import annotations

from dubbin.window.parts.action import Action, Menu
from dubbin.window.session.session import Session
from dubbin.window.shell.card_dialog import CardSheet
from dubbin.window.shell.files import EpisodeFiles
from dubbin.window.shell.help import Help
from dubbin.window.shell.recipes import Recipes
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step

EPISODE, EDIT, VIEW, HELP = Menu.EPISODE, Menu.EDIT, Menu.VIEW, Menu.HELP


def shell_actions(shared: Shared, files: EpisodeFiles, card: CardSheet, recipes: Recipes, help: Help) -> list[Action]:
    session, theme = shared.session, shared.theme

    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    return [
        Action("new", EPISODE, "file", "New episode", ("Ctrl+N",), files.new),
        Action("open", EPISODE, "file", "Open …", ("Ctrl+O",), files.choose),
        Action("open-demo", EPISODE, "file", "Open the demo episode", (), files.open_demo),
        Action("save", EPISODE, "save", "Save", ("Ctrl+S",), lambda: _ignored(files.save())),
        Action("save-as", EPISODE, "save", "Save as …", ("Ctrl+Shift+S",), lambda: _ignored(files.save_as())),
        Action("quit", EPISODE, "quit", "Quit", ("Ctrl+Q",), lambda: _ignored(shared.window.close())),
        Action("run-card", EPISODE, "card", "Run the card …", ("Ctrl+R",), card.show, has_lanes),
        Action("open-folder", EPISODE, "import", "Open a folder of recordings …", ("Ctrl+Shift+O",), files.choose_folder),
        Action("save-recipe", EPISODE, "recipes", "Save as a recipe …", (), recipes.choose_to_save, has_lanes),
        Action("apply-recipe", EPISODE, "recipes", "Apply a recipe …", (), recipes.choose, has_lanes),
        Action("undo", EDIT, "history", "Undo", ("Ctrl+Z",), lambda: undo(session), lambda: bool(session.document.history.done)),
        Action("redo", EDIT, "history", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), lambda: redo(session), lambda: bool(session.document.history.undone)),
        *(
            Action(f"{step.value.lower()}-step", VIEW, "steps", f"Go to {step.value}", (f"Ctrl+{k + 1}",), lambda s=step: shared.go_step(s))  # type: ignore[misc]
            for k, step in enumerate(Step)
        ),
        Action("night", VIEW, "lanes", "Night colours", ("Ctrl+Shift+N",), lambda: theme.set_night(not theme.colours.dark)),
        Action("search", HELP, "help", "Search commands …", ("Ctrl+K",), help.search),
        Action("shortcuts", HELP, "help", "Shortcuts", ("F1",), help.show_shortcuts),
        Action("about", HELP, "help", "About Dubbin", (), help.show_about),
    ]  # fmt: skip


def undo(session: Session) -> None:
    """Undo one step, and say which."""
    title = session.document.undo()
    if title:
        session.said.emit(f"Undone: {title}")


def redo(session: Session) -> None:
    title = session.document.redo()
    if title:
        session.said.emit(f"Done again: {title}")


def _ignored(_: object) -> None:
    """For what reports something that a menu entry has no use for."""
