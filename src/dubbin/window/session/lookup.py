"""Something that follows from the episode and takes a while: looked for in the background, and known until what it follows from changes."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from dubbin.core.jobs import Task
from dubbin.window.session.job_bridge import JobBridge

T = TypeVar("T")
Source = tuple[object, ...]


class Lookup(Generic[T]):
    """latest: what was found last; it may follow from what is no more."""

    def __init__(self, jobs: JobBridge, slot: Hashable, title: str, found: Callable[[], None]) -> None:
        """found: called in the window's thread as soon as something is known anew."""
        self._jobs, self._slot, self._title, self._found = jobs, slot, title, found
        self._follows_from: Source | None = None
        self._looking_from: Source | None = None
        self.latest: T | None = None

    @property
    def is_looking(self) -> bool:
        return self._jobs.is_busy(self._slot)

    def of(self, source: Source, work: Callable[[Task], T]) -> T | None:
        """What `work` finds; None while it does. source: the objects that it follows from: others of the same value count as changed."""
        if _same(source, self._follows_from):
            return self.latest
        if not (self.is_looking and _same(source, self._looking_from)):
            self._looking_from = source
            self._jobs.start(self._slot, self._title, work, lambda value: self._know(source, value), quiet=True)
        return None

    def forget(self) -> None:
        """Let go of what is known."""
        self._jobs.cancel(self._slot)
        self._follows_from = self._looking_from = self.latest = None

    def _know(self, source: Source, value: T) -> None:
        self._follows_from, self.latest = source, value
        self._found()


def _same(a: Source, b: Source | None) -> bool:
    return b is not None and len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True))
