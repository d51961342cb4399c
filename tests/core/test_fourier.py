"""Transforms of real sound are NumPy's, and the longest filters by them are the sums that they stand for."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from dubbin.core.sound import fourier


def drawn(*shape: int, seed: int = 0) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(shape).astype(np.float32)


@pytest.mark.parametrize(("taps", "frames"), [(32_769, 1), (32_769, 40_000), (32_769, 150_001), (65_537, 400_000)])
def test_a_filter_is_centred_and_there_is_silence_around(taps, frames):
    x, h = drawn(frames), drawn(taps, seed=1)
    whole = signal.fftconvolve(x.astype(np.float64), h.astype(np.float64))
    expected = whole[taps // 2 : taps // 2 + frames]
    found = fourier.convolved(x, h)
    assert found.shape == (frames,) and found.dtype == np.float32
    np.testing.assert_allclose(found, expected, atol=2e-5 * np.sqrt(taps) * 3)


@given(st.integers(1, 300), st.integers(0, 200), st.sampled_from([np.float32, np.float64]))
def test_spectra_there_and_back(length, more, dtype):
    x = drawn(2, length, seed=length).astype(dtype)
    n = length + more
    X = fourier.rfft(x, n)
    assert X.dtype == np.result_type(dtype, np.complex64)
    np.testing.assert_allclose(X, np.fft.rfft(x, n), atol=1e-4 if dtype == np.float32 else 1e-11)
    np.testing.assert_allclose(fourier.irfft(X, n)[:, :length], x, atol=1e-5 if dtype == np.float32 else 1e-12)


def test_missing_bins_and_powers_are_taken_as_they_are():
    X = np.fft.rfft(drawn(2, 64).astype(float))
    cut = np.where(np.arange(33) < 10, X, 0)
    np.testing.assert_allclose(fourier.irfft(X[:, :10].copy(), 64), np.fft.irfft(cut, 64), atol=1e-12)
    power = np.abs(X) ** 2
    np.testing.assert_allclose(fourier.irfft(power, 64), np.fft.irfft(power, 64), atol=1e-10)


@given(st.integers(1, 200_000))
def test_a_good_size_is_no_shorter_and_little_longer(n):
    assert n <= fourier.good_size(n) <= 1.25 * n + 1
