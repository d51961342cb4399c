"""How many threads compute at once, wherever they were started: as many as there are seats.

Lanes are treated side by side, and the work on each is spread over all cores again. Without a limit four threads share two cores: the one that holds Python's lock waits for
a core behind others that do not need it, and the window, which comes before all of them, waits for the lock; and four sets of stretches lie in memory where two are worked on.

Who works on a part takes a seat (`seated`) and gives it up while he waits for parts of his own (`standing`) or for a lock under which another one computes (`holding`). So
whoever has a seat computes, and all get on. Seats are given in the order in which they were asked for: a short job waits for a part of a long one, not for all of it.
"""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

FEWEST, USUALLY_MOST, MOST = 2, 4, 64  # each takes some hundred megabytes, and from four on reading and Python's lock set the pace
CORES_VARIABLE = "DUBBIN_CORES"


def cores_to_use(wanted: str, at_hand: int) -> int:
    """How many threads compute at once: as many as are wanted, 1 to MOST; without a wish as many as there are cores at hand, FEWEST to USUALLY_MOST."""
    if wanted.isascii() and wanted.isdecimal() and 1 <= int(wanted) <= MOST:
        return int(wanted)
    return min(max(at_hand, FEWEST), USUALLY_MOST)


CORES = cores_to_use(os.environ.get(CORES_VARIABLE, ""), len(os.sched_getaffinity(0)))  # that one piece of work is spread over, too


class Seats:
    """So many places, given to whoever has waited longest."""

    def __init__(self, count: int) -> None:
        self._free, self._lock = count, threading.Lock()
        self._waiting: deque[threading.Lock] = deque()

    def take(self) -> None:
        """Wait for a place."""
        turn = threading.Lock()
        with self._lock:
            if self._free:
                self._free -= 1
                return
            turn.acquire()
            self._waiting.append(turn)
        turn.acquire()  # until somebody leaves his place to this one

    def leave(self) -> None:
        """Give a place to the next one."""
        with self._lock:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._free += 1


_seats = Seats(CORES)
_local = threading.local()


@contextmanager
def seated() -> Iterator[None]:
    """Compute on this thread as soon as there is a seat; who has one keeps it."""
    if getattr(_local, "is_seated", False):
        yield
        return
    _sit_down()
    try:
        yield
    finally:
        _stand_up()


@contextmanager
def standing() -> Iterator[None]:
    """Wait for others on this thread, which gives its seat up meanwhile."""
    if not getattr(_local, "is_seated", False):
        yield
        return
    _stand_up()
    try:
        yield
    finally:
        _sit_down()


@contextmanager
def holding(lock: threading.Lock) -> Iterator[None]:
    """Hold a lock under which one computes what several may ask for."""
    if not lock.acquire(blocking=False):
        with standing():
            lock.acquire()
    try:
        yield
    finally:
        lock.release()


def _sit_down() -> None:
    _seats.take()
    _local.is_seated = True


def _stand_up() -> None:
    _local.is_seated = False
    _seats.leave()
