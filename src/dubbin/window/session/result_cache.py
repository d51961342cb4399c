"""Results of background work, kept under what they were computed from: what is running, what is done, what is stale."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from dubbin.core.jobs import Task
from dubbin.window.session.job_bridge import JobBridge

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
MOST = 64  # results of one kind: undo finds those of the last changes again


class ResultCache(Generic[K, V]):
    """One kind of result. Work is started once for a key; work for another key in the same slot replaces it.

    What failed is not tried again under the same key until `forget_failures`: the person was told, and nothing has changed.
    """

    def __init__(self, jobs: JobBridge, kind: str, on_done: Callable[[], None] = lambda: None, *, quiet: bool = False) -> None:
        """kind: names the jobs' slots. on_done: called in the window's thread when a result has come. quiet: see `JobBridge.start`."""
        self._jobs, self._kind, self._on_done, self._quiet = jobs, kind, on_done, quiet
        self._known: dict[K, V] = {}
        self._running: dict[Hashable, K] = {}
        self._failed: set[K] = set()

    def get(self, key: K) -> V | None:
        """The result; None where it is not known (yet)."""
        return self._known.get(key)

    def __contains__(self, key: object) -> bool:
        return key in self._known

    def keep(self, key: K, value: V) -> None:
        """Take over a result that was computed elsewhere."""
        self._known[key] = value
        while len(self._known) > MOST:
            self._known.pop(next(iter(self._known)))

    def is_running(self, slot: Hashable) -> bool:
        """Whether work in a slot waits or runs."""
        return self._jobs.is_busy((self._kind, slot))

    def ensure(self, key: K, title: str, work: Callable[[Task], V], *, slot: Hashable | None = None) -> V | None:
        """The result of `key`; where it is not known, `work` is started, unless it runs already, and None is returned.

        slot: of what it is a result (a lane's id, say): newer work in the same slot makes older work there stale. None: the key stands alone.
        """
        known = self._known.get(key)
        if known is not None or key in self._failed:
            return known
        slot = key if slot is None else slot
        if self._running.get(slot) == key and self.is_running(slot):
            return None
        self._running[slot] = key

        def done(result: V) -> None:
            self._running.pop(slot, None)
            self.keep(key, result)
            self._on_done()

        self._jobs.start((self._kind, slot), title, work, done, quiet=self._quiet, failed=lambda: self._failed.add(key))
        return None

    def cancel(self, slot: Hashable) -> None:
        """Stop the work in a slot."""
        self._running.pop(slot, None)
        self._jobs.cancel((self._kind, slot))

    def forget_failures(self) -> None:
        """Let what failed be tried again."""
        self._failed.clear()
