"""Results of background work: started once, found again, replaced when they are stale, and not tried again where they failed."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.jobs import Task
from dubbin.window.session.result_cache import MOST, ResultCache
from dubbin.window.session.stepping import neighbour


class HeldJobs:
    """Jobs that end when a test says so."""

    def __init__(self) -> None:
        self.running: dict[Hashable, tuple[Any, Callable[[Any], None], Callable[[], None]]] = {}
        self.started: list[Hashable] = []

    def start(self, slot, title, work, done, *, quiet=False, failed=lambda: None) -> None:
        self.started.append(slot)
        self.running[slot] = (work, done, failed)

    def cancel(self, slot) -> None:
        self.running.pop(slot, None)

    def is_busy(self, slot) -> bool:
        return slot in self.running

    def finish(self, slot) -> None:
        work, done, _ = self.running.pop(slot)
        done(work(Task()))

    def fail(self, slot) -> None:
        _, _, failed = self.running.pop(slot)
        failed()


@pytest.fixture
def jobs() -> HeldJobs:
    return HeldJobs()


@pytest.fixture
def cache(jobs) -> ResultCache[str, int]:
    return ResultCache(jobs, "length")


def ask(cache, key, slot=None):
    return cache.ensure(key, f"Measuring {key}", lambda task: len(key), slot=slot)


def test_work_is_started_once_and_its_result_kept(cache, jobs):
    assert ask(cache, "abc") is None and ask(cache, "abc") is None
    assert jobs.started == [("length", "abc")]
    jobs.finish(("length", "abc"))
    assert ask(cache, "abc") == 3 == cache.get("abc") and len(jobs.started) == 1


def test_what_failed_is_not_tried_again_until_somebody_says_so(cache, jobs):
    ask(cache, "abc")
    jobs.fail(("length", "abc"))
    for _ in range(3):
        ask(cache, "abc")
    assert len(jobs.started) == 1
    cache.forget_failures()
    ask(cache, "abc")
    assert len(jobs.started) == 2


def test_undo_finds_the_last_results_again_and_memory_stays_bounded(cache, jobs):
    for k in range(MOST + 5):
        cache.keep(f"k{k}", k)
    assert cache.get("k0") is None and cache.get("k10") == 10 and f"k{MOST + 4}" in cache


# -- next and previous ------------------------------------------------------------------

places = st.lists(st.integers(0, 1000), max_size=20).map(sorted)


@given(places, st.integers(0, 1000), st.integers(1, 5))
def test_the_neighbour_is_the_nearest_on_its_side(frames, at, least):
    later, earlier = ([f for f in frames if (f - at) * sign >= least] for sign in (1, -1))
    assert neighbour(frames, at, 1, lambda f: f, least) == (min(later) if later else None)
    assert neighbour(frames, at, -1, lambda f: f, least) == (max(earlier) if earlier else None)


@given(places)
def test_going_on_and_on_visits_every_place_once(frames):
    apart = [f for k, f in enumerate(frames) if not k or f - frames[k - 1] >= 2]
    frames = [f for k, f in enumerate(apart) if not k or f - apart[k - 1] >= 2]
    at, seen = -10, []
    while (found := neighbour(frames, at, 1, lambda f: f)) is not None:
        seen.append(found)
        at = found
    assert seen == frames
