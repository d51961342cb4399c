"""Which sound device plays, and at which rate."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.window.player import device as device_module
from dubbin.window.player.device import Device
from dubbin.window.player.player import Player
from dubbin.window.player.sinks import SimulatedSink
from dubbin.window.session.preferences import Preferences
from tests.conftest import RATE
from tests.window.test_player import Breaking


@pytest.fixture
def chosen(monkeypatch, tmp_path):
    """A player, what looks after its device, and (rate, device) of every sink that was asked for since."""
    asked: list[tuple[int, str]] = []

    def best(rate: int, id: str = "") -> SimulatedSink:
        asked.append((rate, id))
        return SimulatedSink(rate)

    monkeypatch.setattr(device_module, "best_sink", best)
    preferences = Preferences(tmp_path)
    preferences.set("sound_device", "desk")
    player = Player(RATE, SimulatedSink(RATE))
    yield player, Device(player, preferences), asked
    player.close()


def test_an_episode_of_another_rate_is_played_and_metered_at_its_own(chosen, qtbot):
    player, device, asked = chosen
    before = player.sink
    device.follow(RATE)
    assert player.sink is before and not asked, "what plays as it should is left alone"
    device.follow(RATE // 2)
    assert asked == [(RATE // 2, "desk")] and player.rate == RATE // 2
    readings = []
    player.metered.connect(readings.append)
    tone = np.sin(2 * np.pi * 997 * np.arange(RATE) / (RATE // 2)).astype(np.float32) * 10 ** (-23 / 20)

    class Tone(Breaking):
        def read(self, start: int, stop: int) -> np.ndarray:
            return np.stack([tone[start:stop]] * 2)

    player.play(Tone(ValueError(), rate=RATE // 2, frames=RATE), 0)
    qtbot.waitUntil(lambda: not player.is_playing, timeout=5000)
    assert readings[-1].momentary_lufs == pytest.approx(-23.0, abs=0.1)


def test_a_device_that_has_gone_gives_way_to_the_one_that_is_wanted(chosen):
    player, device, asked = chosen
    device.choose("hall")
    player.device_lost.emit()
    assert asked == [(RATE, "hall"), (RATE, "desk")]


def test_the_tone_takes_the_place_of_what_plays(chosen, monkeypatch):
    player, device, _ = chosen
    monkeypatch.setattr(device_module, "device_names", lambda: [("desk", "Desk")])
    assert device.play_tone() == "" and np.abs(player.sink.heard()).max() > 0.05
    monkeypatch.setattr(device_module, "device_names", list)
    assert "No sound device" in device.play_tone()
