"""Hum and rumble are not taken for noise: what a denoiser is asked for is what is left beside them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.measure.finding import Finding
from dubbin.core.measure.hiss import FEWEST, find_hiss
from dubbin.core.measure.hum import find_hum, synthesise_hum
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.noise import FRAME_S, NoiseMeter, quiet_frames
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.steady_sound import SteadySound
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, at_length, noise, rms_db

NOTHING = SteadySound(None, None)


@pytest.fixture(scope="module")
def voice(speech) -> np.ndarray:
    """A voice in silence, (frames,)."""
    return (0.2 * speech / np.abs(speech).max()).astype(np.float32)


@pytest.fixture(scope="module")
def noisy(voice) -> tuple[np.ndarray, Finding]:
    """The voice in noise, and what is told of that."""
    x = voice + noise(20, -62, 1)[: len(voice)]
    return x, found(report(x), "noise")


def hummed(count: int, mains_hz: float, level_dbfs: float) -> np.ndarray:
    t = np.arange(count) / RATE
    x = sum(np.sin(2 * np.pi * mains_hz * k * t + k) / k for k in range(1, 8))
    return 10 ** ((level_dbfs - rms_db(x)) / 20) * x


def rumbling(count: int, level_dbfs: float) -> np.ndarray:
    """Noise below 60 Hz and nothing above."""
    X = np.fft.rfft(noise(count / RATE + 1, 0.0, 4)[:count])
    X[np.fft.rfftfreq(count, 1 / RATE) > 60.0] = 0.0
    x = np.fft.irfft(X, count)
    return 10 ** ((level_dbfs - rms_db(x)) / 20) * x


def report(x: np.ndarray) -> RecordingReport:
    return measure_recording(Sound(np.atleast_2d(x).astype(np.float32), RATE))


def found(measured: RecordingReport, kind: str):
    return next((f for f in measured.findings if f.kind == kind), None)


@pytest.mark.parametrize(("mains_hz", "level"), [(50.03, -60.0), (59.95, -32.0), *at_length((50.03, -32.0), (59.95, -60.0))])
class TestHum:
    def test_a_clean_voice_that_hums_asks_for_no_denoiser(self, voice, mains_hz, level):
        measured = report(voice + noise(20, -84, 1)[: len(voice)] + hummed(len(voice), mains_hz, level))
        assert found(measured, "hum") is not None and found(measured, "noise") is None
        assert measured.noise.floor_dbfs == pytest.approx(level, abs=2.5), "the floor is that of all that is heard"
        assert measured.noise.hiss_dbfs == pytest.approx(-84, abs=3.0)

    def test_beside_a_hum_noise_is_told_as_it_is_without(self, noisy, mains_hz, level):
        x, plain = noisy
        measured = report(x + hummed(len(x), mains_hz, level))
        assert measured.noise.hiss_dbfs == pytest.approx(-62, abs=1.0)
        beside = found(measured, "noise")
        assert beside.severity is plain.severity and beside.strength == pytest.approx(plain.strength, abs=5)
        assert "beside hum, tones and rumble" in beside.text and "beside" not in plain.text


@pytest.mark.parametrize("level", [-50.0, -38.0])
def test_a_clean_voice_over_rumble_asks_for_no_denoiser(voice, level):
    measured = report(voice + noise(20, -82, 1)[: len(voice)] + rumbling(len(voice), level))
    assert found(measured, "rumble") is not None and found(measured, "noise") is None
    assert measured.noise.hiss_dbfs == pytest.approx(-82, abs=2.0)


def test_the_louder_channel_tells(voice):
    hum = hummed(len(voice), 50.0, -45.0)
    both = np.stack([voice + noise(20, -80, 1)[: len(voice)] + hum, voice + noise(20, -58, 2)[: len(voice)] + hum])
    found = report(both).noise.hiss_dbfs
    assert found == pytest.approx(-58, abs=1.0)
    assert report(both[::-1]).noise.hiss_dbfs == pytest.approx(found, abs=0.01)


def test_softer_by_six_decibels_it_reads_six_less(voice):
    x = voice + noise(20, -58, 1)[: len(voice)] + hummed(len(voice), 50.0, -40.0)
    assert report(0.5 * x).noise.hiss_dbfs == pytest.approx(report(x).noise.hiss_dbfs - 6.02, abs=0.2)


def test_too_little_quiet_tells_nothing():
    x = noise(3, -50)
    quiet = np.zeros(round(3 / FRAME_S), bool)
    quiet[: 2 * FEWEST : 2] = True  # never two frames in a row
    assert find_hiss(Sound(x[None], RATE), quiet, NOTHING) is None
    assert find_hiss(Sound(x[None], RATE), np.zeros(0, bool), NOTHING) is None
    quiet[: FEWEST + 1] = True
    assert find_hiss(Sound(x[None], RATE), quiet, NOTHING) == pytest.approx(-50, abs=1.0)


def test_quiet_frames_are_those_that_tell_the_floor(voice):
    x = voice + noise(20, -60, 1)[: len(voice)]
    meter = NoiseMeter(RATE, 1)
    meter.push(x[None])
    power = meter.frame_powers()
    assert 10 * np.log10(np.mean(power[quiet_frames(power)])) == pytest.approx(meter.result().floor_dbfs)
    assert not quiet_frames(np.zeros(5)).any() and quiet_frames(np.array([0.0, 1e-3, 0.0])).tolist() == [False, True, False]
    assert find_hum(Sound(x[None], RATE)) is None


@settings(max_examples=40)
@given(st.integers(-3 * RATE, 12 * RATE), st.integers(0, 3 * RATE))
def test_a_hum_is_the_same_from_wherever_it_is_read(hum_track, start, count):
    """Only the steps of its track that are needed are looked at."""
    track, whole, before = hum_track
    found = synthesise_hum(track, start, count, RATE)
    expected = np.zeros(count, np.float32)
    a, b = max(start, -before), min(start + count, len(whole) - before)
    if a < b:
        expected[a - start : b - start] = whole[a + before : b + before]
    assert found.shape == (1, count)
    np.testing.assert_allclose(found[0], expected, atol=1e-6)


@pytest.fixture(scope="module")
def hum_track():
    """A track, the whole of its hum with 2 s before and 4 s after the recording, and how many frames lie before it."""
    track = find_hum(Sound((hummed(8 * RATE, 50.03, -30.0) + noise(8, -70, 1)[: 8 * RATE])[None].astype(np.float32), RATE))
    assert track is not None
    return track, synthesise_hum(track, -2 * RATE, 14 * RATE, RATE)[0], 2 * RATE
