"""What menu and keys do that belongs to no step: files, undo, steps, help, the card and recipes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, Menu, Need
from dubbin.window.parts.theme import Appearance
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session
from dubbin.window.shell.card_sheet import CardSheet
from dubbin.window.shell.files import EpisodeFiles
from dubbin.window.shell.help import Help
from dubbin.window.shell.recipes import Recipes
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step
from dubbin.window.shell.tour import Tour

EPISODE, EDIT, VIEW, HELP = Menu.EPISODE, Menu.EDIT, Menu.VIEW, Menu.HELP


class OfWindow(Protocol):
    """What of the main window has menu entries of its own."""

    tour: Tour

    def step_by(self, direction: int) -> None: ...

    def toggle_full_screen(self) -> None: ...

    def show_preferences(self, page: str = ...) -> None: ...


def shell_actions(shared: Shared, files: EpisodeFiles, card: CardSheet, recipes: Recipes, help: Help, window: OfWindow) -> list[Action]:
    session, theme = shared.session, shared.theme

    needs = Needs(session)
    has_lanes = needs.lanes

    def switch_theme() -> None:
        look = Appearance.LIGHT if theme.colours.dark else Appearance.DARK
        theme.follow(look)
        shared.preferences.set("appearance", look.value)

    return [
        Action("new", EPISODE, "file", tr("New episode"), ("Ctrl+N",), files.new),
        Action("open", EPISODE, "file", tr("Open episode …"), ("Ctrl+O",), files.choose),
        Action("open-recent", EPISODE, "file", tr("Open recent"), (), lambda: None, submenu=lambda: _recent(files)),
        Action("open-demo", EPISODE, "file", tr("Open the demo episode"), (), files.open_demo),
        Action("open-backup", EPISODE, "file", tr("Open a backup …"), (), files.choose_backup),
        Action("recover", EPISODE, "file", tr("Recover episodes …"), (), files.show_left_over),
        Action("close", EPISODE, "save", tr("Close episode"), ("Ctrl+W",), files.close),
        Action("save", EPISODE, "save", tr("Save"), ("Ctrl+S",), files.save),
        Action("save-as", EPISODE, "save", tr("Save as …"), ("Ctrl+Shift+S",), lambda: _ignored(files.save_as())),
        Action("preferences", EPISODE, "preferences", tr("Preferences …"), ("Ctrl+,",), window.show_preferences),
        Action("quit", EPISODE, "quit", tr("Quit"), ("Ctrl+Q",), lambda: _ignored(shared.window.close())),
        Action("run-card", EPISODE, "card", tr("Run the card …"), ("Ctrl+R",), card.show, has_lanes),
        Action("open-folder", EPISODE, "import", tr("Open folder of recordings …"), ("Ctrl+Shift+O",), files.choose_folder),
        Action("save-recipe", EPISODE, "recipes", tr("Save as a recipe …"), (), recipes.choose_to_save, has_lanes),
        Action("apply-recipe", EPISODE, "recipes", tr("Apply a recipe …"), (), recipes.choose, has_lanes),
        Action("undo", EDIT, "history", tr("Undo"), ("Ctrl+Z",), lambda: undo(session), Need(lambda: bool(session.document.history.done), tr("There is nothing to undo."))),
        Action("redo", EDIT, "history", tr("Redo"), ("Ctrl+Shift+Z", "Ctrl+Y"), lambda: redo(session), Need(lambda: bool(session.document.history.undone), tr("There is nothing to redo."))),
        *(
            Action(f"{step.value.lower()}-step", VIEW, "steps", tr("Go to {step}").format(step=step.caption), (f"Ctrl+{k + 1}",), lambda s=step: shared.go_step(s))  # type: ignore[misc]
            for k, step in enumerate(Step)
        ),
        Action("next-step", VIEW, "steps", tr("Next step"), ("Ctrl+Tab",), lambda: window.step_by(1)),
        Action("previous-step", VIEW, "steps", tr("Previous step"), ("Ctrl+Shift+Tab",), lambda: window.step_by(-1)),
        Action("full-screen", VIEW, "window", tr("Full screen"), ("F11",), window.toggle_full_screen,
               checked=lambda: shared.window.isFullScreen()),
        Action("night", VIEW, "lanes", tr("Dark theme"), ("Ctrl+Shift+N",), switch_theme, checked=lambda: theme.colours.dark),
        Action("guide", HELP, "help", tr("Guide"), ("F1",), help.show_guide),
        Action("tour", HELP, "help", tr("First look round"), (), window.tour.start, has_lanes),
        Action("search", HELP, "help", tr("Search commands …"), ("Ctrl+K",), help.search),
        Action("shortcuts", HELP, "help", tr("Shortcuts"), ("Shift+F1",), help.show_shortcuts),
        Action("licences", HELP, "help", tr("Licences …"), (), help.show_licences),
        Action("about", HELP, "help", tr("About Dubbin"), (), help.show_about),
    ]  # fmt: skip


def _recent(files: EpisodeFiles) -> list[tuple[str, Callable[[], None]]]:
    return [(path.stem, lambda p=path: files.open_recent(p)) for path in files.recent.paths()]  # type: ignore[misc]


def undo(session: Session) -> None:
    """Undo one step, and say which."""
    title = session.document.undo()
    if title:
        session.said.emit(tr("Undone: {title}").format(title=title))


def redo(session: Session) -> None:
    title = session.document.redo()
    if title:
        session.said.emit(tr("Redone: {title}").format(title=title))


def _ignored(_: object) -> None:
    """For what reports something that a menu entry has no use for."""
