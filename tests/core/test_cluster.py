"""A batch on a cluster: a real scheduler with real workers in processes of their own, one of which is killed."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest
import soundfile as sf

from dubbin.cli.main import main
from dubbin.core.batch import cluster as clusters
from dubbin.core.batch import crew as crews
from dubbin.core.batch.cluster import on_cluster
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.report import Running, Standing, page_of
from dubbin.core.batch.run import run_batch
from dubbin.core.batch.steps import NEEDS, Step, Work
from dubbin.core.batch.telling import LOG
from dubbin.core.batch.worker import OWN_TABLE, Place, look, outbox
from dubbin.core.deliver.recipe import Recipe, recipe_of
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode
from dubbin.core.folders import Folders
from tests.conftest import RATE, noise

pytest.importorskip("distributed")
WAIT_S = 120


@pytest.fixture
def own(tmp_path) -> Folders:
    return Folders(tmp_path / "cache", tmp_path / "state", tmp_path / "documents")


@pytest.fixture
def recipe() -> Recipe:
    """Repairs and an MP3, without words: seconds for each."""
    delivery = replace(new_episode().delivery, targets=("podcast-mono",), formats=("mp3",), extras=())
    return replace(recipe_of(new_episode()), pauses_on=False, fillers=False, retakes=False, delivery=delivery)


@pytest.fixture
def talks(speech, tmp_path) -> list[Path]:
    """Short recordings, each another one."""
    folder = tmp_path / "in"
    folder.mkdir()
    for k in range(3):
        sf.write(folder / f"talk{k}.wav", speech[: 8 * RATE] + noise(8, -50, k), RATE)
    return sorted(folder.iterdir())


def until(done, what: str):
    """Wait for something that another process does."""
    end = time.monotonic() + WAIT_S
    while time.monotonic() < end:
        found = done()
        if found:
            return found
        time.sleep(0.05)
    pytest.fail(f"waited in vain for {what}")


@pytest.fixture(scope="module")
def cluster(tmp_path_factory):
    """The address of a scheduler with two workers, each with a home of its own."""
    home = tmp_path_factory.mktemp("cluster")
    started = []

    def start(name: str, *command: str) -> Path:
        log = home / f"{name}.log"
        with open(log, "w") as out:
            environment = {**os.environ, "DUBBIN_HOME": str(home / name)}
            started.append(subprocess.Popen([sys.executable, "-m", *command], stdout=out, stderr=out, env=environment))
        return log

    log = start("scheduler", "distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")
    address = until(lambda: re.search(r"Scheduler at: +(tcp://127\.0\.0\.1:\d+)", log.read_text()), "the scheduler")[1]
    logs = [start(f"worker{k}", "dubbin", "worker", address, "--workers", "1", "--memory", "4000") for k in (1, 2)]
    for worker_log in logs:
        until(lambda log=worker_log: "Working for" in log.read_text(), "a worker")
    yield address
    for process in reversed(started):
        process.terminate()
        try:
            process.wait(20)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def in_log(out: Path) -> str:
    return (out / LOG).read_text()


def steps_in(log: str) -> Counter[tuple[str, str]]:
    """How often each step of each episode was finished."""
    return Counter(re.findall(r" (\w+): (\w+), \d+\.\d s$", log, re.M))


# -- a real cluster ----------------------------------------------------------------------


def test_a_worker_that_is_killed_costs_the_step_in_hand_and_nothing_is_done_twice(cluster, own, talks, recipe, tmp_path):
    import distributed

    out, killed = tmp_path / "out", []
    out.mkdir()

    def kill_one(running):
        busy = [r.worker for r in running if r.step == Step.REPAIR]
        if busy and not killed:
            with distributed.Client(cluster, set_as_default=False) as client:
                pid = client.run(os.getpid, workers=[busy[0]])[busy[0]]
            killed.append(busy[0])
            os.kill(pid, signal.SIGKILL)

    inputs = [BatchInput(t) for t in talks]
    outcomes = list(run_batch(inputs, out, recipe, own, elsewhere=lambda w: on_cluster(w, out, own, cluster, kill_one)))
    assert killed and len(outcomes) == 3 and all(o.passes for o in outcomes), outcomes
    assert {load_episode(out / f"talk{k}.dubbin").recordings[0].path for k in range(3)} == {str(t) for t in talks}
    log = in_log(out)
    assert f"{killed[0]} is gone" in log and set(steps_in(log).values()) == {1} and len(steps_in(log)) == 3 * len(Step)
    assert not list(out.glob(f"{clusters.PROBE}*"))
    again = list(run_batch(inputs, out, recipe, own, elsewhere=lambda w: pytest.fail("done again")))
    assert all(o.again for o in again)


def test_where_the_folders_are_not_seen_files_go_along_and_masters_come_back(cluster, own, talks, recipe, tmp_path, monkeypatch):
    out = tmp_path / "out"
    out.mkdir()
    monkeypatch.setattr(clusters._Cluster, "_files_to_see", lambda self: [("/nowhere", 1)])
    (own.state).mkdir(parents=True)
    work = Work(BatchInput(talks[0]), "talk0", recipe)
    ((_, outcome),) = on_cluster([work], out, own, cluster)
    assert outcome.passes and outcome.file == str(talks[0]), outcome
    (master,) = outcome.masters
    assert Path(master["file"]).parent == out and sf.info(master["file"]).duration == pytest.approx(8.0, abs=0.2)
    assert load_episode(out / "talk0.dubbin").recordings[0].path == str(talks[0])
    assert "MB sent" in in_log(out) and not (out / ".dubbin-work").exists()
    assert sorted(p.name for p in out.iterdir()) == [LOG, "talk0.dubbin", "talk0.podcast-mono.mp3"]


def test_who_ends_a_batch_finds_what_was_finished(cluster, own, talks, recipe, tmp_path):
    out = tmp_path / "out"
    out.mkdir()
    work = Work(BatchInput(talks[0]), "talk0", recipe)

    class Enough(Exception):
        pass

    def stop(running):
        if "measure, " in in_log(out):
            raise Enough

    with pytest.raises(Enough):
        list(on_cluster([work], out, own, cluster, stop))
    found = set((out / ".dubbin-work" / "figures").iterdir())
    ((_, outcome),) = on_cluster([Work(BatchInput(talks[0]), "talk0", recipe)], out, own, cluster)
    assert outcome.passes and found and found <= set((out / ".dubbin-work" / "figures").iterdir())


def test_what_can_not_be_used_is_an_outcome_and_stops_nobody(cluster, own, talks, recipe, tmp_path):
    out = tmp_path / "out"
    out.mkdir()
    talks[1].write_bytes(b"not sound")
    works = [Work(BatchInput(t), t.stem, recipe) for t in (*talks[:2], tmp_path / "missing.wav")]
    outcomes = {work.name: outcome for work, outcome in on_cluster(works, out, own, cluster)}
    assert outcomes["talk0"].passes and outcomes["talk1"].error and outcomes["missing"].error.endswith(".")


def test_workers_of_another_version_get_no_work_and_somebody_is_told(cluster, own, talks, recipe, tmp_path, monkeypatch):
    out, said = tmp_path / "out", []
    out.mkdir()
    monkeypatch.setattr(crews, "program_name", lambda: "9.9")

    class Enough(Exception):
        pass

    def tell(running):
        if len(said) > 2:
            raise Enough

    with pytest.raises(Enough):
        list(on_cluster([Work(BatchInput(talks[0]), "talk0", recipe)], out, own, cluster, tell, said.append))
    assert sum("it runs Dubbin" in s for s in said) == 2 and "dubbin worker" in said[2]


def test_no_scheduler_is_a_sentence(tmp_path, monkeypatch, capsys, talks):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    monkeypatch.setattr(clusters, "CONNECT_S", 0.5)
    assert main(["batch", str(talks[0]), "-o", str(tmp_path / "out"), "--cluster", "tcp://127.0.0.1:9", "--quiet"]) == 1
    assert "No scheduler answers at tcp://127.0.0.1:9" in capsys.readouterr().err
    assert main(["batch", "x", "-o", "y", "--cluster", "tcp://127.0.0.1:9", "--workers", "2"]) == 2


def test_without_its_library_it_is_said_how_to_get_it(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    monkeypatch.setattr("dubbin.core.batch.worker.find_spec", lambda name: None)
    assert main(["worker", "tcp://127.0.0.1:9"]) == 1
    assert "dubbin[cluster]" in capsys.readouterr().err


# -- places, needs, standing -------------------------------------------------------------


def test_a_shared_folder_holds_the_work_and_ones_own_targets_go_along(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    work = Work(BatchInput(Path("a.wav")), "a")
    shared, sent = Place(tmp_path, "x"), Place(None, "x")
    assert shared.folders().tiles.is_relative_to(tmp_path) and shared.out(work) == tmp_path
    assert sent.folders().cache == tmp_path / "home" / "cache" and sent.out(work) == outbox("", "a")
    assert shared.folders().state != Place(tmp_path, "y").folders().state != tmp_path / "home" / "state"
    assert OWN_TABLE.endswith(".toml")


def test_a_worker_says_whether_it_sees_files_as_they_are(tmp_path):
    (tmp_path / "a.wav").write_bytes(b"123")

    fake = SimpleNamespace(state=SimpleNamespace(total_resources={}))
    seen = [look([(str(tmp_path / name), size)], fake) for name, size in (("a.wav", 3), ("a.wav", 4), ("b.wav", 3))]
    assert [s.sees_folders for s in seen] == [True, False, False] and not any(s.is_ours for s in seen)


def test_needs_are_declared_for_every_step_and_shares_are_a_whole():
    assert set(NEEDS) == set(Step) and sum(n.share for n in NEEDS.values()) == pytest.approx(1.0)
    assert all(0 < n.memory_mb <= 1500 and 1 <= n.threads <= 2 for n in NEEDS.values())


def test_the_page_shows_what_is_in_hand_and_the_pace_of_half_done_work():
    half = Running("talk<1>", Step.REPAIR, 0.5, "tcp://10.0.0.3:1")
    standing = Standing(
        (Outcome("a.wav", ({"pass": True, "file": "a.mp3", "target": "t", "format": "mp3", "problems": []},)),),
        3,
        running=(half,),
        elapsed_s=100.0,
    )
    done = sum(n.share for s, n in NEEDS.items() if s in (Step.TAKE_IN, Step.MEASURE)) + NEEDS[Step.REPAIR].share / 2
    assert standing.share == pytest.approx((1 + done) / 3) and standing.remaining_s == pytest.approx(100 * (2 - done) / (1 + done))
    page = page_of(standing)
    assert "talk&lt;1&gt;" in page and "In hand" in page and "50 %" in page
    assert "In hand" not in page_of(replace(standing, is_running=False)) and replace(standing, is_running=False).remaining_s is None
    assert Standing((), 2, elapsed_s=5.0).remaining_s is None
