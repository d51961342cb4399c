"""A batch on a cluster of Dask distributed: which step of which episode is done where, and what happens when a worker is lost.

Each episode goes through its steps one after the other, many episodes at a time. Where all workers see the folders of who asks, a step goes to any of them, and what it
leaves for the next ones lies in the folder of masters. Otherwise an episode's files are sent along to one worker, which keeps it to its masters; when it is lost,
another one starts with the step that was in hand and computes what only the lost one had.
"""

from __future__ import annotations

import queue
import threading
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from dubbin.core.batch.asking import Asking, Deadly
from dubbin.core.batch.crew import POLL_S, Crew, Lost
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.report import Running
from dubbin.core.batch.sending import files_of
from dubbin.core.batch.sent_along import FilesInUse, SentAlong
from dubbin.core.batch.steps import Stand, Step, Work, do_step, gave_up, steps_left
from dubbin.core.batch.telling import Telling
from dubbin.core.batch.worker import PROBE, TOPIC, Place, check_library, no_scheduler, program_name
from dubbin.core.deliver.targets import OWN_TABLE
from dubbin.core.episode.file import SUFFIX
from dubbin.core.errors import Cancelled
from dubbin.core.folders import Folders
from dubbin.core.sound.writing import not_written
from dubbin.core.texts import tr, tr_count

CONNECT_S = 10.0  # in which a scheduler answers
LOOK_EVERY_S = 2.0  # at who has come and who has gone
AT_ONCE = 64  # episodes on their way
TRIES = 3  # of an episode whose workers are lost
TILE_BYTES_A_WORKER = 8 * 10**9


def on_cluster(
    waiting: Sequence[Work], out: Path, folders: Folders, address: str, tell: Callable[[Sequence[Running]], None] = lambda _: None,
    say: Callable[[str], None] = lambda _: None,
) -> Iterator[tuple[Work, Outcome]]:  # fmt: skip
    """The outcome of each as it comes. tell: is told now and then what is being done. say: is told what somebody should know at once: who can't work, and that nobody
    can. Raises DubbinError when no scheduler answers, or when it is gone."""
    with _Cluster(waiting, out, folders, address, say) as cluster:
        yield from cluster.outcomes(tell)


class _Cluster:
    def __init__(self, waiting: Sequence[Work], out: Path, folders: Folders, address: str, say: Callable[[str], None]) -> None:
        self._waiting, self._out, self._folders, self._address = waiting, out.resolve(), folders, address
        self._batch = uuid.uuid4().hex[:12]  # two batches at once have nothing in common, whatever their episodes are called
        self._probe = self._out / f"{PROBE}-{self._batch}"
        self._done: queue.Queue[tuple[Work, Outcome | BaseException]] = queue.Queue()
        table = folders.state / OWN_TABLE
        self._own_targets = table.read_text("utf-8") if table.is_file() else ""
        self._telling = Telling(self._out, [work.name for work in waiting], say)

    def __enter__(self) -> _Cluster:
        check_library()
        self._client = _connected(self._address)
        self._client.subscribe_topic(TOPIC, self._telling.heard)
        try:
            self._probe.write_text(str(time.time_ns()))
        except OSError as error:
            self._client.close(timeout=2)
            raise not_written(self._probe, error) from error
        self._crew = Crew(self._client, self._address, self._files_to_see, self._telling)
        self._asking = Asking(self._client, self._crew, self._telling, self._batch, self._folders.state)
        self._sent_along = SentAlong(
            self._client, self._crew, self._asking, self._telling, self._out, self._own_targets, self._batch, FilesInUse()
        )
        episodes = tr_count("{count} episode", "{count} episodes", len(self._waiting))
        self._telling.note(f"{episodes}, {self._address}, Dubbin {program_name()}")
        return self

    def __exit__(self, *_: object) -> None:
        self._crew.end()
        self._probe.unlink(missing_ok=True)
        with suppress(Exception):  # one that is gone can't be closed
            self._client.close(timeout=2)

    def _files_to_see(self) -> list[tuple[str, int]]:
        """What a worker has to see, with sizes, to work in our folders."""
        paths = [self._probe, *(p for work in self._waiting for p in files_of(work, Stand()))]
        return [(str(p.resolve()), p.stat().st_size) for p in paths]

    def outcomes(self, tell: Callable[[Sequence[Running]], None]) -> Iterator[tuple[Work, Outcome]]:
        """Of all, as they come."""
        line = queue.SimpleQueue[Work]()
        for work in self._waiting:
            line.put(work)
        for _ in range(min(AT_ONCE, len(self._waiting))):
            threading.Thread(target=self._drive, args=(line,), daemon=True).start()
        left, looked = len(self._waiting), -LOOK_EVERY_S
        while left:
            if time.monotonic() - looked >= LOOK_EVERY_S:
                self._crew.look_around()
                looked = time.monotonic()
                tell(self._telling.in_hand())
            try:
                work, outcome = self._done.get(timeout=POLL_S)
            except queue.Empty:
                continue
            if isinstance(outcome, BaseException):
                raise outcome
            left -= 1
            word = tr("passes") if outcome.passes else outcome.error or tr("fails")
            self._telling.note(f"{work.name}: {word}, {outcome.seconds:.0f} s")
            yield work, outcome

    def _drive(self, line: queue.SimpleQueue[Work]) -> None:
        """Take episodes from the line, one after the other, through all their steps."""
        while not self._crew.is_over:
            try:
                work = line.get_nowait()
            except queue.Empty:
                return
            try:
                self._done.put((work, self._all_steps(work)))
            except Deadly:
                self._done.put((work, gave_up(work)))
            except Cancelled:
                return
            except BaseException as error:
                self._done.put((work, error))
            finally:
                self._telling.is_over(work.name)

    def _all_steps(self, work: Work) -> Outcome:
        stand = Stand()
        if work.item.path.suffix.lower() == SUFFIX:  # what is in it says which files it needs
            stand = do_step(Step.TAKE_IN, work, stand, self._out, self._folders)
            if stand.outcome is not None:
                return stand.outcome
        return self._in_shared_folder(work, stand) if self._crew.sees_folders() else self._sent_along.do(work, stand)

    def _in_shared_folder(self, work: Work, stand: Stand) -> Outcome:
        """All steps that are left, each on any worker."""
        lost = 0
        for step in steps_left(work, stand):
            while True:
                able = self._crew.able()
                place = Place(self._out, self._own_targets, TILE_BYTES_A_WORKER * len(able), self._batch)
                try:
                    stand = self._asking.ask(step, work, stand, place)
                    break
                except Lost:
                    lost += 1
                    if lost == TRIES:
                        return gave_up(work)
            if stand.outcome is not None:
                return stand.outcome
        raise AssertionError("the last step has an outcome")


def _connected(address: str) -> Any:
    """A client of the library. Raises DubbinError where no scheduler answers."""
    import distributed

    connect: Any = distributed.Client
    try:
        return connect(address, timeout=CONNECT_S, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as error:
        raise no_scheduler(address) from error
