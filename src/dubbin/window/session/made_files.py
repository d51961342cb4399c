"""Says where files are that were made, and offers to open their folder."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices

from dubbin.core.texts import tr
from dubbin.window.session.session import Session


def say_made(session: Session, text: str, folder: Path) -> None:
    """Say that something was made; a button opens the folder that it lies in."""
    session.offered.emit(text, ((tr("Open the folder"), lambda: open_folder(session, folder)),))


def open_folder(session: Session, folder: Path) -> None:
    """Open a folder in the system's file manager; where there is none, say where it is."""
    if not QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder))):
        session.said.emit(tr("No file manager could be opened. The folder is {folder}.").format(folder=folder))
