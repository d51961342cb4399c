"""Pitch, periodicity and timbre of a hundred frames a second, on sounds whose pitch is known."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.voicing import CHUNK_S, MEL_BANDS, VOICED_FROM, KeptVoicing, cepstra, find_voicing
from dubbin.core.mix.kept_results import KeptResults
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


def test_it_is_the_same_across_the_chunks_of_a_long_recording():
    x = sung(150.0, 2 * CHUNK_S + 3.0) + noise(2 * CHUNK_S + 3.0, -70.0)
    whole, from_two_on = of(x), of(x[2 * RATE :])
    for name in ("pitch_hz", "periodicity", "mel"):
        np.testing.assert_allclose(getattr(from_two_on, name)[5:-5], getattr(whole, name)[205:-5], atol=2e-2)


def test_levels_move_with_the_sound_and_channels_are_mixed():
    x = sung(200.0, 1.0) + noise(1.0, -50.0)
    found, softer = of(x), of(0.5 * x)
    np.testing.assert_allclose(found.mel - softer.mel, 6.02, atol=0.05)
    np.testing.assert_allclose(of(np.stack([x, np.zeros_like(x)])).mel, softer.mel, atol=1e-3)
    assert found.mel.shape == (100, MEL_BANDS)


def test_what_is_kept_takes_half_and_sounds_alike():
    found = of(np.concatenate([sung(130.0, 1.0), noise(1.0, -40.0), 1e-3 * sung(250.0, 1.0)]))
    kept = found.kept()
    np.testing.assert_array_equal(kept.voiced, found.voiced)
    np.testing.assert_allclose(kept.mel, found.mel, atol=0.032)
    np.testing.assert_allclose(cepstra(kept.mel), cepstra(found.mel), atol=0.1)
    size = sum(getattr(found, name).nbytes for name in ("pitch_hz", "periodicity", "mel"))
    assert kept.mel.nbytes + kept.voiced.nbytes < 0.5 * size


def test_what_is_kept_comes_back_from_the_disk_as_it_was(tmp_path):
    kept = of(sung(130.0, 1.0)).kept()
    KeptResults(tmp_path).keep("voicing", ("a",), kept)
    again = KeptResults(tmp_path).recall("voicing", ("a",), KeptVoicing)
    assert again is not None and again.mel.dtype == np.float16
    np.testing.assert_array_equal(again.mel, kept.mel)
    np.testing.assert_array_equal(again.voiced, kept.voiced)
