"""A voice is measured by itself, however seldom it is heard among others that bleed into its microphone."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.measure.own_stretches import FEWEST, MOST, STRETCH_S, loud_level, own_stretches
from dubbin.core.measure.plosives import PlosiveMeter
from dubbin.core.measure.tone_balance import ToneBalanceMeter
from dubbin.core.measure.voice_level import find_voice_level
from dubbin.core.sound.source import Sound
from dubbin.core.treat.voice_fitting import fitted_to, probe_of
from dubbin.core.treat.voice_suggestion import suggest_voice
from tests.conftest import RATE, noise, rms_db

STEP_S = 0.05
FRAMES = round(STRETCH_S / STEP_S)


def levels(*stretches_db: float) -> np.ndarray:
    """Frames of stretches that go up and down by 6 dB below so many dB."""
    return np.concatenate([top - 3.0 + 3.0 * np.sin(np.arange(FRAMES)) for top in stretches_db])


def test_of_a_voice_that_is_heard_all_the_time_all_is_its_own():
    assert own_stretches(levels(*[-20.0, -26.0, -23.0] * 20), STEP_S).all()


@pytest.mark.parametrize(("own", "others"), [(3, 4), (3, 100), (MOST, 700)])
def test_what_bleeds_in_is_not_its_own_and_does_not_lower_what_is_loud(own, others):
    level = levels(*[-20.0] * own, *[-38.0] * others)
    assert own_stretches(level, STEP_S).tolist() == [True] * own * FRAMES + [False] * others * FRAMES
    assert loud_level(level, STEP_S) == pytest.approx(loud_level(level[: own * FRAMES], STEP_S), abs=1e-9)


def test_something_much_louder_that_ends_soon_does_not_take_its_place():
    for jingles, stretches in ((FEWEST - 1, 40), (MOST - 1, 700)):
        assert own_stretches(levels(*[-3.0] * jingles, *[-30.0] * stretches), STEP_S).all()
    knocks = levels(*[-30.0] * 200)
    knocks[::FRAMES] = 0.0
    assert loud_level(knocks, STEP_S) == pytest.approx(-30.0, abs=0.2), "a knock in every stretch is no stretch"


@given(st.integers(1, 3 * FRAMES), st.floats(-90, 0))
def test_what_is_short_or_even_is_all_its_own(count, level):
    assert own_stretches(np.full(count, level), STEP_S).tolist() == [True] * count


@pytest.fixture(scope="module")
def guest(speech) -> tuple[Sound, Sound]:
    """A voice alone, and in four turns of five seconds among five minutes of somebody else, 26 dB softer."""
    turns = (0.5 * speech / np.abs(speech).max())[: 20 * RATE]
    among = np.tile(0.05 * np.roll(turns, 7 * RATE), 15)
    for k in range(4):
        among[(75 * k + 30) * RATE :][: 5 * RATE] = turns[5 * k * RATE :][: 5 * RATE]
    alone, seldom = (Sound((x + noise(len(x) / RATE, -62, 1)[: len(x)])[None].astype(np.float32), RATE) for x in (turns, among))
    return alone, seldom


def test_a_guest_who_says_little_is_measured_as_if_alone(guest):
    alone, among = guest

    def measured(sound: Sound) -> tuple[float, float, int]:
        meters = NoiseMeter(RATE, 1), ToneBalanceMeter(RATE, 1), PlosiveMeter(RATE)
        for meter in meters:
            meter.push(sound.samples)
        floor, tone, plosives = (meter.result() for meter in meters)
        return floor.snr_db, tone.sibilance_db, plosives.count

    (snr, sibilance, plosives), expected = measured(among), measured(alone)
    assert (snr, sibilance) == (pytest.approx(expected[0], abs=1.0), pytest.approx(expected[1], abs=1.0)) and plosives == expected[2]
    level = find_voice_level(among).level_db
    assert level.min() > np.median(find_voice_level(alone).level_db) - 8.0, "nowhere is the level of the others taken for that of the voice"


def test_a_guest_who_says_little_is_compressed_as_if_alone(guest):
    """Not as it would fit the others, far softer, whose voices are most of what is heard."""

    def fitted(sound: Sound) -> dict[str, float]:
        report = measure_recording(sound)
        return fitted_to(sound, report, suggest_voice(report, None))["compress"]

    alone, among = (fitted(sound) for sound in guest)
    assert [among[name] for name in ("threshold_db", "makeup_db")] == pytest.approx(
        [alone[name] for name in ("threshold_db", "makeup_db")], abs=2.2
    )
    assert among["sibilants_db"] == pytest.approx(alone["sibilants_db"], abs=5.0)
    assert rms_db(probe_of(guest[1]).samples) > rms_db(guest[0].samples) - 6.0, "it is tried on the guest's own turns"
