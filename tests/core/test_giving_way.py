"""Work in the background pauses while the window wants to be alone."""

from __future__ import annotations

import threading

import pytest

from dubbin.core import giving_way
from dubbin.core.errors import Cancelled
from dubbin.core.giving_way import give_way
from dubbin.core.jobs import Task, in_parallel, side_by_side


@pytest.fixture
def paused(monkeypatch):
    """Times at which somebody waited; the clock goes on by what was waited for, and by nothing else."""
    clock, waited = [100.0], []

    def sleep(seconds: float) -> None:
        waited.append(threading.current_thread().name)
        clock[0] += seconds

    monkeypatch.setattr(giving_way, "_until", 0.0)
    monkeypatch.setattr(giving_way.time, "monotonic", lambda: clock[0])
    monkeypatch.setattr(giving_way.time, "sleep", sleep)
    return clock, waited


def on_a_thread(work) -> None:
    thread = threading.Thread(target=work, name="working")
    thread.start()
    thread.join()


def test_a_shorter_wish_does_not_cut_a_longer_one(paused):
    clock, _ = paused
    give_way(0.3)
    give_way(0.1)
    on_a_thread(lambda: Task(gives_way=True).step(0.0))
    assert clock[0] == pytest.approx(100.3)


def test_neither_the_windows_own_thread_nor_what_somebody_waits_for_pauses(paused):
    clock, waited = paused
    give_way(1.0)
    Task(gives_way=True).step(0.5)
    on_a_thread(lambda: Task().step(0.5))
    assert clock[0] == 100.0 and not waited


@pytest.mark.parametrize(
    "part",
    [
        lambda task: task.part(0.2, 0.4).step(0.5),
        lambda task: task.shares(3)[1].step(0.5),
        lambda task: task.watched(lambda _: None).step(0.5),
        lambda task: in_parallel(lambda _: None, range(3), task),
        lambda task: side_by_side([lambda share: share.step(0.5)], task),
    ],
)
def test_every_part_of_such_work_pauses_too_and_is_cancelled_with_it(paused, part):
    clock, waited = paused
    task = Task(gives_way=True)
    give_way(0.2)
    on_a_thread(lambda: part(task))
    assert waited and clock[0] >= 100.2
    task.cancel()
    with pytest.raises(Cancelled):
        part(task)
