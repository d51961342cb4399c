"""Programs that are killed while they write: what was there is whole, what was not is not, and the next one clears away what they left.

`DUBBIN_SOAK=N` kills N times as many.
"""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.file import load_episode
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.sound import writing
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import is_left_over, owner_mark, replacing, scratch_folder, shortened
from dubbin.core.treat.tiles import DiskTiles
from tests.conftest import SEED, SOAK
from tests.core import writing_victim

KILLS = 2 * SOAK
KINDS = ("save", "sound", "masters", "tiles", "figures", "copies")


def killed(kind: str, folder: Path, delay_s: float) -> None:
    """Have a program of that kind work for a while, and kill it."""
    with subprocess.Popen(
        [sys.executable, "-m", "tests.core.writing_victim", kind, str(folder)], stdout=subprocess.PIPE, text=True
    ) as victim:
        assert victim.stdout is not None and victim.stdout.readline() == "ready\n"
        time.sleep(delay_s)
        victim.kill()
        victim.wait()


def whole(kind: str, folder: Path) -> None:
    """Everything that has its name is what it should be."""
    if (folder / "e.dubbin").exists():
        assert len(load_episode(folder / "e.dubbin").lanes) == 3
    if (folder / "s.flac").exists():
        assert sf.info(folder / "s.flac").frames == 5 * writing_victim.RATE
        sf.read(folder / "s.flac")
    for master in (*folder.glob("*.wav"), *folder.glob("*.mp3")):
        assert sf.info(master).duration >= 4.99 and len(sf.read(master)[0])
    if (folder / "stage").exists():
        tiles = DiskTiles(folder / "stage")
        for index in range(5):
            if tiles.has(index):
                x = tiles.get(index, 0, writing_victim.RATE)
                assert x is not None and x.shape[1] == writing_victim.RATE and np.isfinite(x).all()
    for k in range(3):
        known = KeptResults(folder / "figures").recall("kind", k, dict)
        assert known is None or (len(set(known["a"])) == 1 and len(known["a"]) == 20_000)
    if (folder / "in.flac").exists():
        copy = WorkingCopies(folder / "recordings").obtain(folder / "in.flac", 44100)
        assert copy.read(0, copy.frames).shape == (1, 5 * 44100)


def left_in(folder: Path) -> list[str]:
    return [str(p.relative_to(folder)) for p in folder.rglob("*") if ".part" in p.name or p.name.startswith(writing.SCRATCH)]


@pytest.mark.parametrize("kind", KINDS)
def test_what_a_kill_leaves_is_whole_and_the_rest_is_cleared_away(tmp_path, kind):
    rng = random.Random(f"{kind}{SEED}")
    for _ in range(KILLS):
        killed(kind, tmp_path, rng.uniform(0.0, 1.0))
        whole(kind, tmp_path)
    rounds = {"save": 1, "sound": 1, "masters": 1, "tiles": 5, "figures": 3, "copies": 1}[kind]
    count = iter(range(rounds))

    class Enough(Exception):
        pass

    def once(*_, **__) -> None:
        if next(count, None) is None:
            raise Enough

    # The same work once more, to its end, in this process.
    with pytest.raises(Enough):
        _some_rounds(kind, tmp_path, once)
    whole(kind, tmp_path)
    kept = [name for name in left_in(tmp_path) if "recordings" not in name]
    assert kept == [], kept


def _some_rounds(kind: str, folder: Path, tick) -> None:
    """The victim's work, counted."""
    written = {
        "save": "save_episode",
        "sound": "write_sound",
        "masters": "make_masters",
        "tiles": "DiskTiles",
        "figures": "KeptResults",
        "copies": "write_sound",
    }[kind]
    real = getattr(writing_victim, written)

    def counted(*args, **kwargs):
        tick()
        return real(*args, **kwargs)

    setattr(writing_victim, written, counted)
    try:
        writing_victim.main(kind, folder)
    finally:
        setattr(writing_victim, written, real)


# -- temporary names ---------------------------------------------------------------------


def dead_pid() -> int:
    done = subprocess.Popen([sys.executable, "-c", ""])
    done.wait()
    return done.pid


def test_only_what_dead_programs_of_this_machine_left_is_cleared_away(tmp_path):
    machine, pid = owner_mark().split("-")[0], dead_pid()
    names = {
        f".a.json.{machine}-{pid}-1.part.json": False, f".a.json.{owner_mark()}.part.json": True, f".a.json.ffffff-{pid}-1.part.json": True,
        f".b.json.{machine}-{pid}-1.part.json": True, ".a.json.part.json": True, f".a.json.{machine}-1-1.part.json": True, "a.json.bak": True,
    }  # fmt: skip
    for name in names:
        (tmp_path / name).write_text("x")
    with replacing(tmp_path / "a.json") as draft:
        draft.write_text(json.dumps({}))
    del names[f".a.json.{owner_mark()}.part.json"]  # the very name that was used
    assert {name: (tmp_path / name).exists() for name in names} == names


def test_a_scratch_folder_is_gone_afterwards_and_takes_those_of_the_dead_along(tmp_path):
    machine = owner_mark().split("-")[0]
    old, other = tmp_path / f".dubbin-abc123.{machine}-{dead_pid()}-1", tmp_path / f".dubbin-abc123.{machine}-{os.getpid()}-1"
    for folder in (old, other):
        (folder / "deep").mkdir(parents=True)
        (folder / "deep" / "file").write_text("x")
    with pytest.raises(ZeroDivisionError), scratch_folder(tmp_path) as here:
        (here / "x").write_text("x")
        assert not old.exists() and other.exists()
        raise ZeroDivisionError
    assert [p.name for p in tmp_path.iterdir()] == [other.name]


@pytest.mark.parametrize("name", ["", "x", ".a.part", "a.zzzzzz-1-1", "a.abcdef-99999999999999999999-1", "a.abcdef--1-1"])
def test_names_that_nobody_gave_are_nobodys(name):
    assert not is_left_over(name)


@pytest.mark.parametrize(
    "name", ["ü" * 120 + ".dubbin", "船" * 82 + ".dubbin", "🛥" * 62 + ".json", "x" * 251 + ".wav", os.fsdecode(b"\xe4" * 240) + ".wav"]
)
def test_the_longest_name_that_a_disk_takes_can_be_written(tmp_path, name):
    with replacing(tmp_path / name) as draft:
        draft.write_text("x")
    assert (tmp_path / name).read_text() == "x" and len(list(tmp_path.iterdir())) == 1


@given(st.text(st.characters(codec="utf-8"), max_size=120), st.integers(0, 90))
def test_a_name_is_cut_by_whole_letters(name, most):
    short = shortened(name, most)
    assert len(short.encode()) <= most and name.startswith(short)
    assert short == name or len((short + name[len(short)]).encode()) > most


def test_names_with_signs_of_patterns_are_names(tmp_path):
    for name in ("a[1].json", "b*.json", "c?.json"):
        with replacing(tmp_path / name) as draft:
            draft.write_text(name)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a[1].json", "b*.json", "c?.json"]
