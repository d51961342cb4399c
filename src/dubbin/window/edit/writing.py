"""Writes a file that somebody asked for, and says how it went."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr
from dubbin.window.session.made_files import say_made
from dubbin.window.session.session import Session


def write_and_say(session: Session, act: Callable[[], None], path: Path) -> None:
    """Do what writes `path`; a sentence says that it is there, or why not."""
    try:
        act()
    except DubbinError as error:
        session.said.emit(str(error))
    else:
        say_made(session, tr("{name} was written to {parent}.").format(name=path.name, parent=path.parent), path.parent)
