"""Pitch, periodicity and timbre of a hundred frames a second, on sounds whose pitch is known."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.voicing import FRAMES_PER_S, VOICED_FROM, find_voicing, vowels
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise


def sung(pitch_hz: float, seconds: float, rate: int = RATE) -> np.ndarray:
    """Ten harmonics that grow softer, (frames,)."""
    t = np.arange(round(seconds * rate)) / rate
    return 0.1 * sum(np.sin(2 * np.pi * k * pitch_hz * t + k * k) / k for k in range(1, 11))


def of(x: np.ndarray, rate: int = RATE):
    return find_voicing(Sound(np.atleast_2d(x).astype(np.float32), rate))


@pytest.mark.parametrize("rate", [16_000, 44_100, 48_000])
@pytest.mark.parametrize("pitch_hz", [75.0, 118.0, 220.0, 390.0])
def test_the_pitch_is_that_of_the_harmonics(pitch_hz, rate):
    found = of(sung(pitch_hz, 1.0, rate), rate)
    inner = slice(5, 95)
    assert len(found.pitch_hz) == len(found.periodicity) == len(found.mel) == 100 and found.voiced[inner].all()
    # Pitch is a whole number of samples at 16 kHz.
    assert found.pitch_hz[inner] == pytest.approx(np.full(90, pitch_hz), rel=0.5 * pitch_hz / 16_000 + 0.002)
    assert found.periodicity[inner].min() > 0.95


def test_noise_and_silence_have_none():
    hiss, silence = of(noise(2.0, -30.0)), of(np.zeros(RATE))
    assert not hiss.voiced.any() and np.median(hiss.periodicity) < VOICED_FROM
    assert not silence.voiced.any() and np.isfinite(silence.mel).all() and len(of(np.zeros(1)).mel) == 1


def test_vowels_are_where_a_pitch_is_held():
    n = np.arange(RATE // 2)
    vowel = sum(np.sin(2 * np.pi * 140 * k * n / RATE) / k for k in range(1, 12))
    moment = np.where(n < 0.04 * RATE, vowel, 0.0)
    x = (0.1 * np.concatenate([0 * vowel, vowel, 0 * vowel, moment])).astype(np.float32) + noise(2, -70)
    found = np.flatnonzero(vowels(find_voicing(Sound(x[None], RATE)))) / FRAMES_PER_S
    assert found.min() == pytest.approx(0.5, abs=0.05) and found.max() == pytest.approx(1.0, abs=0.05)
