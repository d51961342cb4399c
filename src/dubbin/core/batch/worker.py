"""What a machine of a cluster does: a step at a time, in a process of its own that may die without harm.

Needs the package distributed (the extra “cluster”). Whoever reaches the scheduler can have it run anything: it belongs on a network that is trusted, or behind TLS
(tls://, with the certificates set up as distributed asks for them).
"""

from __future__ import annotations

import asyncio
import hashlib
import os
import platform
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import dubbin.core
from dubbin import __version__
from dubbin.core.batch.run import usual_workers
from dubbin.core.batch.steps import CORES_A_PROCESS, Stand, Step, Work, do_step
from dubbin.core.deliver.targets import OWN_TABLE
from dubbin.core.errors import Cancelled, DubbinError
from dubbin.core.folders import Folders, user_folders
from dubbin.core.jobs import Task
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.seats import CORES_VARIABLE
from dubbin.core.sound.writing import replacing
from dubbin.core.texts import tr
from dubbin.core.treat.tiles import prune

TOPIC = "dubbin"
TELL_EVERY_S = 1.0
MEMORY, THREADS = "dubbin_memory_mb", "dubbin_threads"  # what steps ask for and workers offer
SHARED_WORK, INBOX, OUTBOX = ".dubbin-work", "inbox", "outbox"
PROBE = ".dubbin-batch"  # beginning of the name of a file by which a worker sees whether it has the folder before it


@dataclass(frozen=True)
class Place:
    """Where a step works. shared: the folder of masters, where the worker sees it; None: in the worker's own folders, with files that were sent along. own_targets:
    the table of targets of who asks, as text. most_bytes: of treated sound to keep in a shared folder. batch: a name for all that is asked for together: what comes out of one
    never lies among what came out of another."""

    shared: Path | None
    own_targets: str = ""
    most_bytes: int = 0
    batch: str = ""

    def folders(self) -> Folders:
        """Working copies, treated sound and figures of the work."""
        cache = user_folders().cache if self.shared is None else self.shared / SHARED_WORK
        digest = hashlib.blake2b(self.own_targets.encode(), digest_size=8).hexdigest()
        return Folders(cache, cache / "targets" / digest, cache)

    def out(self, work: Work) -> Path:
        """Where its masters go."""
        return self.shared if self.shared is not None else outbox(self.batch, work.name)


@dataclass(frozen=True)
class Seen:
    """What a worker says of itself. program: a name for the code that it runs. sees_folders: whether the files that it was asked about are before it. is_ours: whether it
    was started by Dubbin, and declares what it offers. inbox: for files that are sent along."""

    program: str
    sees_folders: bool
    is_ours: bool
    inbox: Path


@lru_cache(maxsize=1)
def program_name() -> str:
    """A name for the program's version, its code and its Python: steps of one episode are done by one program only."""
    digest = hashlib.blake2b(digest_size=6)
    root = Path(dubbin.core.__file__).parent
    for path in sorted(root.rglob("*.py")):
        digest.update(path.read_bytes())
    return f"{__version__} ({digest.hexdigest()}, Python {platform.python_version_tuple()[0]}.{platform.python_version_tuple()[1]})"


def look(files: Sequence[tuple[str, int]], dask_worker: Any = None) -> Seen:
    """Asked of each worker before it gets work. files: paths and sizes. dask_worker: what the library calls itself with."""
    return Seen(program_name(), all(_size(Path(p)) == size for p, size in files), MEMORY in dask_worker.state.total_resources, inbox())


def inbox() -> Path:
    """Files that were sent along to this machine."""
    return user_folders().cache / INBOX


def outbox(batch: str, name: str) -> Path:
    """What comes out of work on files that were sent along; a folder for each."""
    return user_folders().cache / OUTBOX / batch / name


def perform(step: Step, work: Work, stand: Stand, place: Place) -> Stand:
    """One step on this machine; tells how far it is, and stops when nobody wants it any more."""
    folders, out = place.folders(), place.out(work)
    out.mkdir(parents=True, exist_ok=True)
    if place.own_targets:
        folders.state.mkdir(parents=True, exist_ok=True)
        with replacing(folders.state / OWN_TABLE) as temporary:
            temporary.write_text(place.own_targets, "utf-8")
    if step is Step.TAKE_IN:
        prune(folders.tiles, max(place.most_bytes, folders.most_tile_bytes))
        KeptResults(folders.results).prune()
    return do_step(step, work, stand, out, folders, _telling(work.name, step))


def _telling(name: str, step: Step) -> Task:
    """A task that tells whoever listens."""
    from distributed import get_worker

    worker = get_worker()
    key = worker.get_current_task()
    last = 0.0

    def report(fraction: float) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < TELL_EVERY_S:
            return
        last = now
        at_work = worker.state.tasks.get(key)
        if at_work is None or at_work.state in ("cancelled", "released", "forgotten"):
            raise Cancelled
        worker.log_event(TOPIC, {"name": name, "step": step.value, "fraction": fraction, "worker": worker.address})

    return Task(report)


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return -1


def serve(address: str, count: int | None = None, memory_mb: int | None = None, say: Callable[[str], None] = lambda _: None) -> None:
    """Work for a scheduler until it is gone or somebody interrupts. count: processes, each of which does a step at a time on two threads. memory_mb: of each; one that
    takes more is ended and begun again. Raises DubbinError where no scheduler answers."""
    check_library()
    from distributed import Nanny

    count = count or usual_workers()
    memory_mb = memory_mb or _memory_mb() // count
    resources = {MEMORY: memory_mb, THREADS: CORES_A_PROCESS}
    folder = user_folders().cache / "cluster"
    folder.mkdir(parents=True, exist_ok=True)

    async def work() -> None:
        crew: list[Any] = [
            Nanny(
                address, nthreads=1, resources=resources, memory_limit=f"{memory_mb}MB", local_directory=str(folder), death_timeout=60,
                name=f"{platform.node()}-{os.getpid()}-{k + 1}", silence_logs="ERROR", dashboard=False, env={CORES_VARIABLE: str(CORES_A_PROCESS)},
            )
            for k in range(count)
        ]  # fmt: skip
        try:
            await asyncio.gather(*crew)
            say(
                tr("Working for {address}, with {memory} MB for each process ({count}). Ctrl+C ends it.").format(
                    address=address, count=count, memory=memory_mb
                )
            )
            await asyncio.gather(*(nanny.finished() for nanny in crew))
        finally:
            await asyncio.gather(*(nanny.close() for nanny in crew), return_exceptions=True)

    try:
        asyncio.run(work())
    except (OSError, TimeoutError, ValueError) as error:
        raise no_scheduler(address) from error


def check_library() -> None:
    """Raises DubbinError where the package distributed is not installed."""
    if find_spec("distributed") is None:
        raise DubbinError(tr("The package distributed is missing; it comes with: pip install 'dubbin[cluster]'."))


def no_scheduler(address: str) -> DubbinError:
    """What is said where none answers."""
    return DubbinError(tr("No scheduler answers at {address}. One is started by: dask scheduler.").format(address=address))


def _memory_mb() -> int:
    return int(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e6 * 0.9)
