"""What a batch on a cluster tells: a log beside the masters, sentences for whoever waits, and what is in hand."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Collection
from contextlib import suppress
from pathlib import Path
from typing import Any

from dubbin.core.batch.report import Running

LOG = "batch.log"


class Telling:
    """May be told from any thread. names: of the episodes of this batch; of others nothing is shown. say: is given sentences that somebody should know at once."""

    def __init__(self, out: Path, names: Collection[str], say: Callable[[str], None]) -> None:
        self._out, self._names, self._say = out, frozenset(names), say
        self._said = ""
        self._lock = threading.Lock()
        self._running: dict[str, Running] = {}

    def note(self, text: str) -> None:
        """A line of the log; where it can't be written the work goes on."""
        with suppress(OSError), open(self._out / LOG, "a", encoding="utf-8") as log:
            log.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {text}\n")

    def say(self, text: str) -> None:
        """A line of the log that somebody should know at once."""
        self.note(text)
        self._say(text)

    def say_once(self, text: str) -> None:
        """The same, where it was not the last that was said so."""
        if text != self._said:
            self._said = text
            self.say(text)

    def heard(self, event: tuple[float, Any]) -> None:
        """A worker tells how far it is."""
        _, said = event
        with suppress(KeyError, TypeError, ValueError):
            self.show(str(said["name"]), str(said["step"]), float(said["fraction"]), str(said["worker"]))

    def show(self, name: str, step: str, fraction: float, worker: str) -> None:
        """How far an episode is."""
        if name in self._names:
            with self._lock:
                self._running[name] = Running(name, step, fraction, worker)

    def is_over(self, name: str) -> None:
        """An episode is in nobody's hands any more."""
        with self._lock:
            self._running.pop(name, None)

    def in_hand(self) -> list[Running]:
        """The episodes that are being worked on, by name."""
        with self._lock:
            return sorted(self._running.values(), key=lambda r: r.name)
