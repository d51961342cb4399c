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
