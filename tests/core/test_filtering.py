"""Filters over a stream: the shape that is asked for, and the same result whatever the blocks."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from dubbin.core.sound.filtering import StreamFilter, band_pass, low_pass, running_mean
from dubbin.core.sound.fir import band_taps, kaiser_beta, kaiser_taps

RATES = [8000, 44100, 48000, 192000]


def gains(sos: np.ndarray, rate: int) -> np.ndarray:
    return np.abs(signal.sosfreqz(sos, 8192, fs=rate)[1])


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize(("order", "edge_hz"), [(2, 60.0), (4, 90.0), (8, 1500.0)])
def test_a_low_pass_is_butterworths(rate, order, edge_hz):
    expected = gains(signal.butter(order, edge_hz, fs=rate, output="sos"), rate)
    np.testing.assert_allclose(gains(low_pass(order, edge_hz, rate), rate), expected, atol=1e-6)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize(("order", "edges_hz"), [(2, (180.0, 3000.0)), (4, (8.0, 65.0))])
def test_a_band_pass_is_butterworths(rate, order, edges_hz):
    expected = gains(signal.butter(order, edges_hz, "band", fs=rate, output="sos"), rate)
    np.testing.assert_allclose(gains(band_pass(order, *edges_hz, rate), rate), expected, atol=1e-6)


def test_what_can_not_be_designed_is_refused():
    with pytest.raises(ValueError, match="even"):
        low_pass(3, 100.0, 48000)
    with pytest.raises(ValueError, match="a0 = 1"):
        StreamFilter(2.0 * low_pass(4, 100.0, 48000), 1)


@settings(deadline=None, max_examples=30)
@given(st.integers(1, 6), st.integers(1, 3), st.lists(st.integers(0, 700), min_size=1, max_size=5), st.integers(0, 99))
def test_blocks_of_any_length_give_what_the_whole_gives(sections, channels, lengths, seed):
    sos = low_pass(2 * sections, 400.0, 48000)
    x = np.random.default_rng(seed).standard_normal((channels, sum(lengths))).astype(np.float32)
    stream = StreamFilter(sos, channels)
    parts = [stream.push(part) for part in np.split(x, np.cumsum(lengths)[:-1], axis=1)]
    np.testing.assert_allclose(np.concatenate(parts, axis=1), signal.sosfilt(sos, x, axis=1) if x.size else x, atol=1e-9)


@given(st.floats(0.0, 0.999), st.integers(1, 300), st.integers(0, 2**32 - 1))
@settings(max_examples=30)
def test_a_running_mean_keeps_its_share_of_what_came_before(keep, count, seed):
    x = np.random.default_rng(seed).standard_normal((count, 3))
    start = np.array([0.0, 1.0, -2.0])
    expected = signal.lfilter([1 - keep], [1, -keep], x, axis=0, zi=(keep * start)[None])[0]
    np.testing.assert_allclose(running_mean(x, keep, start), expected, atol=1e-12)
    np.testing.assert_allclose(running_mean(x[:, 0], keep), expected[:, 0], atol=1e-12)
    assert start.tolist() == [0.0, 1.0, -2.0], "what is given is not moved on"


class TestTaps:
    @pytest.mark.parametrize("count", [31, 64, 481])
    def test_they_are_those_of_the_window_method(self, count):
        for edges, kind in (((0.0, 2000.0), True), ((5000.0, 24000.0), False), ((200.0, 3000.0), False)):
            if edges[1] == 24000.0 and count % 2 == 0:
                continue  # there is no such filter
            cutoff = edges[1] if edges[0] == 0 else edges[0] if edges[1] == 24000.0 else edges
            expected = signal.firwin(count, cutoff, fs=48000, pass_zero=kind, window=("kaiser", 5.0))
            np.testing.assert_allclose(band_taps(edges, 48000, np.kaiser(count, 5.0)), expected, atol=1e-12)

    @pytest.mark.parametrize("ripple_db", [10.0, 21.0, 35.0, 50.0, 60.0, 100.0])
    @pytest.mark.parametrize("width", [0.01, 0.1, 0.5])
    def test_length_and_window_for_a_ripple_are_kaisers(self, ripple_db, width):
        count, beta = signal.kaiserord(ripple_db, width)
        assert kaiser_beta(ripple_db) == pytest.approx(beta)
        assert kaiser_taps(ripple_db, width) == count | 1
