"""What the processes of a batch begin with: the log, and an eye on the program that started them."""

from __future__ import annotations

import multiprocessing
import os
import threading
from multiprocessing.connection import wait
from pathlib import Path

from dubbin.core.log import start_log


def set_up_process(state: Path) -> None:
    """To be called first in a process of a pool. state: the folder of the log."""
    start_log(state)
    parent = multiprocessing.parent_process()
    if parent is not None:
        threading.Thread(target=_end_behind, args=(parent.sentinel,), name="end behind parent", daemon=True).start()


def _end_behind(sentinel: int) -> None:
    """End as soon as the program that started this process is gone, however it went: whoever begins the batch anew would find another one at the same episode."""
    wait([sentinel])
    os._exit(1)
