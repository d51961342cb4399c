"""Sound that is written once to be looked through often."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from dubbin.core.errors import Cancelled
from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.mix.lane_results import measure_repaired
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.sound.rendered import TILE_S, TILES_AT_ONCE, rendered
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, noise, tone

LOW = 1000  # Hz: long sounds of few samples


class Counting:
    """A source that counts how often each frame is read, and by which threads."""

    def __init__(self, sound: Sound) -> None:
        self.rate, self.channels, self.frames = sound.rate, sound.channels, sound.frames
        self.times = np.zeros(sound.frames, int)
        self.threads: set[int] = set()
        self._sound, self._lock = sound, threading.Lock()

    def read(self, start, stop):
        with self._lock:
            self.times[start:stop] += 1
            self.threads.add(threading.get_ident())
        return self._sound.read(start, stop)


@pytest.mark.parametrize("frames", [0, 1, TILE_S * LOW, TILE_S * TILES_AT_ONCE * LOW + 1, 100_003])
@pytest.mark.parametrize("channels", [1, 2])
def test_it_is_the_same_sound_and_the_costly_one_is_read_once(tmp_path, frames, channels):
    sound = Sound(np.random.default_rng(frames).standard_normal((channels, frames)).astype(np.float32), LOW)
    costly = Counting(sound)
    with rendered(costly, tmp_path) as held:
        assert (held.rate, held.channels, held.frames) == (LOW, channels, frames)
        for start, stop in ((0, frames), (frames // 3, frames // 2), (max(frames - 5, 0), frames)):
            np.testing.assert_array_equal(held.read(start, stop), sound.read(start, stop))
    assert (costly.times == 1).all()


def test_its_file_has_no_name_so_that_nothing_is_left_when_the_program_is_killed(tmp_path):
    with rendered(Sound(np.ones((1, 5000), np.float32), LOW), tmp_path / "new") as held:
        assert held.read(4990, 5000).sum() == 10 and not list((tmp_path / "new").iterdir())


def test_where_nothing_can_be_written_the_sound_itself_is_read(tmp_path):
    (tmp_path / "file").write_text("no folder")
    costly = Counting(Sound(np.ones((1, 5000), np.float32), LOW))
    with rendered(costly, tmp_path / "file") as held:
        assert held is costly


def test_it_can_be_cancelled_while_it_is_written(tmp_path):
    task = Task()
    task.cancel()
    with pytest.raises(Cancelled), rendered(Sound(np.ones((1, 50_000), np.float32), LOW), tmp_path, task):
        raise AssertionError("went on")


@pytest.fixture(scope="module")
def repaired(speech, tmp_path_factory):
    """A lane of which one stage keeps what it removes and the other what is left, at strengths that blend all of it."""
    x = speech[: 8 * RATE] + tone(50, 8, -40).samples[0] + noise(8, -50)
    x[RATE :: 2 * RATE] += 0.6
    sound = Sound(np.clip(x, -0.5, 0.5).astype(np.float32)[None], RATE)
    uses = [Use(TREATMENTS[n], TREATMENTS[n].settings_type(), s) for n, s in (("dehum", 1.0), ("declick", 0.8), ("derumble", 0.6))]
    chain = Chain(sound, uses, "key", DiskTileCache(tmp_path_factory.mktemp("tiles")))
    chain.prepare(Task())
    return sound, chain


def test_figures_of_a_repaired_lane_are_the_same_with_and_without_a_file(repaired, tmp_path):
    sound, chain = repaired
    lane = LaneSound(None, sound, chain, chain)  # type: ignore[arg-type]
    before, key = measure_recording(sound), recorded_key("abc", RATE, 1)
    through_a_file = measure_repaired(lane, key, before, KeptResults(tmp_path), Task())
    assert through_a_file == measure_repaired(lane, key, before, None, Task())
    assert before.clicks.count > through_a_file.clicks.count
    assert KeptResults(tmp_path).recall("repaired", key.repaired, type(before)) == through_a_file


def test_what_comes_before_is_read_once_however_many_stages_keep_what_they_remove(speech, tmp_path):
    costly = Counting(Sound(speech[: 6 * RATE][None].astype(np.float32), RATE))
    uses = [Use(TREATMENTS[n], TREATMENTS[n].settings_type(), 0.7) for n in ("dehum", "declick", "derumble")]
    chain = Chain(costly, uses, "key", DiskTileCache(tmp_path))
    chain.prepare(Task())
    costly.times[:] = 0
    chain.read(0, costly.frames)
    assert (costly.times == 1).all()
