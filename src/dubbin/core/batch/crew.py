"""Who of a cluster's workers can work: who comes is looked at before it gets work, and who is gone gets none."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from typing import Any

from dubbin.core.batch.telling import Telling
from dubbin.core.batch.worker import Seen, look, program_name
from dubbin.core.errors import Cancelled, DubbinError
from dubbin.core.texts import tr

POLL_S = 0.5
PER_WORKER = 2  # episodes that are sent along to one worker: one is sent while the other is worked on


class Lost(Exception):
    """All workers that could do a step are gone."""


@dataclass(frozen=True)
class Worker:
    """address: by which the scheduler knows it. seen: what it says of itself."""

    address: str
    seen: Seen


class Crew:
    """The workers of a scheduler. client: distributed's, connected. address: the scheduler's, for people. files: tells the paths and sizes of what a worker has to see
    to work in our folders. Whoever waits for a worker is woken by `end`, with Cancelled."""

    def __init__(self, client: Any, address: str, files: Callable[[], list[tuple[str, int]]], telling: Telling) -> None:
        self._client, self._address, self._files, self._telling = client, address, files, telling
        self._able: dict[str, Worker] = {}
        self._refused: set[str] = set()
        self._there: set[str] = set()
        self._sent = Counter[str]()  # episodes that a worker has of those that are sent along
        self._changed = threading.Condition()
        self._is_over = False
        self._is_shared: bool | None = None  # not known before somebody has looked

    def end(self) -> None:
        """Nobody need wait any more."""
        with self._changed:
            self._is_over = True
            self._changed.notify_all()

    def stop_if_over(self) -> None:
        """Raises Cancelled after the end."""
        if self._is_over:
            raise Cancelled

    @property
    def is_over(self) -> bool:
        """Whether this is the end."""
        return self._is_over

    def look_around(self) -> None:
        """See who has come and who has gone. Raises DubbinError when the scheduler is gone."""
        try:
            there = set(self._client.scheduler_info()["workers"])
        except Exception as error:
            raise DubbinError(
                tr("The scheduler at {address} is gone; the same command goes on later.").format(address=self._address)
            ) from error
        with self._changed:
            self._there = there
            for address in [a for a in self._able if a not in there]:
                del self._able[address]
                self._telling.note(tr("{worker} is gone").format(worker=address))
            new = [a for a in there if a not in self._able and a not in self._refused]
        if new:
            self._welcome(new)
        if not self._able:
            self._telling.say_once(
                tr("No worker is there that can work; one is started by: dubbin worker {address}.").format(address=self._address)
            )

    def _welcome(self, new: Sequence[str]) -> None:
        try:
            found: dict[str, Seen | BaseException] = self._client.run(look, self._files(), workers=list(new), on_error="return")
        except Exception:  # one of them is gone again: looked at next time
            return
        seen = {address: s for address, s in found.items() if isinstance(s, Seen) and s.is_ours and s.program == program_name()}
        if self._is_shared is None and seen:
            self._is_shared = all(s.sees_folders for s in seen.values())
            self._telling.note(tr("work goes through the shared folder") if self._is_shared else tr("files are sent along"))
        with self._changed:
            for address, what in found.items():
                if address in seen and (seen[address].sees_folders or not self._is_shared):
                    self._able[address] = Worker(address, seen[address])
                    self._telling.note(tr("{worker} works along").format(worker=address))
                else:
                    self._refused.add(address)
                    self._telling.say(tr("{worker} can't work along: {why}.").format(worker=address, why=_why_not(what)))
            self._changed.notify_all()

    def sees_folders(self) -> bool:
        """Whether the workers see the folders of who asks; waits until one was looked at."""
        with self._changed:
            while self._is_shared is None:
                self.stop_if_over()
                self._changed.wait(POLL_S)
        return self._is_shared

    def able(self) -> list[str]:
        """The addresses of all who can work; waits until there is one."""
        with self._changed:
            while not self._able:
                self.stop_if_over()
                self._changed.wait(POLL_S)
            return list(self._able)

    def free(self) -> Worker:
        """One that has the fewest of the episodes that are sent along; waits until there is one that takes another. To be `let_go`."""
        with self._changed:
            while True:
                self.stop_if_over()
                free = [w for w in self._able.values() if self._sent[w.address] < PER_WORKER]
                if free:
                    worker = min(free, key=lambda w: self._sent[w.address])
                    self._sent[worker.address] += 1
                    return worker
                self._changed.wait(POLL_S)

    def let_go(self, worker: Worker) -> None:
        """An episode less that a worker has."""
        with self._changed:
            self._sent[worker.address] -= 1
            self._changed.notify_all()

    def any_there(self, addresses: Collection[str]) -> bool:
        """Whether one of some workers was there when somebody looked around last."""
        return not self._there.isdisjoint(addresses)

    def is_there_now(self, worker: Worker) -> bool:
        """Whether the scheduler has it, asked now."""
        try:
            return worker.address in self._client.scheduler_info()["workers"]
        except Exception:
            return False


def _why_not(what: Seen | BaseException) -> str:
    if not isinstance(what, Seen):
        return tr("there is no Dubbin that answers as this one does ({error})").format(error=what)
    if not what.is_ours:
        return tr("it was not started by dubbin worker")
    if what.program != program_name():
        return tr("it runs Dubbin {program}").format(program=what.program)
    return tr("it does not see the folders")
