"""Many recordings through the whole chain: goes on after a failure, can be interrupted and continued, ends with what passed."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.naming import has_remembered
from dubbin.core.batch.outcome import STATE, DoneBefore, Outcome, input_key
from dubbin.core.batch.pool_process import set_up_process
from dubbin.core.batch.steps import CORES_A_PROCESS, Work, gave_up, run_one
from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.recipe import Recipe
from dubbin.core.episode.file import SUFFIX
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.seats import CORES_VARIABLE

Elsewhere = Callable[[Sequence[Work]], Iterator[tuple[Work, Outcome]]]  # does work and hands its outcomes out as they come


def usual_workers() -> int:
    """Episodes at a time on this machine: each uses CORES_A_PROCESS, and a single one all that there are."""
    return max(1, (os.cpu_count() or 2) // CORES_A_PROCESS)


@contextmanager
def cores_shared_out() -> Iterator[None]:
    """Programs that are started meanwhile compute on CORES_A_PROCESS each, unless somebody has said how many."""
    if CORES_VARIABLE in os.environ:
        yield
        return
    os.environ[CORES_VARIABLE] = str(CORES_A_PROCESS)
    try:
        yield
    finally:
        os.environ.pop(CORES_VARIABLE, None)


def run_batch(
    inputs: Sequence[BatchInput], out: Path, recipe: Recipe | None, folders: Folders, task: Task | None = None, workers: int | None = None,
    elsewhere: Elsewhere | None = None,
) -> Iterator[Outcome]:  # fmt: skip
    """The outcome of every input as it comes. What was done before with the same recipe and is still there is not done again.

    workers: inputs at a time; each uses two cores, a single one all that there are. elsewhere: who does them, if not this machine. Raises Cancelled; what was finished until then is kept. A worker
    that dies costs the input that it had in hand.
    """
    task = task or Task()
    state = DoneBefore(out / STATE)
    names, by_sound = _names(inputs), has_remembered(folders.state)
    keys: dict[Work, str] = {}
    for item in inputs:
        key = input_key(item, recipe)
        known = state.find(key)
        if known is not None:
            yield known
        else:
            is_episode = item.path.suffix.lower() == SUFFIX  # whose voices have the names that somebody gave them
            keys[Work(item, names[item], recipe, by_sound and not is_episode)] = key
    waiting = list(keys)
    workers = workers or usual_workers()
    if elsewhere is not None:
        results = elsewhere(waiting) if waiting else iter(())
    elif workers == 1 or len(waiting) < 2:
        shares = [task.part(k / len(waiting), (k + 1) / len(waiting)) for k in range(len(waiting))]
        results = ((work, run_one(work, out, folders, share)) for work, share in zip(waiting, shares, strict=True))
    else:
        results = _on_processes(waiting, out, folders, workers)
    for done, (work, outcome) in enumerate(results, 1):
        task.step(done / len(waiting))
        state.keep(keys[work], outcome)
        yield outcome


def _on_processes(waiting: Sequence[Work], out: Path, folders: Folders, workers: int) -> Iterator[tuple[Work, Outcome]]:
    """Works side by side; where a process dies, all that it may have taken along are tried again one by one, and the one that ends it every time is given up."""
    left = list(waiting)
    for at_once in (workers, 1, 1):  # what never came to its turn beside the others has two tries of its own
        broken: list[Work] = []
        for work, outcome in _on_pool(left, out, folders, at_once):
            if outcome is None:
                broken.append(work)
            else:
                yield work, outcome
        left = broken
    for work in left:
        yield work, gave_up(work)


def _on_pool(works: Sequence[Work], out: Path, folders: Folders, workers: int) -> Iterator[tuple[Work, Outcome | None]]:
    """The outcome of each; None where its process died. With one worker each has a process of its own."""
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor, as_completed
    from concurrent.futures.process import BrokenProcessPool

    for some in [works] if workers > 1 else [[work] for work in works]:
        spawn = multiprocessing.get_context("spawn")
        with (
            cores_shared_out(),
            ProcessPoolExecutor(workers, mp_context=spawn, initializer=set_up_process, initargs=(folders.state,)) as pool,
        ):
            futures = {pool.submit(run_one, work, out, folders): work for work in some}
            try:
                for future in as_completed(futures):
                    try:
                        yield futures[future], future.result()
                    except BrokenProcessPool:
                        yield futures[future], None
            except BaseException:
                pool.shutdown(wait=False, cancel_futures=True)
                raise


def _names(inputs: Sequence[BatchInput]) -> dict[BatchInput, str]:
    """A name of its own for everything that comes out."""
    out: dict[BatchInput, str] = {}
    used: set[str] = set()
    for item in inputs:
        name = base = safe_name(item.path.stem)
        k = 2
        while name in used:
            name, k = f"{base}-{k}", k + 1
        used.add(name)
        out[item] = name
    return out
