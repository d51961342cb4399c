"""An episode whose files are sent along: one worker, which does not see our folders, keeps it from its first step to its masters, and these come back."""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.batch.asking import Asking
from dubbin.core.batch.beside import put_aside, save_beside
from dubbin.core.batch.crew import Crew, Lost, Worker
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.sending import There, clear_away, contents, fetch, files_of, moved_stand, moved_work, send
from dubbin.core.batch.steps import Stand, Work, gave_up, steps_left
from dubbin.core.batch.telling import Telling
from dubbin.core.batch.worker import Place, outbox
from dubbin.core.episode.file import SUFFIX
from dubbin.core.errors import Cancelled, DubbinError
from dubbin.core.texts import tr

TRIES = 3  # workers that may be lost over an episode


class FilesInUse:
    """How often each worker needs each file that was sent along, by its fingerprint: what one episode has done with another may still need."""

    def __init__(self) -> None:
        self._times = Counter[tuple[str, str]]()
        self._lock = threading.Lock()

    def take(self, worker: str, files: Mapping[Path, str]) -> None:
        """An episode needs its files. files: with their fingerprints."""
        with self._lock:
            self._times.update((worker, fingerprint) for fingerprint in files.values())

    def give_back(self, worker: str, files: Mapping[Path, str]) -> list[Path]:
        """An episode needs its files no longer; those of them that nobody needs."""
        with self._lock:
            self._times.subtract((worker, fingerprint) for fingerprint in files.values())
            return [path for path, fingerprint in files.items() if self._times[worker, fingerprint] <= 0]


@dataclass(frozen=True)
class SentAlong:
    """client: distributed's. batch: a name for all that is asked for together. own_targets: the table of targets of who asks, as text."""

    client: Any
    crew: Crew
    asking: Asking
    telling: Telling
    out: Path
    own_targets: str
    batch: str
    in_use: FilesInUse

    def do(self, work: Work, stand: Stand) -> Outcome:
        """All steps of an episode that are left; when its worker is lost, another one goes on with the step that was in hand."""
        for _ in range(TRIES):
            worker = self.crew.free()
            try:
                stand = self._with_worker(worker, work, stand)
            except Lost:
                self.telling.note(f"{work.name}: " + tr("its worker is lost; another one goes on"))
            except (DubbinError, OSError) as error:
                return Outcome(str(work.item.path), error=str(error))
            finally:
                self.crew.let_go(worker)
            if stand.outcome is not None:
                return stand.outcome
        return gave_up(work)

    def _with_worker(self, worker: Worker, work: Work, stand: Stand) -> Stand:
        """All steps that are left on one worker; as far as it comes. Raises Lost before the first is done."""
        there = self._there(worker)
        self.telling.show(work.name, "sent", 0.0, worker.address)
        files = contents(files_of(work, stand))
        self.in_use.take(worker.address, files)
        try:
            return self._through(worker, work, stand, files, there)
        finally:
            free = self.in_use.give_back(worker.address, files)
            with suppress(Lost, Cancelled, DubbinError, OSError):
                self._clear(worker, work, {path: files[path] for path in free}, there)

    def _there(self, worker: Worker) -> There:
        """Runs functions on a worker. Raises what they raise, Lost where it is gone."""

        def there(function: Callable[..., Any], *args: Any) -> Any:
            self.crew.stop_if_over()
            try:
                return self.client.run(function, *args, workers=[worker.address])[worker.address]
            except (DubbinError, OSError) as error:
                if not self.crew.is_there_now(worker):
                    raise Lost from error
                raise
            except Exception as error:
                raise Lost from error

        return there

    def _through(self, worker: Worker, work: Work, stand: Stand, files: Mapping[Path, str], there: There) -> Stand:
        started = time.monotonic()
        sent = send(files, worker.seen.inbox, there)
        mb, seconds = round(sent.moved_bytes / 1e6), round(time.monotonic() - started, 1)
        self.telling.note(
            f"{work.name}: " + tr("{mb} MB sent to {worker} in {seconds} s").format(mb=mb, worker=worker.address, seconds=seconds)
        )
        back = {theirs: ours for ours, theirs in sent.places.items()}
        place = Place(None, self.own_targets, batch=self.batch)
        for step in steps_left(work, stand):
            try:
                done = self.asking.ask(step, moved_work(work, sent.places), moved_stand(stand, sent.places), place, worker)
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

    def _brought_home(self, work: Work, done: Stand, there: There) -> Stand:
        """Masters and what belongs to them from a worker's own folder; the episode is written here, with the files that it was asked for."""
        assert done.outcome is not None and done.episode is not None
        self.telling.show(work.name, "fetched", 0.0, "")
        aside = put_aside(self.out / f"{work.name}{SUFFIX}")
        fetch(there(outbox, self.batch, work.name), self.out, there)
        save_beside(done.episode, self.out / f"{work.name}{SUFFIX}")
        masters = tuple({**m, "file": str(self.out / Path(m["file"]).name) if m["file"] else None} for m in done.outcome.masters)
        return replace(
            done, outcome=replace(done.outcome, file=str(work.item.path), masters=masters, remarks=(*done.outcome.remarks, *aside))
        )

    def _clear(self, worker: Worker, work: Work, files: Mapping[Path, str], there: There) -> None:
        """Throw away what a worker has of an episode that is over, but the show's music, which the next one asks for again."""
        common = {Path(m.path) for m in work.recipe.music} if work.recipe else set()
        free = [fingerprint for path, fingerprint in files.items() if path not in common]
        there(clear_away, [there(outbox, self.batch, work.name), *(worker.seen.inbox / fingerprint for fingerprint in free)])
