"""Long recordings one at a time: what is found in hours of sound takes hundreds of megabytes, and two of them are no slower one after the other, on all cores."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from dubbin.core.errors import Cancelled
from dubbin.core.jobs import Task
from dubbin.core.seats import standing
from dubbin.core.sound.source import Source

LONG_S = 4500.0
ASK_EVERY_S = 0.2  # whether the work is still wanted


class OneAtATime:
    """Lets long recordings through one at a time, and all others as they come."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    @contextmanager
    def through(self, source: Source, task: Task) -> Iterator[None]:
        """Wait for one's turn, without a seat, and have it. Raises Cancelled when the work is no longer wanted meanwhile."""
        if source.frames < LONG_S * source.rate:
            yield
            return
        with standing():
            while not self._lock.acquire(timeout=ASK_EVERY_S):
                if task.cancelled:
                    raise Cancelled
        try:
            yield
        finally:
            self._lock.release()
