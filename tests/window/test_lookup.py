"""What is looked for in the background: known until what it follows from changes, looked for once, and never a mix of two."""

from __future__ import annotations

import threading

import pytest

from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.session.lookup import Lookup


@pytest.fixture
def jobs(qapp, tmp_path):
    bridge = JobBridge(tmp_path)
    yield bridge
    bridge.close()


def test_it_is_looked_for_once_and_known_until_what_it_follows_from_changes(qtbot, jobs):
    told: list[int] = []
    lookup = Lookup[str](jobs, "slot", "Looking", lambda: told.append(1))
    first, second = ["a"], ["a"]  # alike, and not the same
    assert lookup.of((first,), lambda _: "one") is None and lookup.is_looking
    assert lookup.of((first,), lambda _: "never run") is None
    qtbot.waitUntil(lambda: bool(told))
    assert lookup.of((first,), lambda _: "never run") == "one" and told == [1]
    assert lookup.of((second,), lambda _: "two") is None and lookup.latest == "one"
    qtbot.waitUntil(lambda: len(told) == 2)
    assert lookup.of((second,), lambda _: "never run") == "two"


def test_what_was_overtaken_is_never_told(qtbot, jobs):
    told: list[str | None] = []
    lookup = Lookup[str](jobs, "slot", "Looking", lambda: told.append(lookup.latest))
    gate, first, second = threading.Event(), object(), object()

    def slow(_) -> str:
        gate.wait(10)
        return "old"

    assert lookup.of((first,), slow) is None
    assert lookup.of((second,), lambda _: "new") is None
    gate.set()
    qtbot.waitUntil(lambda: bool(told))
    assert told == ["new"] and lookup.of((second,), lambda _: "never run") == "new"


def test_what_is_forgotten_or_was_cancelled_is_looked_for_again(qtbot, jobs):
    told: list[int] = []
    lookup = Lookup[str](jobs, "slot", "Looking", lambda: told.append(1))
    source = (object(),)
    lookup.of(source, lambda _: "one")
    qtbot.waitUntil(lambda: bool(told))
    lookup.forget()
    assert lookup.latest is None and lookup.of(source, lambda _: "again") is None
    jobs.cancel_all()
    assert lookup.of(source, lambda _: "once more") is None
    qtbot.waitUntil(lambda: len(told) == 2)
    assert lookup.of(source, lambda _: "never run") == "once more"
