"""Work in the background pauses for a moment when a person does something.

The window and its work share Python's lock and the cores of the machine. Going to another page takes a few hundredths of a second where nothing goes on beside, and several times as
long where the lock has to be waited for at each of the many places where Qt lets go of it. A quarter of a second that work waits is not noticed.
"""

from __future__ import annotations

import threading
import time

ALONE_S = 0.25  # that the window wants to be after something was done in it
LOOK_S = 0.05  # after which somebody who waits looks again
_until = 0.0


def give_way(seconds: float) -> None:
    """Have all work in the background pause, at its next step, until so long from now."""
    global _until
    _until = max(_until, time.monotonic() + seconds)


def pause_if_asked() -> None:
    """On a working thread: wait for as long as the window wants to be alone. On the main thread nothing is waited for: it is what goes first."""
    while (left := _until - time.monotonic()) > 0.0 and threading.current_thread() is not threading.main_thread():
        time.sleep(min(left, LOOK_S))
