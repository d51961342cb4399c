"""Playing what can't be read to its end."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

import numpy as np
import pytest

from dubbin.core.episode.document import new_episode
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import UnusableSound
from dubbin.core.sound.peaks import peaks_of
from dubbin.core.sound.source import Samples, Sound
from dubbin.window.lanes.wave_image import _columns
from dubbin.window.player import player as player_module
from dubbin.window.player.player import Player
from dubbin.window.player.sinks import SimulatedSink
from tests.conftest import RATE, noise


@dataclass
class Breaking:
    """Two seconds, of which the second one can't be read any more."""

    error: Exception
    rate: int = RATE
    channels: int = 2
    frames: int = 2 * RATE
    reads: int = 0

    @property
    def map(self) -> TimeMap:
        return program_map(new_episode())

    def read(self, start: int, stop: int) -> Samples:
        self.reads += 1
        if stop > self.frames // 2:
            raise self.error
        return np.zeros((2, stop - start), np.float32)


@pytest.mark.parametrize("loop", [False, True])
@pytest.mark.parametrize(
    "error,said", [(UnusableSound("a.wav has been changed."), "a.wav has been changed."), (ValueError("x"), "the log tells more")]
)
def test_what_can_not_be_read_on_ends_playing_and_is_said_once(qtbot, loop, error, said):
    player, program = Player(RATE, SimulatedSink(RATE)), Breaking(error)
    told: list[str] = []
    player.failed.connect(told.append)
    player.play(program, 0, loop=loop)
    qtbot.waitUntil(lambda: not player.is_playing)
    reads = program.reads
    qtbot.wait(100)
    assert len(told) == 1 and said in told[0] and program.reads == reads  # and nobody tries on and on
    player.play(Breaking(error), 0, stop=RATE // 2)
    qtbot.waitUntil(lambda: not player.is_playing)
    assert len(told) == 1
    player.close()


class LostSink(SimulatedSink):
    """A device that is unplugged after half a second; gone: whether that is told, or it takes no time any more."""

    def __init__(self, rate: int, gone: bool) -> None:
        super().__init__(rate)
        self._tells = gone

    def played(self) -> int:
        return min(super().played(), RATE // 2)

    def is_gone(self) -> bool:
        return self._tells and super().played() > RATE // 2


@pytest.mark.parametrize("tells", [True, False])
def test_a_device_that_has_gone_ends_playing_with_a_sentence_and_the_next_one_plays_on(qtbot, monkeypatch, tells):
    monkeypatch.setattr(player_module, "STALLED_S", 0.5)
    player, told = Player(RATE, LostSink(RATE, tells)), list[str]()
    player.failed.connect(told.append)
    player.device_lost.connect(lambda: player.set_sink(SimulatedSink(RATE)))
    whole = Breaking(ValueError(), frames=8 * RATE)
    player.play(whole, 0, stop=3 * RATE)
    qtbot.waitUntil(lambda: not player.is_playing, timeout=4000)
    assert len(told) == 1 and "does not play any more" in told[0] and type(player.sink) is SimulatedSink
    heads: list[int] = []
    player.head_moved.connect(heads.append)
    player.play(whole, 0, stop=RATE)
    qtbot.waitUntil(lambda: not player.is_playing, timeout=4000)
    assert len(told) == 1 and len(heads) > 10
    player.close()


def test_a_program_that_is_slow_to_come_is_no_lost_device(qtbot, monkeypatch):
    monkeypatch.setattr(player_module, "STALLED_S", 0.2)

    class Slow(Breaking):
        def read(self, start: int, stop: int) -> Samples:
            time.sleep(0.3)
            return super().read(start, stop)

    player, told = Player(RATE, SimulatedSink(RATE)), list[str]()
    player.failed.connect(told.append)
    player.play(Slow(ValueError(), frames=8 * RATE), 0, stop=RATE // 4)
    qtbot.waitUntil(lambda: not player.is_playing, timeout=10_000)
    assert not told
    player.close()


def test_another_speed_and_a_changed_program_count_also_before_the_first_sound_has_come(qtbot):
    """As where somebody presses twice in a row on a machine that is busy."""

    @dataclass
    class Told(Breaking):
        cut: bool = False

        @property
        def map(self) -> TimeMap:
            return TimeMap([(0, RATE), (2 * RATE, 4 * RATE)] if self.cut else [(0, 4 * RATE)])

        def read(self, start: int, stop: int) -> Samples:
            may_come.wait(10)
            return np.full((2, stop - start), 0.25 if self.cut else 0.5, np.float32)

    may_come = threading.Event()
    player, whole, cut = (
        Player(RATE, SimulatedSink(RATE)),
        Told(ValueError(), frames=4 * RATE),
        Told(ValueError(), frames=3 * RATE, cut=True),
    )
    heads: list[int] = []
    player.head_moved.connect(heads.append)
    player.play(whole, 5 * RATE // 2)
    player.set_speed(2.0)
    player.swap(cut)
    player.set_speed(3.0)
    assert player.speed == 3.0
    may_come.set()
    qtbot.waitUntil(lambda: not player.is_playing, timeout=10_000)
    assert heads[0] >= 5 * RATE // 2 and len(player.sink.heard()[0]) == pytest.approx(RATE / 2, abs=RATE / 20), (
        "a second and a half, three times as fast"
    )
    assert player.sink.heard()[0, RATE // 8 :].max() < 0.3, "of the changed program"
    player.close()


def test_a_wave_whose_file_was_changed_is_painted_from_what_was_known():
    sound = Sound(noise(1, -12)[None], RATE)
    columns = _columns(peaks_of(sound), Breaking(UnusableSound("changed"), channels=1, frames=RATE), 12_800.0, 128.0, 200)
    assert columns.shape == (200, 2) and columns[:, 1].max() == pytest.approx(float(sound.samples[0, 12_800:38_400].max()))
