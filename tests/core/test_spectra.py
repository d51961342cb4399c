"""Short-time spectra, the noise under the speech, and the neural engine's own spectra."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import special

from dubbin.core.jobs import Task
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.measure.tone_balance import ToneBalanceMeter
from dubbin.core.sound.source import Sound
from dubbin.core.treat import deep_filter, suppressor_kernels
from dubbin.core.treat.noise_track import profile_track, track_noise
from dubbin.core.treat.stft import Stft, power
from tests.conftest import RATE, noise, rms_db, tone


@given(st.sampled_from([(512, 128), (1024, 512), (1728, 432), (96, 32)]), st.integers(1, 6000))
@settings(max_examples=25, deadline=None)
def test_synthesis_gives_the_samples_back(shape, length):
    stft = Stft(*shape)
    x = noise(length / RATE, -10)[:length]
    np.testing.assert_allclose(stft.synthesise(stft.analyse(x), len(x)), x, atol=1e-5)


def test_the_estimators_gain_is_that_of_the_exponential_integral():
    ratio, wiener = np.geomspace(1e-3, 1e3, 200), np.linspace(0.02, 0.99, 40)
    v = np.outer(ratio, wiener)
    exact = np.minimum(wiener * np.exp(0.5 * special.exp1(np.minimum(v, 600))), 1.0)
    found = np.array([[suppressor_kernels.lsa(np.float32(b), np.float32(w)) for b, w in zip(row, wiener, strict=True)] for row in v])
    np.testing.assert_allclose(found, exact, rtol=3e-5)


@pytest.mark.parametrize("length", [1, 479, 480, 481, 48000, 50001])
def test_the_neural_engines_spectra_give_the_samples_back(length):
    x = noise(length / RATE + 0.001, -10)[:length]
    np.testing.assert_allclose(deep_filter.synthesise(deep_filter.analyse(x), length), x, atol=1e-5)


def test_its_bands_cover_all_bins_and_none_is_narrower_than_two():
    edges = deep_filter.band_edges()
    assert (edges[0], edges[-1], len(edges)) == (0, deep_filter.BINS, deep_filter.BANDS + 1)
    assert np.diff(edges).min() >= 2


@pytest.mark.parametrize("level", [-60.0, -40.0])
def test_the_noise_under_speech_is_found(speech, level):
    stft = Stft(1728, 432)
    added = noise(20, level, 4)[: len(speech)]
    track = track_noise(Sound((speech + added)[None], RATE), stft, Task())
    truth = 10 * np.log10(power(stft.analyse(added)).mean(axis=0)[20:400].mean())
    found = 10 * np.log10(track.spectra[0].mean(axis=0)[20:400].mean())
    assert found == pytest.approx(truth, abs=2.5)


def test_noise_that_changes_is_followed():
    stft = Stft(1728, 432)
    x = np.concatenate([noise(20, -60, 1), noise(20, -40, 2)])
    track = track_noise(Sound(x[None], RATE), stft, Task())
    levels = 10 * np.log10(track.at(0, np.array([8 * RATE, 32 * RATE])).mean(axis=1))
    assert levels[1] - levels[0] == pytest.approx(20, abs=1.5)


def test_a_learned_profile_is_the_mean_spectrum_of_its_stretch():
    stft, x = Stft(1728, 432), noise(3, -30, 6)
    track = profile_track(Sound(x[None], RATE), stft, RATE, 2 * RATE)
    truth = power(stft.analyse(x))[20:-20].mean()
    assert 10 * np.log10(track.spectra.mean() / truth) == pytest.approx(0, abs=0.5)
    np.testing.assert_array_equal(track.at(0, np.array([0, 10**7]))[0], track.spectra[0, 0])


@pytest.mark.parametrize("floor", [-70.0, -50.0, -35.0])
def test_the_noise_floor_is_that_of_the_quiet_frames(speech, floor):
    meter = NoiseMeter(RATE, 1)
    meter.push((speech + noise(20, floor, 2)[: len(speech)])[None])
    assert meter.result().floor_dbfs == pytest.approx(floor, abs=1.5)


@pytest.mark.parametrize("floor", [-88.0, -75.0])
def test_in_a_clip_without_a_pause_the_ends_of_words_are_no_floor(floor):
    """Four seconds in which only three frames of 50 ms are without a voice, as where it stops for a t."""
    frame = RATE // 20
    levels = np.random.default_rng(3).uniform(-46.0, -20.0, 80)
    levels[[11, 40, 66]] = -200.0
    voice = noise(4, 0.0, 1) * np.repeat(10 ** (levels / 20), frame).astype(np.float32)
    meter = NoiseMeter(RATE, 1)
    meter.push((voice + noise(4, floor, 2))[None])
    assert meter.result().floor_dbfs == pytest.approx(floor, abs=2.0) and not meter.result().at_most


def test_of_a_clip_in_which_nobody_ever_stops_a_floor_is_told_at_most():
    levels = np.concatenate([np.random.default_rng(3).uniform(-46.0, -20.0, 77), [-70.0, -62.0, -55.0]])
    meter = NoiseMeter(RATE, 1)
    meter.push((noise(4, 0.0, 1) * np.repeat(10 ** (levels / 20), RATE // 20).astype(np.float32))[None])
    found = meter.result()
    assert found.at_most and found.floor_dbfs < -62 and found.snr_db > 30 and found.floor_text.startswith("at most −6")


def test_stationary_noise_alone_is_its_own_floor_and_holds_no_speech():
    meter = NoiseMeter(RATE, 2)
    x = noise(5, -40)
    for start in range(0, len(x), 7001):
        meter.push(np.stack([x, x])[:, start : start + 7001])
    assert meter.result().floor_dbfs == pytest.approx(-40, abs=0.5) and meter.result().snr_db is None


def test_digital_silence_has_no_floor():
    meter = NoiseMeter(RATE, 1)
    meter.push(np.zeros((1, RATE), np.float32))
    assert meter.result().floor_dbfs is None


def test_rumble_is_the_level_below_the_voice(speech):
    meter = ToneBalanceMeter(RATE, 1)
    rumble = tone(30, len(speech) / RATE, -40).samples[0][: len(speech)]
    meter.push((speech + rumble)[None])
    assert meter.result().rumble_dbfs == pytest.approx(rms_db(rumble), abs=1.5)
