"""One step of an episode, asked of a cluster's workers."""

from __future__ import annotations

import itertools
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from dubbin.core.batch.crew import POLL_S, Crew, Lost, Worker
from dubbin.core.batch.steps import NEEDS, Stand, Step, Work, named_by_sound
from dubbin.core.batch.telling import Telling
from dubbin.core.batch.worker import MEMORY, THREADS, Place, perform

ANSWER_S = 10.0  # in which a result that is there is here


class Deadly(Exception):
    """A step ended every worker that tried it."""


class Asking:
    """client: distributed's. batch: a name for all that is asked for together. state: the folder in which voices are remembered."""

    def __init__(self, client: Any, crew: Crew, telling: Telling, batch: str, state: Path) -> None:
        self._client, self._crew, self._telling, self._batch, self._state = client, crew, telling, batch, state
        self._numbers = itertools.count()

    def ask(self, step: Step, work: Work, stand: Stand, place: Place, worker: Worker | None = None) -> Stand:
        """Have a step done by one worker, or by any. Raises Lost when whoever could do it is gone, Deadly when it ends who tries it, Cancelled when the batch is over."""
        from distributed import CancelledError, KilledWorker

        able = [worker.address] if worker is not None else self._crew.able()
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
                self._crew.stop_if_over()
                if not self._crew.any_there(able):
                    raise Lost
            done = named_by_sound(work, future.result(timeout=ANSWER_S), self._state)
        except KilledWorker as error:
            raise Deadly from error
        except (CancelledError, OSError, TimeoutError) as error:
            self._crew.stop_if_over()
            raise Lost from error
        else:
            self._telling.note(f"{work.name}: {step.value}, {time.monotonic() - started:.1f} s")
            return done
        finally:
            with suppress(Exception):
                future.cancel()
