"""Long work: reported, cancelled, failed, and never left running."""

from __future__ import annotations

import os
import queue
import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from dubbin.core.errors import Cancelled, UnusableSound
from dubbin.core.jobs import AHEAD, BACKGROUND_NICENESS, Job, JobRunner, Report, Task, ahead, in_parallel


class Desk:
    """Collects reports; `wait` until as many have come."""

    def __init__(self) -> None:
        self.reports: list[Report] = []
        self._came = threading.Semaphore(0)
        self.runner = JobRunner(self._take, threads=2)

    def _take(self, report: Report) -> None:
        self.reports.append(report)
        self._came.release()

    def wait(self, count: int = 1) -> None:
        for _ in range(count):
            assert self._came.acquire(timeout=5)


@pytest.fixture
def desk():
    out = Desk()
    yield out
    out.runner.close()


def test_a_result_is_reported_under_its_job(desk):
    job = desk.runner.start("Counting", lambda task: 42)
    desk.wait()
    (report,) = desk.reports
    assert (report.job, report.result, report.error, report.cancelled) == (job, 42, None, False)
    assert desk.runner.live == []


def test_an_error_is_reported_and_the_next_job_runs(desk):
    def fail(task: Task) -> None:
        raise ValueError("broken")

    desk.runner.start("Failing", fail)
    desk.wait()
    desk.runner.start("Going on", lambda task: "fine")
    desk.wait()
    assert str(desk.reports[0].error) == "broken" and desk.reports[1].result == "fine"


def test_cancel_stops_the_work_itself(desk):
    started, went_on = threading.Event(), []

    def work(task: Task) -> None:
        started.set()
        for _ in range(10_000):
            threading.Event().wait(0.001)
            task.step(0.5)
        went_on.append(True)

    job = desk.runner.start("Long", work)
    assert started.wait(5)
    job.cancel()
    desk.wait()
    assert desk.reports[0].cancelled and not went_on


def test_a_job_that_waits_can_be_cancelled_before_it_begins(desk):
    hold, begun = threading.Event(), []
    for _ in range(2):
        desk.runner.start("Holding", lambda task: hold.wait(5))
    job = desk.runner.start("Waiting", lambda task: begun.append(True))
    job.cancel()
    hold.set()
    desk.wait(3)
    assert not begun and any(r.cancelled for r in desk.reports)


def test_closing_cancels_and_waits():
    desk, began = Desk(), threading.Event()

    def work(task: Task) -> None:
        began.set()
        while True:
            threading.Event().wait(0.001)
            task.step(0.1)

    desk.runner.start("Endless", work)
    assert began.wait(5)
    desk.runner.close()
    assert desk.reports[0].cancelled and desk.runner.live == []


def test_parts_of_a_task_fill_its_span_and_are_cancelled_with_it():
    seen: list[float] = []
    task = Task(seen.append)
    inner = task.part(0.2, 0.6).part(0.5, 1.0)
    inner.step(0.0)
    inner.step(1.0)
    inner.step(7.0)
    assert seen == pytest.approx([0.4, 0.6, 0.6])
    task.cancel()
    with pytest.raises(Cancelled):
        inner.step(0.5)


def test_remaining_time_is_told_only_when_it_can_be_known():
    job = Job(1, "x", Task())
    assert job.remaining_s is None
    job.started -= 10.0
    job.fraction = 0.5
    assert job.remaining_s == pytest.approx(10.0, abs=0.2)


def test_held_work_waits_until_it_is_released_and_closing_does_not_wait_for_it():
    reports = queue.Queue()
    runner = JobRunner(reports.put)
    runner.hold()
    runner.start("held", lambda task: 1)
    with pytest.raises(queue.Empty):
        reports.get(timeout=0.2)
    runner.release()
    assert reports.get(timeout=10).result == 1
    runner.hold()
    done = []
    runner.start("never", done.append)
    runner.close()
    assert not done and all(report.cancelled for report in list(reports.queue))


def test_work_that_hangs_is_not_waited_for_for_ever():
    """As in a folder on a network that does not answer: nothing can end it from here."""
    answers, begun, reports = threading.Event(), threading.Event(), queue.Queue()

    def hang(task):
        begun.set()
        answers.wait(60)

    runner = JobRunner(reports.put, threads=1)
    runner.start("hangs", hang)
    runner.start("waits behind it", lambda task: 1)
    assert begun.wait(10)
    closing = threading.Thread(target=runner.close, args=(0.1,))
    closing.start()
    closing.join(20)
    try:
        assert not closing.is_alive() and reports.empty()
    finally:
        answers.set()


@pytest.mark.parametrize("steps", [0, 15])
def test_background_work_lets_the_window_go_first(steps):
    """Also where the program as a whole was started to let others go first."""
    reports = queue.Queue()
    found = []

    def niceness() -> int:
        return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

    def started() -> int:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), max(before, steps))
        runner = JobRunner(reports.put, in_background=True)
        runner.start("niceness", lambda task: in_parallel(lambda _: found.append(niceness()), range(4), task))
        assert reports.get(timeout=10).error is None
        runner.close()
        return niceness()

    before = niceness()
    with ThreadPoolExecutor(1) as window:  # a thread of its own: what was taken can't be had back
        assert window.submit(started).result() == max(before, steps)
    assert set(found) == {max(before, steps, BACKGROUND_NICENESS)}


# -- made ahead -------------------------------------------------------------------------


def test_what_is_made_ahead_comes_in_order_and_on_another_thread():
    makers = set()

    def make():
        for k in range(50):
            makers.add(threading.get_ident())
            yield k

    assert list(ahead(make())) == list(range(50)) and makers.isdisjoint({threading.get_ident()})


def test_no_more_than_a_few_are_made_ahead_and_none_when_nobody_wants_them():
    made = []

    def make():
        for k in range(1000):
            made.append(k)
            yield k

    items = ahead(make())
    assert next(items) == 0
    items.close()
    assert len(made) <= AHEAD + 3
    assert not [t for t in threading.enumerate() if t.name == "ahead"]


def test_what_goes_wrong_ahead_is_raised_in_its_place():
    def make():
        yield 1
        raise UnusableSound("broken in the middle")

    items = ahead(make())
    assert next(items) == 1
    with pytest.raises(UnusableSound, match="in the middle"):
        next(items)
    assert list(ahead(())) == []
