"""Short-time spectra, the noise under the speech, and the neural engine's own spectra."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal, special

from dubbin.core.jobs import Task
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.measure.spectrum import MOST_FRAMES, RUN, average_spectrum
from dubbin.core.measure.tone_balance import ToneBalanceMeter
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Sound
from dubbin.core.treat import deep_filter, suppressor_kernels
from dubbin.core.treat.noise_track import profile_track, track_noise
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains
from tests.conftest import RATE, noise, rms_db, tone


@given(st.sampled_from([(512, 128), (1024, 512), (1728, 432), (96, 32)]), st.integers(1, 6000))
@settings(max_examples=25, deadline=None)
def test_synthesis_gives_the_samples_back(shape, length):
    stft = Stft(*shape)
    x = noise(length / RATE, -10)[:length]
    np.testing.assert_allclose(stft.synthesise(stft.analyse(x), len(x)), x, atol=1e-5)


@pytest.mark.parametrize("every", [1, 2])
def test_powers_are_those_of_the_spectra(every):
    x = noise(1.3, -20)
    stft = Stft(1152, 288)
    np.testing.assert_allclose(stft.powers(x, every), np.abs(stft.analyse(x)[::every]) ** 2, rtol=1e-4, atol=1e-9)


@settings(max_examples=20, deadline=None)
@given(st.integers(1, 40_000), st.integers(0, 3000), st.integers(0, 2**31))
def test_filtering_by_transforms_is_a_centred_convolution(length, half, seed):
    rng = np.random.default_rng(seed)
    x, taps = rng.standard_normal(length).astype(np.float32), rng.standard_normal(2 * half + 1).astype(np.float32)
    expected = signal.fftconvolve(x.astype(float), taps)[half : half + length]
    np.testing.assert_allclose(fourier.convolved(x, taps), expected, atol=1e-5 * (1 + np.abs(expected).max()))


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


def test_its_features_go_on_from_stretch_to_stretch():
    X = deep_filter.analyse(noise(2, -30))
    erb, spec, last = deep_filter.features(X, deep_filter.start_means())
    first_erb, first_spec, middle = deep_filter.features(X[:70], deep_filter.start_means())
    rest_erb, rest_spec, end = deep_filter.features(X[70:], middle)
    np.testing.assert_allclose(np.concatenate([first_erb, rest_erb]), erb, atol=1e-5)
    np.testing.assert_allclose(np.concatenate([first_spec, rest_spec], axis=1), spec, atol=1e-4)
    np.testing.assert_allclose(end.erb_db, last.erb_db, atol=1e-4)


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


@given(st.floats(0.01, 0.5), st.integers(0, 2**16))
@settings(max_examples=15, deadline=None)
def test_gains_lie_between_the_floor_and_one(floor, seed):
    P = np.random.default_rng(seed).exponential(1.0, (30, 40)).astype(np.float32) ** 3
    gains = suppression_gains(P, np.full_like(P, 0.5), floor=floor)
    assert gains.min() >= floor * 0.999 and gains.max() <= 1.001


def test_what_stands_out_passes_and_noise_alone_goes_to_the_floor():
    rng = np.random.default_rng(0)
    P = rng.exponential(1.0, (400, 200)).astype(np.float32)
    P[:, 100] = 1e4
    gains = suppression_gains(P, np.ones_like(P), floor=0.1)
    assert gains[50:, 100].min() > 0.95
    assert 20 * np.log10(np.mean(gains[50:, :80])) < -16


@pytest.mark.parametrize(("frequency", "level"), [(100.0, -20.0), (1000.0, -35.0), (8000.0, -50.0)])
def test_a_tone_stands_in_the_averaged_spectrum_where_and_as_loud_as_it_is(frequency, level):
    spectrum = average_spectrum(tone(frequency, 3, level))
    top = int(np.argmax(spectrum.level_db))
    assert spectrum.frequency_hz[top] == pytest.approx(frequency, rel=0.05)
    near = 10 * np.log10(np.sum(10 ** (spectrum.level_db[max(top - 3, 0) : top + 4] / 10)))
    assert near == pytest.approx(level - 3.01, abs=0.5)


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


def test_sharper_s_sounds_have_more_excess(speech):
    from scipy import signal

    def excess(x: np.ndarray) -> float:
        meter = ToneBalanceMeter(RATE, 1)
        meter.push(np.ascontiguousarray(x[None], np.float32))
        return meter.result().sibilance_excess_db

    high = signal.sosfiltfilt(signal.butter(4, 4000, "highpass", fs=RATE, output="sos"), speech)
    assert excess(speech + high) - excess(speech) == pytest.approx(6, abs=1.5)


def test_rumble_is_the_level_below_the_voice(speech):
    meter = ToneBalanceMeter(RATE, 1)
    rumble = tone(30, len(speech) / RATE, -40).samples[0][: len(speech)]
    meter.push((speech + rumble)[None])
    assert meter.result().rumble_dbfs == pytest.approx(rms_db(rumble), abs=1.5)


def test_of_a_long_sound_a_few_runs_of_windows_give_its_spectrum():
    class Counted(Sound):
        reads = 0

        def read(self, start: int, stop: int) -> np.ndarray:
            Counted.reads += 1
            return super().read(start, stop)

    rate = 8000
    level = np.repeat(np.random.default_rng(2).uniform(0.02, 0.2, 4000), 4096).astype(np.float32)  # louder and softer every half second
    x = np.random.default_rng(1).standard_normal(len(level), np.float32) * level
    found = average_spectrum(Counted(x[None], rate))
    assert Counted.reads <= MOST_FRAMES // RUN + 1
    power = np.sum(10.0 ** (found.level_db / 10.0))
    covered = (found.frequency_hz[-1] * 2 ** (0.5 / 12) - found.frequency_hz[0] * 2 ** (-0.5 / 12)) / (rate / 2)
    assert 10 * np.log10(power) == pytest.approx(10 * np.log10(np.mean(x.astype(np.float64) ** 2) * covered), abs=0.3)
