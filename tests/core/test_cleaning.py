"""Repairs of one recording: how strong each may be, and the echo that shows only behind the noise."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from dubbin.core.treat import cleaning
from dubbin.core.treat.chain import Stage, Use
from dubbin.core.treat.cleaning import cleaned
from dubbin.core.treat.guard import AUDIBLE_DB, Guard
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import MemoryTileCache
from tests.conftest import RATE, noise

FRAMES = 3 * RATE


@pytest.fixture(scope="module")
def recording():
    """Three seconds of hiss over a rumble, and its report."""
    rumble = 0.2 * np.sin(2 * np.pi * 30 * np.arange(FRAMES) / RATE)
    sound = Sound((rumble + noise(3, -50, 1))[None].astype(np.float32), RATE)
    return sound, measure_recording(sound)


@pytest.fixture
def voice_is_lost(monkeypatch):
    """Every treatment takes as much of the voice along as is just not heard at 40 %."""
    guard = Guard(AUDIBLE_DB - 20.0 * np.log10(0.4))
    monkeypatch.setattr(Stage, "guard", lambda self, task=None: guard)


def use(name: str, strength: float) -> Use:
    return Use(TREATMENTS[name], TREATMENTS[name].settings_type(), strength)


def done(recording, uses, **more):
    sound, report = recording
    return cleaned(sound, "one", MemoryTileCache(), uses, report, **more)


def test_only_a_strength_that_somebody_gave_goes_beyond_what_the_voice_allows(recording, voice_is_lost):
    uses = [use("dehum", 0.9), use("derumble", 0.9), use("dereverb", 0.2)]
    found = done(recording, uses, chosen={"derumble"})
    assert [u.strength for u in found.uses] == pytest.approx([0.4, 0.9, 0.2])
    assert [u.treatment.name for u in found.uses] == ["dehum", "derumble", "dereverb"] and len(found.guards) == 3


def test_what_comes_out_is_the_recording_less_that_much_of_what_is_removed(recording, voice_is_lost):
    sound, _ = recording
    whole = done(recording, [use("derumble", 1.0)], chosen={"derumble"}).chain.read(0, FRAMES)
    held = done(recording, [use("derumble", 1.0)]).chain.read(0, FRAMES)
    assert np.allclose(held, sound.samples - 0.4 * (sound.samples - whole), atol=1e-5)
    assert np.std(whole) < 0.1 * np.std(sound.samples)


def test_nothing_asked_for_is_the_recording_to_the_bit(recording):
    found = done(recording, [])
    assert found.uses == () and np.array_equal(found.chain.read(0, FRAMES), recording[0].samples)


def test_an_echo_behind_the_noise_is_treated_as_whoever_asks_says(recording, voice_is_lost, monkeypatch):
    asked = []

    def found(chain, report, task):
        asked.append([stage.treatment.name for stage in chain.stages])
        return use("dereverb", 0.7)

    monkeypatch.setattr(cleaning, "hidden_echo", found)
    said = done(recording, [use("derumble", 1.0)], hidden=lambda echo: use(echo.treatment.name, 0.3))
    assert asked == [["derumble"]] and [(u.treatment.name, u.strength) for u in said.uses] == [
        ("derumble", pytest.approx(0.4)),
        ("dereverb", 0.3),
    ]
    assert len(said.chain.stages) == 2
    done(recording, [use("derumble", 1.0)])
    assert len(asked) == 1, "not looked for where nobody asks"
