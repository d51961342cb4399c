"""The log: what went wrong inside, with its traceback, in a file of the state folder that never grows large."""

from __future__ import annotations

import faulthandler
import logging
import sys
from contextlib import suppress
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import TextIO

from dubbin.core.texts import tr

LOG_FILE, CRASH_FILE = "dubbin.log", "crash.log"
MOST_BYTES, OLDER_FILES = 1_000_000, 3
FORM = tr("%(asctime)s %(levelname)s %(name)s: %(message)s")
NOISY = ("numba", "faster_whisper", "PIL", "fontTools", "fpdf", "matplotlib")  # at work they tell more than anybody reads

logger = logging.getLogger("dubbin")
_crash_file: TextIO | None = None  # open as long as the program runs: faulthandler writes into it when the interpreter can't


def start_log(folder: Path, *, debug: bool = False) -> None:
    """Write warnings and errors of the whole program to `folder`; debug: everything, to stderr too.

    A folder that can't be written to is no reason to stop: then errors are told on stderr alone.
    """
    global _crash_file
    root = logging.getLogger()
    stop_log()
    root.setLevel(logging.DEBUG if debug else logging.WARNING)
    for name in NOISY:
        logging.getLogger(name).setLevel(logging.WARNING)
    with suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(log_path(folder), maxBytes=MOST_BYTES, backupCount=OLDER_FILES, encoding="utf-8", delay=True)
        handler.setFormatter(logging.Formatter(FORM))
        root.addHandler(handler)
        _crash_file = open(folder / CRASH_FILE, "w", encoding="utf-8")  # noqa: SIM115
        faulthandler.enable(_crash_file)
    if debug:
        shown = logging.StreamHandler(sys.stderr)
        shown.setFormatter(logging.Formatter(FORM))
        root.addHandler(shown)


def stop_log() -> None:
    """Close the log's files; what others have added to the root logger stays."""
    global _crash_file
    root = logging.getLogger()
    for handler in [h for h in root.handlers if isinstance(h, RotatingFileHandler) or getattr(h, "stream", None) is sys.stderr]:
        root.removeHandler(handler)
        handler.close()
    if _crash_file is not None:
        faulthandler.disable()
        _crash_file.close()
        _crash_file = None


def log_path(folder: Path) -> Path:
    """Where the log lies."""
    return folder / LOG_FILE


def program_error(error: BaseException, folder: Path) -> str:
    """Log an error that is a fault of the program; the one sentence that is said of it."""
    logger.error("program error", exc_info=error)
    if isinstance(error, MemoryError):
        return tr("There was not enough memory for that. Close other programs and try again, or work on a shorter part.")
    return tr("Dubbin made an error of its own ({name}: {short}). What happened stands in {log_path}; please report it.").format(
        name=type(error).__name__, short=_short(error), log_path=log_path(folder)
    )


def _short(error: BaseException, most: int = 200) -> str:
    """An error's own words in one line."""
    text = " ".join(str(error).split()) or tr("without a word")
    return text if len(text) <= most else f"{text[: most - 1]}…"
