"""The network that hears how much of a band is the voice: what goes in, what comes out, and that a gain depends on a fixed stretch alone."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.treat.room_mask import BANDS, HIGHEST_HZ, REACH, band_edges, band_gains, bin_gains, features, in_bands, speech_level
from dubbin.core.treat.room_prediction import dereverb_stft

RNG = np.random.default_rng(5)


def edges_at(rate: int) -> np.ndarray:
    return band_edges(rate, dereverb_stft(rate).frame)


@pytest.mark.parametrize("rate", [16000, 44100, 48000])
def test_bands_rise_without_gaps_and_lie_at_the_same_frequencies_at_every_rate(rate):
    stft, edges = dereverb_stft(rate), edges_at(rate)
    assert edges[0] == 0 and np.all(np.diff(edges) >= 0)
    hz, wide = edges * rate / stft.frame, edges_at(48000) * 48000 / dereverb_stft(48000).frame
    there = hz < rate / 2 - 100
    np.testing.assert_allclose(hz[there], wide[there], atol=45)  # a bin or two
    assert hz[-1] == pytest.approx(min(HIGHEST_HZ, rate / 2), abs=45)


@pytest.mark.parametrize("rate", [16000, 48000])
def test_the_power_of_a_band_is_the_mean_of_its_bins_and_none_where_there_is_no_band(rate):
    stft, edges = dereverb_stft(rate), edges_at(rate)
    P = RNG.random((7, stft.bins)).astype(np.float32)
    B = in_bands(P, edges)
    assert B.shape == (7, BANDS)
    for k, (a, b) in enumerate(pairwise(edges)):
        np.testing.assert_allclose(B[:, k], P[:, a:b].mean(axis=1) if b > a else 0.0, rtol=1e-5)


@given(st.floats(0.05, 20.0))
def test_what_the_network_is_given_does_not_depend_on_how_loud_the_recording_is(gain):
    B = 10 ** RNG.uniform(-4, 0, (9, BANDS)).astype(np.float32)
    level = speech_level(B.mean(axis=1))
    louder = B * np.float32(gain**2)
    np.testing.assert_allclose(features((louder,), speech_level(louder.mean(axis=1))), features((B,), level), atol=1e-3)


def test_the_level_of_speech_is_that_of_its_louder_frames_and_silence_does_not_count():
    powers = np.concatenate([np.zeros(500), np.full(80, 0.01), np.full(20, 1.0)]).astype(np.float32)
    assert speech_level(powers) == pytest.approx(0.0, abs=0.1)
    assert speech_level(np.zeros(10, np.float32)) < -50


def test_a_gain_depends_on_a_second_of_sound_to_either_side_and_on_nothing_else():
    x = RNG.uniform(-2, 0.5, (4 * REACH, 4 * BANDS)).astype(np.float32)
    whole = band_gains(x)
    assert whole.shape == (len(x), BANDS) and whole.min() >= 0 and whole.max() <= 1
    middle = slice(REACH, 2 * REACH)
    np.testing.assert_allclose(band_gains(x[: 3 * REACH])[middle], whole[middle], atol=1e-5)
    later = x.copy()
    later[3 * REACH :] += 1
    np.testing.assert_allclose(band_gains(later)[: 2 * REACH], whole[: 2 * REACH], atol=1e-5)


@pytest.mark.parametrize("rate", [16000, 48000])
def test_gains_of_bins_run_straight_from_band_to_band(rate):
    stft, edges = dereverb_stft(rate), edges_at(rate)
    np.testing.assert_allclose(bin_gains(np.full((3, BANDS), 0.4, np.float32), edges, stft.bins), 0.4, rtol=1e-6)
    rising = np.tile(np.arange(BANDS, dtype=np.float32), (2, 1))
    gains = bin_gains(rising, edges, stft.bins)
    used = np.count_nonzero(np.diff(edges))
    assert gains.shape == (2, stft.bins) and np.all(np.diff(gains[0]) >= -1e-5)
    assert gains[0, 0] == 0 and gains[0, -1] == used - 1
