"""Where time goes: looks at what every thread of this program does, some fifty times a second, and counts."""

from __future__ import annotations

import sys
import threading
from collections import Counter
from types import FrameType

EVERY_S = 0.02
IDLE = ("threading.py", "queue.py", "selectors.py", "thread.py", "sampling.py", "socket.py", "seats.py")


class Sampler:
    """Counts between `with` and its end."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def __enter__(self) -> Sampler:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._stop.wait(EVERY_S):
            self._look()

    def _look(self) -> None:
        """In a call of its own: a frame that is held on to keeps all that its function was working on."""
        for number, frame in sys._current_frames().items():
            if number != self._thread.ident and (place := _place(frame)):
                self.counts[place] += 1

    def top(self, count: int = 12) -> list[tuple[str, float]]:
        """(place, share of what was counted), the most first."""
        whole = max(sum(self.counts.values()), 1)
        return [(place, n / whole) for place, n in self.counts.most_common(count)]


def _place(frame: FrameType) -> str | None:
    """The innermost function of ours that a thread is in; None while it waits."""
    if frame.f_code.co_filename.endswith(IDLE):
        return None
    found: FrameType | None = frame
    while found is not None and "/dubbin/" not in found.f_code.co_filename:
        found = found.f_back
    if found is None:
        return None
    code = found.f_code
    return f"{code.co_filename.rpartition('/dubbin/')[2]} {code.co_qualname}"
