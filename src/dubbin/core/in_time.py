"""Questions to the disk that the window can't wait for: a folder on a network that does not answer holds up whoever asks."""

from __future__ import annotations

import os
import stat
import threading
import time
from collections.abc import Sequence
from pathlib import Path

PATIENCE_S = 0.3


def files_there(paths: Sequence[Path], patience_s: float = PATIENCE_S) -> dict[Path, float]:
    """Those of some paths that are files, in the same order, each with the time of its last change (seconds since 1970).

    All are asked at once; one that has not answered after `patience_s` counts as not there.
    """
    found: dict[Path, float] = {}

    def ask(path: Path) -> None:
        try:
            status = os.stat(path)
        except (OSError, ValueError):
            return
        if stat.S_ISREG(status.st_mode):
            found[path] = status.st_mtime

    threads = [threading.Thread(target=ask, args=(path,), name="in time", daemon=True) for path in paths]
    for thread in threads:
        thread.start()
    ends = time.monotonic() + patience_s
    for thread in threads:
        thread.join(max(ends - time.monotonic(), 0.0))
    answered = dict(found)
    return {path: answered[path] for path in paths if path in answered}


def can_be_used(folder: Path, patience_s: float = PATIENCE_S) -> bool:
    """Whether a folder can be written to, or made where it belongs; one that has not answered after `patience_s` can't.

    The folder around it is not made: it may be the disk that is not plugged in.
    """
    usable = threading.Event()

    def ask() -> None:
        near = folder if os.path.exists(folder) else folder.parent
        if os.path.isdir(near) and os.access(near, os.W_OK | os.X_OK):
            usable.set()

    thread = threading.Thread(target=ask, name="in time", daemon=True)
    thread.start()
    thread.join(patience_s)
    return usable.is_set()
