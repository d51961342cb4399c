"""Starts the window."""

from __future__ import annotations

import gc
import logging
import os
import sys
from collections.abc import Callable
from pathlib import Path
from threading import Thread
from types import TracebackType
from typing import TYPE_CHECKING, NoReturn

from dubbin.core.episode.document import Document
from dubbin.core.errors import DubbinError
from dubbin.core.figures import use_decimal_point
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.kernel_cache import FIRST_USE, are_compiled
from dubbin.core.log import logger, program_error
from dubbin.core.texts import language

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication
from dubbin.core.texts import tr

NO_DISPLAY = tr(
    "dubbin: there is no display to open the window on. Under X on a machine without one: "
    "xvfb-run -s '-screen 0 1280x800x24' ./scripts/demo"
)
SWITCH_S = 0.0001  # Python's own 5 ms, at each of the many places where Qt lets go of the lock, made 35 ms of painting 400
# New objects, and rounds of the younger generation, after which the older one is looked through: all words of an hour, 100 ms long, were looked through every few cuts.
COLLECT_AFTER = (20_000, 20, 100)
WARM_UP_RATE, WARM_UP_FRAMES = 48000, 3 * 48000
Prepare = Callable[[Task], Path]


def has_display() -> bool:
    """Whether there is a screen, or a platform of Qt that wants none."""
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal", "vnc"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def run(folders: Folders, episode: Path | None, prepare: Prepare | None = None, *, is_demo: bool = False) -> int:
    """Open the window, on an episode or on an empty one; the exit code of the program.

    prepare: makes the episode that is to be opened; a small window shows how far it is. is_demo: a first look round is offered, once. Raises ImportError when a library of the system is missing.
    """
    if not has_display():
        print(NO_DISPLAY, file=sys.stderr)
        return 1
    os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia.*=false")
    from PyQt6.QtCore import QLocale, QTimer
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from dubbin.window.parts.collector import Collector
    from dubbin.window.parts.theme import Theme, appearance_of, system_percent
    from dubbin.window.session.preferences import Preferences

    go_first()
    app = QApplication.instance() or QApplication(["dubbin"])  # desktops tell windows by this name, also where it is started as a module
    assert isinstance(app, QApplication)
    app.setApplicationName("Dubbin")
    Collector(app)
    use_decimal_point(QLocale.system().decimalPoint())
    translate_qt(app)
    app.setDesktopFileName("dubbin")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "dubbin.svg")))
    log_qt()
    preferences = Preferences(folders.state)
    theme = Theme(app, preferences.get("text_percent", 0) or system_percent(app.font().pointSizeF()))
    theme.follow(appearance_of(preferences.get("appearance", "")))
    from dubbin.window.shell.interrupt import Interrupt

    interrupt = Interrupt(app.closeAllWindows)
    if prepare is not None:
        from dubbin.window.shell.preparing import prepared

        episode = prepared(prepare, folders.state)
        if episode is None:
            return 1
    from dubbin.window.rooms import make_window
    from dubbin.window.shell.window_memory import RecentEpisodes

    if episode is None and preferences.get("reopen", False):
        episode = next(iter(RecentEpisodes(preferences).paths()), None)
    try:
        document = _opened(folders.journals, episode) if episode else None
    except DubbinError as error:
        print(f"dubbin: {error}", file=sys.stderr)
        return 1
    window = make_window(folders, theme, document, hold_work=True)

    def on_error(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Nothing is swallowed: said in the window, written to the log; the episode stays open."""
        window.notices.say(tr("{program_error} Your episode is safe; save it.").format(program_error=program_error(error, folders.state)))

    sys.excepthook = on_error
    window.show()
    if folders.remark:
        window.notices.say(folders.remark, ((tr("Preferences …"), window.actions_by_id["preferences"].run),))
    elif not are_compiled():
        window.notices.say(FIRST_USE)
    if is_demo:
        QTimer.singleShot(0, lambda: window.tour.offer())

    # A function of its own: Qt holds no reference to an object whose method it is to call.
    QTimer.singleShot(0, lambda: Thread(target=begin_work, args=(window.jobs.release,), name="import", daemon=True).start())
    code = int(app.exec())
    interrupt.end()
    _end(code)


def _opened(journals: Path, path: Path) -> Document | None:
    """The episode at `path`; None when somebody would not wait for it. Raises BadEpisode."""
    from dubbin.window.shell.read_apart import read_apart

    return read_apart(None, tr("Opening {name} …").format(name=path.name), lambda: Document.opened(journals, path), Document.leave)


def go_first() -> None:
    """Let the window's thread have Python's lock soon when background work holds it, and keep the collector of unused objects from holding it for long."""
    sys.setswitchinterval(SWITCH_S)
    gc.set_threshold(*COLLECT_AFTER)


def begin_work(release: Callable[[], None]) -> None:
    """The window is painted: now background work may begin, whose libraries take longer to import than the window takes to appear.

    release: lets it begin, also where a library can't be imported: the work that needs it says so.
    """
    try:
        import_heavy()
    finally:
        # A hundred thousand objects of libraries and pages, which stay: looking through them for what is unused held the window for 50 to 100 ms each time.
        gc.freeze()
        release()


def import_heavy() -> None:
    """Bring in what the window's thread must not wait for when it, or work in the background, first needs it: libraries whose loading holds Python's lock for
    tenths of a second, and compiled loops, which are read from their cache when they first run."""
    import av  # noqa: F401
    import numpy as np
    import onnxruntime  # noqa: F401
    import scipy.fft  # noqa: F401

    from dubbin.core.measure.measuring import measure_recording
    from dubbin.core.sound.source import Sound

    noise = np.random.default_rng(0).standard_normal((1, WARM_UP_FRAMES)).astype(np.float32)
    measure_recording(Sound(noise * np.float32(0.01), WARM_UP_RATE))


def translate_qt(app: QApplication) -> None:
    """Have Qt's own texts (buttons of its dialogs) in the language that is set, where it knows it."""
    from PyQt6.QtCore import QLibraryInfo, QTranslator

    translator = QTranslator(app)
    if translator.load(f"qtbase_{language()}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        app.installTranslator(translator)


def log_qt() -> None:
    """Have what Qt says written to the log."""
    from PyQt6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler

    levels = {
        QtMsgType.QtDebugMsg: logging.DEBUG, QtMsgType.QtInfoMsg: logging.INFO, QtMsgType.QtWarningMsg: logging.WARNING,
        QtMsgType.QtCriticalMsg: logging.ERROR, QtMsgType.QtFatalMsg: logging.CRITICAL,
    }  # fmt: skip

    def handle(kind: QtMsgType, context: QMessageLogContext, text: str | None) -> None:
        logger.log(levels.get(kind, logging.WARNING), "Qt: %s", text)

    qInstallMessageHandler(handle)


def _end(code: int) -> NoReturn:
    """The window has closed: episode, journal and working threads are in order. What is left are threads of Qt and of the
    sound system, which at times outlive what they use while an interpreter takes itself apart; so it doesn't."""
    logging.shutdown()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)
