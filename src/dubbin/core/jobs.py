"""Long work: progress, cancel and errors, on threads, without any Qt."""

from __future__ import annotations

import itertools
import os
import queue
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import nullcontext, suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar

from dubbin.core.errors import Cancelled
from dubbin.core.giving_way import pause_if_asked
from dubbin.core.seats import CORES, seated, standing


class Task:
    """What long work reports to: how far it is, and whether it is still wanted.

    Work calls `step` at least once a block; it raises `Cancelled` when the work is no longer wanted.
    """

    def __init__(self, report: Callable[[float], None] | None = None, *, gives_way: bool = False) -> None:
        """gives_way: it pauses at a step for as long as the window wants to be alone."""
        self._report = report
        self._gives_way = gives_way
        self._cancel = threading.Event()
        self._low, self._high = 0.0, 1.0

    def _of_this(self, report: Callable[[float], None] | None) -> Task:
        """A task that reports elsewhere; cancelled together."""
        task = Task(report, gives_way=self._gives_way)
        task._cancel = self._cancel
        return task

    def step(self, fraction: float) -> None:
        """Say that `fraction` (0 to 1) of the present part is done."""
        if self._gives_way:
            pause_if_asked()
        if self._cancel.is_set():
            raise Cancelled
        if self._report is not None:
            self._report(self._low + (self._high - self._low) * min(max(fraction, 0.0), 1.0))

    def part(self, low: float, high: float) -> Task:
        """A task for a part of this work, whose 0 to 1 is low to high here; cancelled together."""
        task = self._of_this(self._report)
        span = self._high - self._low
        task._low, task._high = self._low + span * low, self._low + span * high
        return task

    def shares(self, count: int) -> list[Task]:
        """Tasks for parts that run at the same time: what is reported is their mean; cancelled together."""
        done = [0.0] * count

        def share(k: int) -> Task:
            def report(fraction: float) -> None:
                done[k] = fraction
                self.step(sum(done) / count)

            return self._of_this(report)

        return [share(k) for k in range(count)]

    def watched(self, tell: Callable[[float], None]) -> Task:
        """This task, whose progress (0 to 1) somebody else is told too; cancelled together."""

        def report(fraction: float) -> None:
            tell(fraction)
            self.step(fraction)

        return self._of_this(report)

    @property
    def cancelled(self) -> bool:
        """Whether the work is no longer wanted."""
        return self._cancel.is_set()

    def cancel(self) -> None:
        """Say that the work is no longer wanted; its next step raises Cancelled."""
        self._cancel.set()


Part = TypeVar("Part")
Item = TypeVar("Item")


def in_parallel(work: Callable[[Part], object], parts: Sequence[Part], task: Task) -> None:
    """Do `work` for every part, on several threads; stops at the first error, and when the task is cancelled.

    No more of them compute at once than there are seats, whoever else works beside. Each part must write to a place of its own, so that the result
    doesn't depend on the order.
    """
    if len(parts) <= 1:
        for part in parts:
            task.step(0.0)
            with seated():
                work(part)
        return
    done = itertools.count(1)
    stop = threading.Event()

    def run(part: Part) -> None:
        with seated():  # who waited for a seat may be wanted no longer
            if stop.is_set():
                return
            try:
                task.step((next(done) - 1) / len(parts))
                work(part)
            except BaseException:
                stop.set()
                raise

    with standing(), ThreadPoolExecutor(CORES, thread_name_prefix="dubbin-part") as pool:
        for future in [pool.submit(run, part) for part in parts]:
            future.result()


def side_by_side(works: Sequence[Callable[[Task], object]], task: Task) -> None:
    """Different works at the same time, each with a share of the task; like `in_parallel` otherwise."""
    quiet = task._of_this(None)  # progress is what the shares report
    pairs = list(zip(works, task.shares(len(works)), strict=True))
    in_parallel(lambda pair: pair[0](pair[1]), pairs, quiet)


PATIENCE_S = 10.0  # with work that is to end
AHEAD = 4  # items that are made before they are asked for


def ahead(items: Iterable[Item], *, seats_needed: bool = False) -> Iterator[Item]:
    """The same items, made on a thread of their own while the ones before are worked on: reading or decoding goes on beside measuring.

    What the making raises is raised here, in its place; when nobody wants any more of them it stops. seats_needed: the making takes seats (`seats`), and who waits for an item
    gives his up meanwhile: he might have the last. Without need that only has him wait for a seat again.
    """
    line: queue.Queue[tuple[Item | None, BaseException | None, bool]] = queue.Queue(AHEAD)
    unwanted = threading.Event()

    def put(item: Item | None, error: BaseException | None, is_last: bool) -> None:
        while not unwanted.is_set():
            with suppress(queue.Full):
                line.put((item, error, is_last), timeout=0.1)
                return

    def make() -> None:
        try:
            for item in items:
                put(item, None, False)
                if unwanted.is_set():
                    return
            put(None, None, True)
        except BaseException as error:
            put(None, error, True)

    maker = threading.Thread(target=make, name="ahead", daemon=True)
    waiting = standing if seats_needed else nullcontext
    maker.start()
    try:
        while True:
            with waiting():
                item, error, is_last = line.get()
            if error is not None:
                raise error
            if is_last:
                return
            yield item  # type: ignore[misc]
    finally:
        unwanted.set()
        with waiting():
            maker.join()


BACKGROUND_NICENESS = 10


def _step_back() -> None:
    """Have the system prefer other threads to this one and those that it will start (setpriority(2) goes by threads on Linux)."""
    thread = threading.get_native_id()
    with suppress(OSError):  # a program that was started further back stays there
        os.setpriority(os.PRIO_PROCESS, thread, max(BACKGROUND_NICENESS, os.getpriority(os.PRIO_PROCESS, thread)))


@dataclass(eq=False)
class Job:
    """One piece of work that was handed to a runner."""

    number: int
    title: str
    task: Task
    started: float = field(default_factory=time.monotonic)
    fraction: float = 0.0
    begun: bool = False  # it has a thread to run on, and does not wait any more
    future: Future[Any] | None = None

    def cancel(self) -> None:
        """Have it stop at its next step."""
        self.task.cancel()

    @property
    def remaining_s(self) -> float | None:
        """Seconds still to go at the pace so far; None while too little is done to tell."""
        spent = time.monotonic() - self.started
        if self.fraction < 0.02 or spent < 0.3:
            return None
        return spent * (1.0 - self.fraction) / self.fraction


@dataclass(frozen=True)
class Report:
    """What became of a job: a result, an error, or neither when it was cancelled."""

    job: Job
    result: Any = None
    error: BaseException | None = None
    cancelled: bool = False


class JobRunner:
    """Runs work on a few threads and hands reports to one function.

    `on_report` and `on_progress` are called on the working thread: a window passes functions that
    emit signals. Work is a function of one argument, its `Task`.
    """

    def __init__(
        self,
        on_report: Callable[[Report], None],
        on_progress: Callable[[Job], None] | None = None,
        threads: int = 2,
        first_number: int = 1,
        *,
        in_background: bool = False,
        gives_way: bool = False,
    ) -> None:
        """in_background: its threads, and those that they start, let all others of the program go first. gives_way: its work pauses when the window asks for it; work in the
        background always does."""
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="dubbin-job", initializer=_step_back if in_background else None)
        self._gives_way = gives_way or in_background
        self._numbers = itertools.count(first_number)
        self._on_report = on_report
        self._on_progress = on_progress
        self._lock = threading.Lock()
        self._live: dict[int, Job] = {}
        self._may_run = threading.Event()
        self._may_run.set()

    def hold(self) -> None:
        """Let work that is started from now on wait until `release`."""
        self._may_run.clear()

    def release(self) -> None:
        """Let waiting work begin."""
        self._may_run.set()

    def start(self, title: str, work: Callable[[Task], Any]) -> Job:
        """Queue `work`; returns at once."""
        job = Job(next(self._numbers), title, Task())

        def report(fraction: float) -> None:
            job.fraction = fraction
            if self._on_progress is not None:
                self._on_progress(job)

        job.task = Task(report, gives_way=self._gives_way)
        with self._lock:
            self._live[job.number] = job
        job.future = self._pool.submit(self._run, job, work)
        return job

    def _run(self, job: Job, work: Callable[[Task], Any]) -> None:
        self._may_run.wait()
        job.started, job.begun = time.monotonic(), True
        try:
            job.task.step(0.0)
            outcome = Report(job, result=work(job.task))
        except Cancelled:
            outcome = Report(job, cancelled=True)
        except BaseException as error:
            outcome = Report(job, error=error)
        with self._lock:
            self._live.pop(job.number, None)
        self._on_report(outcome)

    @property
    def live(self) -> list[Job]:
        """Jobs that wait or run."""
        with self._lock:
            return list(self._live.values())

    def close(self, patience_s: float = PATIENCE_S) -> None:
        """Cancel everything and wait until the threads have stopped; not for longer than `patience_s` for one that hangs in the system (a folder on a
        network that does not answer)."""
        live = self.live
        for job in live:
            job.cancel()
        self.release()
        self._pool.shutdown(wait=False, cancel_futures=True)
        wait([f for job in live if (f := job.future) is not None and not f.cancelled()], patience_s)
