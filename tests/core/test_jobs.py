"""Long work: reported, cancelled, failed, and never left running."""

from __future__ import annotations

import queue
import threading

import pytest

from dubbin.core.errors import UnusableSound
from dubbin.core.jobs import Job, JobRunner, Report, Task, ahead


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


# -- made ahead -------------------------------------------------------------------------


def test_what_goes_wrong_ahead_is_raised_in_its_place():
    def make():
        yield 1
        raise UnusableSound("broken in the middle")

    items = ahead(make())
    assert next(items) == 1
    with pytest.raises(UnusableSound, match="in the middle"):
        next(items)
    assert list(ahead(())) == []
