"""How many are at something at once: asked by tests of what is to be done one at a time."""

from __future__ import annotations

import threading
import time

LINGER_S = 0.02  # so that others would come in meanwhile


class AtOnce:
    """Entered by whoever is at it. most: that were at once, so far."""

    def __init__(self) -> None:
        self.most = 0
        self._now, self._lock = 0, threading.Lock()

    def __enter__(self) -> None:
        with self._lock:
            self._now += 1
            self.most = max(self.most, self._now)
        time.sleep(LINGER_S)

    def __exit__(self, *_: object) -> None:
        with self._lock:
            self._now -= 1
