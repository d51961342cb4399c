"""A batch on a cluster of Dask distributed: who of its workers can work, which step goes where, and what happens when one is lost.

Each episode goes through its steps one after the other, many episodes at a time. Where all workers see the folders of who asks, a step goes to any of them, and what it
leaves for the next ones lies in the folder of masters. Otherwise an episode's files are sent along to one worker, which keeps it to its masters; when it is lost,
another one starts with the step that was in hand and computes what only the lost one had.
"""

from __future__ import annotations

import itertools
import queue
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.report import Running
from dubbin.core.batch.sending import Sent, clear_away, contents, fetch, files_of, moved_stand, moved_work, send
from dubbin.core.batch.steps import NEEDS, Stand, Step, Work, do_step, gave_up, named_by_sound
from dubbin.core.batch.worker import (
    MEMORY,
    PROBE,
    THREADS,
    TOPIC,
    Place,
    Seen,
    check_library,
    look,
    no_scheduler,
    outbox,
    perform,
    program_name,
)
from dubbin.core.deliver.targets import OWN_TABLE
from dubbin.core.episode.file import SUFFIX, save_episode
from dubbin.core.errors import Cancelled, CannotWrite, DubbinError
from dubbin.core.folders import Folders
from dubbin.core.texts import tr, tr_count

ANSWER_S = 10.0  # in which a scheduler answers
POLL_S = 0.5
LOOK_EVERY_S = 2.0  # at who has come and who has gone
AT_ONCE = 64  # episodes on their way
PER_WORKER = 2  # episodes that are sent along to one worker: one is sent while the other is worked on
TRIES = 3  # of a step whose workers are lost
TILE_BYTES_A_WORKER = 8 * 10**9
LOG = "batch.log"


class Lost(Exception):
    """All workers that could do a step are gone."""


class Deadly(Exception):
    """A step ended every worker that tried it."""


def on_cluster(
    waiting: Sequence[Work], out: Path, folders: Folders, address: str, tell: Callable[[Sequence[Running]], None] = lambda _: None,
    say: Callable[[str], None] = lambda _: None,
) -> Iterator[tuple[Work, Outcome]]:  # fmt: skip
    """The outcome of each as it comes. tell: is told now and then what is being done. say: is told what somebody should know at once: who can't work, and that nobody can. Raises DubbinError when no scheduler answers, or when it is gone."""
    with _Cluster(waiting, out, folders, address, say) as cluster:
        yield from cluster.outcomes(tell)


@dataclass(frozen=True)
class _Worker:
    address: str
    seen: Seen


class _Cluster:
    def __init__(self, waiting: Sequence[Work], out: Path, folders: Folders, address: str, say: Callable[[str], None]) -> None:
        self._waiting, self._out, self._folders, self._address = waiting, out.resolve(), folders, address
        self._able: dict[str, _Worker] = {}
        self._refused: set[str] = set()
        self._there: set[str] = set()
        self._sent = Counter[str]()  # episodes that a worker has of those that are sent along
        self._lock = threading.Condition()
        self._over = threading.Event()
        self._running: dict[str, Running] = {}
        self._done: queue.Queue[tuple[Work, Outcome | BaseException]] = queue.Queue()
        self._numbers = itertools.count()
        self._batch = uuid.uuid4().hex[:12]  # two batches at once have nothing in common, whatever their episodes are called
        self._in_use = Counter[tuple[str, str]]()  # times that a worker needs a file that was sent along, by its fingerprint
        table = folders.state / OWN_TABLE
        self._own_targets = table.read_text("utf-8") if table.is_file() else ""
        self._is_shared: bool | None = None  # not known before somebody has looked
        self._say, self._said = say, ""

    def __enter__(self) -> _Cluster:
        check_library()
        import distributed

        connect: Any = distributed.Client
        try:
            self._client: Any = connect(self._address, timeout=ANSWER_S, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise no_scheduler(self._address) from error
        self._client.subscribe_topic(TOPIC, self._heard)
        self._probe = self._out / f"{PROBE}-{self._batch}"
        try:
            self._probe.write_text(str(time.time_ns()))
        except OSError as error:
            self._client.close(timeout=2)
            raise CannotWrite(tr("{out} could not be written: {strerror}.").format(out=self._probe, strerror=error.strerror)) from error
        self._note(tr_count("{count} episode", "{count} episodes", len(self._waiting)) + f", {self._address}, Dubbin {program_name()}")
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        with self._lock:
            self._lock.notify_all()
        self._probe.unlink(missing_ok=True)
        with suppress(Exception):  # one that is gone can't be closed
            self._client.close(timeout=2)

    # -- the crew -------------------------------------------------------------------------

    def _look_around(self) -> None:
        """See who has come and who has gone; who comes is looked at before it gets work."""
        try:
            there = set(self._client.scheduler_info()["workers"])
        except Exception as error:
            raise DubbinError(
                tr("The scheduler at {address} is gone; the same command goes on later.").format(address=self._address)
            ) from error
        with self._lock:
            self._there = there
            for address in [a for a in self._able if a not in there]:
                del self._able[address]
                self._note(tr("{worker} is gone").format(worker=address))
            new = [a for a in there if a not in self._able and a not in self._refused]
        if new:
            self._welcome(new)

    def _welcome(self, new: Sequence[str]) -> None:
        files = self._files_to_see()
        try:
            found: dict[str, Seen | BaseException] = self._client.run(look, files, workers=list(new), on_error="return")
        except Exception:  # one of them is gone again: looked at next time
            return
        seen = {address: s for address, s in found.items() if isinstance(s, Seen) and s.is_ours and s.program == program_name()}
        if self._is_shared is None and seen:
            self._is_shared = all(s.sees_folders for s in seen.values())
            self._note(tr("work goes through the shared folder") if self._is_shared else tr("files are sent along"))
        with self._lock:
            for address, what in found.items():
                if address in seen and (what.sees_folders or not self._is_shared):  # type: ignore[union-attr]
                    self._able[address] = _Worker(address, seen[address])
                    self._note(tr("{worker} works along").format(worker=address))
                else:
                    self._refused.add(address)
                    text = tr("{worker} can't work along: {why}.").format(worker=address, why=_why_not(what))
                    self._note(text)
                    self._say(text)
            self._lock.notify_all()

    def _files_to_see(self) -> list[tuple[str, int]]:
        paths = [self._probe, *(p for work in self._waiting for p in files_of(work, Stand()))]
        return [(str(p.resolve()), p.stat().st_size) for p in paths]

    # -- outcomes -------------------------------------------------------------------------

    def outcomes(self, tell: Callable[[Sequence[Running]], None]) -> Iterator[tuple[Work, Outcome]]:
        """Of all, as they come."""
        line = queue.SimpleQueue[Work]()
        for work in self._waiting:
            line.put(work)
        threads = [threading.Thread(target=self._drive, args=(line,), daemon=True) for _ in range(min(AT_ONCE, len(self._waiting)))]
        for thread in threads:
            thread.start()
        left, looked = len(self._waiting), -LOOK_EVERY_S
        while left:
            if time.monotonic() - looked >= LOOK_EVERY_S:
                self._look_around()
                looked = time.monotonic()
                tell(self._present())
            try:
                work, outcome = self._done.get(timeout=POLL_S)
            except queue.Empty:
                continue
            if isinstance(outcome, BaseException):
                raise outcome
            left -= 1
            word = tr("passes") if outcome.passes else outcome.error or tr("fails")
            self._note(f"{work.name}: {word}, {outcome.seconds:.0f} s")
            yield work, outcome

    def _present(self) -> list[Running]:
        with self._lock:
            if not self._able:
                self._say_once(
                    tr("No worker is there that can work; one is started by: dubbin worker {address}.").format(address=self._address)
                )
            return sorted(self._running.values(), key=lambda r: r.name)

    def _drive(self, line: queue.SimpleQueue[Work]) -> None:
        """Take episodes from the line, one after the other, through all their steps."""
        while not self._over.is_set():
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
                with self._lock:
                    self._running.pop(work.name, None)

    def _all_steps(self, work: Work) -> Outcome:
        stand = Stand()
        if work.item.path.suffix.lower() == SUFFIX:  # what is in it says which files it needs
            stand = do_step(Step.TAKE_IN, work, stand, self._out, self._folders)
            if stand.outcome is not None:
                return stand.outcome
        self._wait(lambda: self._is_shared is not None)
        return self._in_shared_folder(work, stand) if self._is_shared else self._sent_along(work, stand)

    def _steps_left(self, work: Work, stand: Stand) -> tuple[Step, ...]:
        return tuple(s for s in work.steps if s is not Step.TAKE_IN or stand.episode is None)

    def _in_shared_folder(self, work: Work, stand: Stand) -> Outcome:
        place = Place(self._out, self._own_targets, TILE_BYTES_A_WORKER * max(len(self._able), 1), self._batch)
        lost = 0
        for step in self._steps_left(work, stand):
            while True:
                try:
                    stand = self._ask(step, work, stand, place)
                    break
                except Lost:
                    lost += 1
                    if lost == TRIES:
                        return gave_up(work)
            if stand.outcome is not None:
                return stand.outcome
        raise AssertionError("the last step has an outcome")

    def _sent_along(self, work: Work, stand: Stand) -> Outcome:
        for _ in range(TRIES):
            worker = self._free_worker()
            try:
                stand = self._with_worker(worker, work, stand)
            except Lost:
                self._note(f"{work.name}: " + tr("its worker is lost; another one goes on"))
            except (DubbinError, OSError) as error:
                return Outcome(str(work.item.path), error=str(error))
            finally:
                with self._lock:
                    self._sent[worker.address] -= 1
                    self._lock.notify_all()
            if stand.outcome is not None:
                return stand.outcome
        return gave_up(work)

    def _with_worker(self, worker: _Worker, work: Work, stand: Stand) -> Stand:
        """All steps that are left on one worker; as far as it comes. Raises Lost before the first is done."""

        def there(function: Callable[..., Any], *args: Any) -> Any:
            self._stop_if_over()
            try:
                return self._client.run(function, *args, workers=[worker.address])[worker.address]
            except (DubbinError, OSError) as error:
                if worker.address not in self._workers_now():
                    raise Lost from error
                raise
            except Exception as error:
                raise Lost from error

        started = time.monotonic()
        self._show(work, "sent", 0.0, worker.address)
        files = contents(files_of(work, stand))
        with self._lock:
            self._in_use.update((worker.address, fingerprint) for fingerprint in files.values())
        try:
            return self._through(worker, work, stand, there, send(files, worker.seen.inbox, there), started)
        finally:
            with suppress(Lost, Cancelled, DubbinError, OSError):
                self._clear(worker, work, files, there)

    def _through(self, worker: _Worker, work: Work, stand: Stand, there: Callable[..., Any], sent: Sent, started: float) -> Stand:
        self._note(f"{work.name}: " + tr("{mb} MB sent to {worker} in {seconds} s").format(mb=round(sent.moved_bytes / 1e6), worker=worker.address, seconds=round(time.monotonic() - started, 1)))  # fmt: skip
        back = {theirs: ours for ours, theirs in sent.places.items()}
        place = Place(None, self._own_targets, batch=self._batch)
        for step in self._steps_left(work, stand):
            try:
                done = self._ask(step, moved_work(work, sent.places), moved_stand(stand, sent.places), place, worker)
            except Lost:
                if stand.episode is None:
                    raise
                return stand
            if done.outcome is not None and done.outcome.masters:
                try:
                    return self._brought_home(work, moved_stand(done, back), there)
                except Lost:
                    return stand
            stand = moved_stand(done, back)
            if stand.outcome is not None:
                return replace(stand, outcome=replace(stand.outcome, file=str(work.item.path)))
        return stand

    def _brought_home(self, work: Work, done: Stand, there: Callable[..., Any]) -> Stand:
        """Masters and what belongs to them from a worker's own folder; the episode is written here, with the files that it was asked for."""
        assert done.outcome is not None and done.episode is not None
        self._show(work, "fetched", 0.0, "")
        fetch(there(outbox, self._batch, work.name), self._out, there)
        save_episode(done.episode, self._out / f"{work.name}{SUFFIX}")
        masters = tuple({**m, "file": str(self._out / Path(m["file"]).name) if m["file"] else None} for m in done.outcome.masters)
        return replace(done, outcome=replace(done.outcome, file=str(work.item.path), masters=masters))

    def _clear(self, worker: _Worker, work: Work, files: Mapping[Path, str], there: Callable[..., Any]) -> None:
        """Throw away what a worker has of an episode that is over, but what others need: music of the show, and files of another episode in hand."""
        common = {Path(m.path) for m in work.recipe.music} if work.recipe else set()
        with self._lock:
            self._in_use.subtract((worker.address, fingerprint) for fingerprint in files.values())
            free = [f for path, f in files.items() if path not in common and self._in_use[worker.address, f] <= 0]
        there(clear_away, [there(outbox, self._batch, work.name), *(worker.seen.inbox / fingerprint for fingerprint in free)])

    # -- one step -------------------------------------------------------------------------

    def _ask(self, step: Step, work: Work, stand: Stand, place: Place, worker: _Worker | None = None) -> Stand:
        """Have a step done by one worker, or by any. Raises Lost when whoever could do it is gone, Cancelled when it is over."""
        from distributed import CancelledError, KilledWorker

        able = [worker.address] if worker is not None else self._some_able()
        need = NEEDS[step]
        key = f"dubbin-{self._batch}-{work.name}-{step.value}-{next(self._numbers)}"
        future = self._client.submit(
            perform, step, work, stand, place, key=key, workers=able, allow_other_workers=False, priority=list(Step).index(step), pure=False,
            resources={MEMORY: need.memory_mb, THREADS: need.threads},
        )  # fmt: skip
        started, is_over = time.monotonic(), threading.Event()
        future.add_done_callback(lambda _: is_over.set())
        try:
            while not is_over.wait(POLL_S):
                self._stop_if_over()
                if not self._there.intersection(able):
                    raise Lost
            done = named_by_sound(work, future.result(timeout=ANSWER_S), self._folders.state)
        except KilledWorker as error:
            raise Deadly from error
        except (CancelledError, OSError, TimeoutError) as error:
            self._stop_if_over()
            raise Lost from error
        else:
            self._note(f"{work.name}: {step.value}, {time.monotonic() - started:.1f} s")
            return done
        finally:
            with suppress(Exception):
                future.cancel()

    def _free_worker(self) -> _Worker:
        """One that has the fewest episodes; waits until there is one that takes another."""
        with self._lock:
            while True:
                self._stop_if_over()
                free = [w for w in self._able.values() if self._sent[w.address] < PER_WORKER]
                if free:
                    worker = min(free, key=lambda w: self._sent[w.address])
                    self._sent[worker.address] += 1
                    return worker
                self._lock.wait(POLL_S)

    def _some_able(self) -> list[str]:
        """All who can work; waits until there is one."""
        with self._lock:
            while not self._able:
                self._stop_if_over()
                self._lock.wait(POLL_S)
            return list(self._able)

    def _workers_now(self) -> set[str]:
        try:
            return set(self._client.scheduler_info()["workers"])
        except Exception:
            return set()

    def _wait(self, until: Callable[[], bool]) -> None:
        with self._lock:
            while not until():
                self._stop_if_over()
                self._lock.wait(POLL_S)

    def _stop_if_over(self) -> None:
        if self._over.is_set():
            raise Cancelled

    # -- what is told ---------------------------------------------------------------------

    def _heard(self, event: tuple[float, Any]) -> None:
        """A worker tells how far it is."""
        _, said = event
        with suppress(KeyError, TypeError, ValueError):
            self._show_step(str(said["name"]), str(said["step"]), float(said["fraction"]), str(said["worker"]))

    def _show(self, work: Work, step: str, fraction: float, worker: str) -> None:
        self._show_step(work.name, step, fraction, worker)

    def _show_step(self, name: str, step: str, fraction: float, worker: str) -> None:
        with self._lock:
            if name in {w.name for w in self._waiting}:
                self._running[name] = Running(name, step, fraction, worker)

    def _say_once(self, text: str) -> None:
        if text != self._said:
            self._said = text
            self._note(text)
            self._say(text)

    def _note(self, text: str) -> None:
        """A line of the log beside the masters; where it can't be written the work goes on."""
        with suppress(OSError), open(self._out / LOG, "a", encoding="utf-8") as log:
            log.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {text}\n")


def _why_not(what: Seen | BaseException) -> str:
    if not isinstance(what, Seen):
        return tr("there is no Dubbin that answers as this one does ({error})").format(error=what)
    if not what.is_ours:
        return tr("it was not started by dubbin worker")
    if what.program != program_name():
        return tr("it runs Dubbin {program}").format(program=what.program)
    return tr("it does not see the folders")
