"""The voice guard hears what goes; treatments stay where they are told to; touch-ups take one sound."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.guard import AUDIBLE_DB, Guard, measure_guard
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.touch_up import Spot, TouchUpSettings
from tests.conftest import RATE, noise, rms_db


@pytest.fixture(scope="module")
def voice(speech):
    return (speech + noise(20, -60, 9)[: len(speech)]).astype(np.float32)


@pytest.mark.parametrize("share", [0.02, 0.1, 0.5])
def test_the_guard_reads_the_share_of_the_voice_that_went(voice, share):
    found = measure_guard(Sound(voice[None], RATE), Sound((voice * (1 - share)).astype(np.float32)[None], RATE))
    assert found.speech_db == pytest.approx(20 * np.log10(share), abs=1.0)
    assert found.is_audible(1.0) == (share > 0.2)


def test_noise_that_goes_is_no_voice(voice):
    hiss = noise(20, -45, 4)[: len(voice)]
    found = measure_guard(Sound((voice + hiss)[None], RATE), Sound(voice[None], RATE))
    assert found.speech_db < AUDIBLE_DB - 6


def test_the_highest_strength_is_the_one_just_below_what_is_heard():
    guard = Guard(AUDIBLE_DB + 6.0)
    assert guard.highest_strength == pytest.approx(0.5, abs=0.01)
    assert not guard.is_audible(guard.highest_strength - 0.01) and guard.is_audible(guard.highest_strength + 0.01)
    assert Guard(None).highest_strength == 1.0 and Guard(None).at(1.0) is None and guard.at(0.0) is None


def test_a_voice_behind_a_wall_is_warned_of(voice):
    dull = signal.sosfiltfilt(signal.butter(4, 900, fs=RATE, output="sos"), voice).astype(np.float32)
    assert measure_guard(Sound(voice[None], RATE), Sound(dull[None], RATE)).is_audible(1.0)


def test_a_treatment_on_stretches_leaves_the_rest_bit_identical(voice):
    sound = Sound((voice + noise(20, -40, 4)[: len(voice)])[None], RATE)
    settings = DenoiseSettings(engine=Engine.STATISTICAL)
    spans = ((2 * RATE, 4 * RATE), (9 * RATE, 10 * RATE))
    x = sound.samples
    y = Chain(sound, [Use(TREATMENTS["denoise"], settings, spans=spans)]).read(0, sound.frames)
    whole = Chain(sound, [Use(TREATMENTS["denoise"], settings)]).read(0, sound.frames)
    outside = np.ones(sound.frames, bool)
    for a, b in spans:
        outside[a:b] = False
        np.testing.assert_allclose(y[:, a + 600 : b - 600], whole[:, a + 600 : b - 600], atol=1e-6)
    np.testing.assert_array_equal(y[:, outside], x[:, outside])


class TestTouchUps:
    """A phone that rings at 2.1 kHz for half a second."""

    @pytest.fixture
    def ringing(self, voice):
        n = np.arange(RATE // 2)
        x = voice.copy()
        x[4 * RATE :][: len(n)] += (0.05 * np.sin(2 * np.pi * 2100 * n / RATE) * np.hanning(len(n))).astype(np.float32)
        return x

    @pytest.mark.parametrize("depth_db", [None, 30.0])
    def test_it_goes_and_the_rest_stays(self, voice, ringing, depth_db):
        spot = Spot(3.95, 4.55, 1900.0, 2300.0, depth_db)
        sound = Sound(ringing[None], RATE)
        y = Chain(sound, [Use(TREATMENTS["touch-up"], TouchUpSettings((spot,)))]).read(0, sound.frames)[0]
        inside = slice(round(4.1 * RATE), round(4.4 * RATE))
        narrow = signal.butter(2, (2000, 2200), "band", fs=RATE, output="sos")
        left, was = (rms_db(signal.sosfiltfilt(narrow, e)[inside]) for e in (y - voice * (depth_db is None), ringing))
        assert left < was - 12
        np.testing.assert_allclose(y[: round(3.9 * RATE)], ringing[: round(3.9 * RATE)], atol=1e-6)
        np.testing.assert_allclose(y[round(4.65 * RATE) :], ringing[round(4.65 * RATE) :], atol=1e-6)

    def test_no_spots_change_nothing(self, ringing):
        sound = Sound(ringing[None], RATE)
        y = Chain(sound, [Use(TREATMENTS["touch-up"], TouchUpSettings())]).read(0, sound.frames)
        np.testing.assert_array_equal(y, sound.samples)
