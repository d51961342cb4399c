"""A batch on one to four workers of a cluster on this machine: real steps on short talks, and steps that only wait, as long as those of an hour take beside each other.

Real steps can't be faster than this machine's cores; waiting ones show what the batch itself costs: asking, looking around, handing steps out.

    python benchmarks/cluster.py [--seconds N]    of each talk
"""

from __future__ import annotations

import argparse
import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import degraded
import numpy as np
import soundfile as sf
from scores import RATE

from dubbin.core.batch import asking, cluster
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.steps import NEEDS, Stand, Step, Work
from dubbin.core.batch.worker import Place
from dubbin.core.folders import Folders

TALKS, SECONDS = 4, 20.0
WAITED = 24  # episodes that only wait
HOUR_S = 4.0  # for which the steps of such an episode wait in all
Row = tuple[str, str]


@contextmanager
def running(home: Path, count: int) -> Iterator[str]:
    """The address of a scheduler with so many workers."""
    started = []

    def start(name: str, *command: str) -> Path:
        log = home / f"{name}.log"
        paths = os.pathsep.join([str(Path(__file__).parent), os.environ.get("PYTHONPATH", "")])  # where steps that only wait are found
        environment = {**os.environ, "DUBBIN_HOME": str(home / name), "PYTHONPATH": paths}
        with open(log, "w") as out:
            started.append(subprocess.Popen([sys.executable, "-m", *command], stdout=out, stderr=out, env=environment))
        return log

    def wait(log: Path, pattern: str) -> re.Match[str]:
        for _ in range(1200):
            found = re.search(pattern, log.read_text())
            if found:
                return found
            time.sleep(0.05)
        raise RuntimeError(log.read_text()[-2000:])

    try:
        log = start("scheduler", "distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")
        address = wait(log, r"Scheduler at: +(tcp://\S+)")[1]
        for log in [start(f"worker{k}", "dubbin", "worker", address, "--workers", "1", "--memory", "5000") for k in range(count)]:
            wait(log, "Working for")
        yield address
    finally:
        for process in reversed(started):
            process.terminate()
            process.wait(30)


def waiting(step: Step, work: Work, stand: Stand, place: Place) -> Stand:
    """A step that takes its time and does nothing."""
    time.sleep(HOUR_S * NEEDS[step].share)
    return replace(stand, outcome=Outcome(work.name)) if step is Step.MASTERS else stand


def batch(works: list[Work], home: Path, address: str) -> tuple[float, list[Outcome]]:
    out = home / "out"
    out.mkdir()
    started = time.perf_counter()
    found = [outcome for _, outcome in cluster.on_cluster(works, out, Folders(home / "cache", home / "state", home / "documents"), address)]
    return time.perf_counter() - started, found


def talks(folder: Path, seconds: float) -> list[Work]:
    """Talks of the demo's voices in noise, each another stretch or another noise."""
    clips, rng = degraded.clips(), np.random.default_rng(1)
    out = []
    for k in range(TALKS):
        x = np.resize(clips[k % len(clips)].sound, round(seconds * RATE))
        sf.write(folder / f"talk{k}.wav", x + rng.normal(0, 0.003, len(x)), RATE)
        out.append(Work(BatchInput(folder / f"talk{k}.wav"), f"talk{k}"))
    return out


def rows(seconds: float = SECONDS) -> list[Row]:
    out: list[Row] = []
    first: dict[str, float] = {}
    perform = asking.perform
    for count in (1, 2, 3, 4):
        with tempfile.TemporaryDirectory() as temporary:
            home = Path(temporary)
            (home / "in").mkdir()
            with running(home, count) as address:
                for kind in ("waiting", "real"):
                    (home / kind).mkdir()
                    if kind == "waiting":
                        asking.perform = waiting  # type: ignore[assignment]
                        works = [Work(BatchInput(home / "in" / f"{k}.wav"), f"ep{k}") for k in range(WAITED)]
                    else:
                        asking.perform = perform
                        works = talks(home / "in", seconds)
                    took, outcomes = batch(works, home / kind, address)
                    assert len(outcomes) == len(works) and (kind == "waiting" or all(o.passes for o in outcomes))
                    first.setdefault(kind, took)
                    what = (
                        f"{WAITED} episodes whose steps wait {HOUR_S:.0f} s in all"
                        if kind == "waiting"
                        else f"{TALKS} talks of {seconds:.0f} s, to their masters"
                    )
                    ideal = f", {WAITED * HOUR_S / count / took:.0%} of the time at work" if kind == "waiting" else ""
                    out.append(
                        (f"{what}, {count} worker{'s' if count > 1 else ''}", f"{took:.0f} s, {first[kind] / took:.2f} x one worker{ideal}")
                    )
                    print(*out[-1], flush=True)
    return sorted(out)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=SECONDS)
    rows(parser.parse_args().seconds)
