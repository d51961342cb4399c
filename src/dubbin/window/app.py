"""Starts the window."""

from __future__ import annotations

import logging
import os
import sys
import traceback
from pathlib import Path
from types import TracebackType
from typing import NoReturn

from dubbin.core.episode.document import Document
from dubbin.core.errors import DubbinError
from dubbin.core.folders import Folders

NO_DISPLAY = (
    "dubbin: there is no display to open the window on. Under X on a machine without one: "
    "xvfb-run -s '-screen 0 1280x800x24' ./scripts/demo"
)


def has_display() -> bool:
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal", "vnc"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def run(folders: Folders, episode: Path | None) -> int:
    """Open the window, on an episode or on an empty one; the exit code of the program."""
    if not has_display():
        print(NO_DISPLAY, file=sys.stderr)
        return 1
    logging.getLogger("numba").setLevel(logging.WARNING)
    os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia.*=false")
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from dubbin.window.main_window import MainWindow
    from dubbin.window.theme import Theme

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Dubbin")
    app.setDesktopFileName("dubbin")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "dubbin.svg")))
    theme = Theme(app)
    try:
        document = Document.opened(folders.journals, episode) if episode else None
    except DubbinError as error:
        print(f"dubbin: {error}", file=sys.stderr)
        return 1
    window = MainWindow(folders, theme, document)

    def on_error(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Nothing is swallowed: said in the window, written to the log; the episode stays open."""
        logging.getLogger("dubbin").error("".join(traceback.format_exception(kind, error, trace)))
        window.say(f"An error of the program itself: {error}. Your episode is safe; save it, and please report this.")

    sys.excepthook = on_error
    window.show()
    _end(int(app.exec()))


def _end(code: int) -> NoReturn:
    """The window has closed: episode, journal and working threads are in order. What is left are threads of Qt and of the
    sound system, which at times outlive what they use while an interpreter takes itself apart; so it doesn't."""
    logging.shutdown()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)
