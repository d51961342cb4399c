"""Long recordings are treated one at a time; who waits is let go when nobody wants the work any more, and short ones wait for nobody."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from dubbin.core.errors import Cancelled
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import long_recordings
from dubbin.core.sound.long_recordings import OneAtATime
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Stage, Use
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import noise
from tests.core.at_once import AtOnce

RATE = 8000
SHORT, LONG = (Sound(np.zeros((1, round(s * RATE)), np.float32), RATE) for s in (0.5, 2.0))


@pytest.fixture(autouse=True)
def long(monkeypatch):
    """From a second on a recording is long."""
    monkeypatch.setattr(long_recordings, "LONG_S", 1.0)


def test_one_long_recording_at_a_time_and_any_number_of_short_ones():
    door, inside = OneAtATime(), AtOnce()

    def go(source):
        with door.through(source, Task()), inside:
            pass

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(go, [LONG] * 4))
    assert inside.most == 1
    begin = threading.Barrier(4)

    def together(source):
        with door.through(source, Task()):
            begin.wait(10)  # all four are inside

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(together, [SHORT, SHORT, SHORT, LONG]))


def test_who_waits_is_let_go_when_the_work_is_not_wanted_any_more():
    door, task = OneAtATime(), Task()
    with door.through(LONG, Task()), ThreadPoolExecutor(1) as pool:
        waiting = pool.submit(lambda: door.through(LONG, task).__enter__())
        task.cancel()
        with pytest.raises(Cancelled):
            waiting.result(10)
    with door.through(LONG, task):
        pass  # the door is open


def test_who_fails_inside_leaves_the_door_open():
    door = OneAtATime()
    with pytest.raises(ValueError), door.through(LONG, Task()):
        raise ValueError
    with door.through(LONG, Task()):
        pass


def test_those_who_wait_leave_their_seats_to_whoever_computes():
    """As many wait as there are seats, while the one inside has work for all of them."""
    door, done = OneAtATime(), []

    def work(k):
        with door.through(LONG, Task()):
            in_parallel(lambda part: done.append((k, part)), range(3), Task())

    in_parallel(work, range(6), Task())
    assert sorted(done) == [(k, part) for k in range(6) for part in range(3)]


def chain(folder, seed: int) -> Chain:
    x = noise(2.0, -40, seed, rate=RATE)[None]
    use = Use(TREATMENTS["derumble"], TREATMENTS["derumble"].settings_type())
    return Chain(Sound(x, RATE), [use], f"recording {seed}", DiskTileCache(folder))


def test_repairs_of_long_recordings_wait_for_one_another_and_give_the_same(tmp_path, monkeypatch):
    inside, real = AtOnce(), Stage.fill

    def watched(self, task):
        with inside:
            real(self, task)

    monkeypatch.setattr(Stage, "fill", watched)
    chains = [chain(tmp_path / "long", seed) for seed in range(3)]
    with ThreadPoolExecutor(3) as pool:
        list(pool.map(lambda c: c.prepare(Task()), chains))
    assert inside.most == 1
    alone = chain(tmp_path / "alone", 0)
    alone.prepare(Task())
    assert np.array_equal(alone.read(0, alone.frames), chains[0].read(0, alone.frames))


def test_what_is_there_already_waits_for_nobody(tmp_path, monkeypatch):
    known = chain(tmp_path, 1)
    known.prepare(Task())
    seen = []
    begun, end = threading.Event(), threading.Event()
    real = Stage.fill

    def slow(self, task):
        begun.set()
        end.wait(10)
        real(self, task)

    monkeypatch.setattr(Stage, "fill", slow)
    with ThreadPoolExecutor(1) as pool:
        other = pool.submit(lambda: chain(tmp_path, 2).prepare(Task()))
        begun.wait(10)
        chain(tmp_path, 1).prepare(Task(), then=lambda stage: seen.append(stage.treatment.name))
        assert seen == ["derumble"] and not other.done()
        end.set()
        other.result(10)
