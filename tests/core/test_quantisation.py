"""Coarsely quantised sound is not taken for clicks and drop-outs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.measure.clicks import find_clicks
from dubbin.core.measure.dropouts import DropoutMeter
from dubbin.core.measure.quantisation import PIECE, step_above
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise


@pytest.fixture(scope="module")
def voice(speech) -> np.ndarray:
    x = speech[: 12 * RATE] + noise(12, -70, 1)[: 12 * RATE]
    return (0.5 * x / np.abs(x).max()).astype(np.float32)


def quantised(x: np.ndarray, bits: int, height: float = 1.0) -> np.ndarray:
    step = height / 2 ** (bits - 1)
    return (np.round(x / step) * step).astype(np.float32)


def clicks(x: np.ndarray) -> tuple[float, ...]:
    return find_clicks(Sound(x[None], RATE)).times_s


def dropouts(x: np.ndarray) -> tuple[tuple[float, float], ...]:
    meter = DropoutMeter(RATE, 1)
    meter.push(x[None])
    return meter.result().spans_s


@settings(max_examples=30)
@given(st.integers(4, 10), st.floats(0.01, 1.0), st.integers(0, 99))
def test_the_step_of_a_quantised_sound(bits, height, seed):
    x = height * np.random.default_rng(seed).uniform(-1, 1, 3 * PIECE // 2)
    step = height / 2 ** (bits - 1)
    assert step_above(quantised(x, bits, height), step / 100) == pytest.approx(step, rel=1e-3)
    assert step_above(quantised(x, bits, height), 1.01 * step) == 0.0, "too fine to matter"


def test_lone_impulses_and_silence_have_no_step():
    x = np.zeros(2 * PIECE, np.float32)
    assert step_above(x, 0.0) == 0.0 == step_above(x[:1], 0.0) == step_above(x[:0], 0.0)
    x[::500] = 0.5
    assert step_above(x, 0.01) == 0.0 and step_above(x, 0.01, 0.0) == 0.5


@pytest.mark.parametrize(("bits", "height"), [(8, 1.0), (8, 0.5), (7, 0.5)])
def test_eight_bits_are_no_clicks(voice, bits, height):
    assert len(clicks(quantised(voice, bits, height))) <= len(clicks(voice)) + 1


def test_a_click_in_eight_bits_is_found(voice):
    x, places = voice.copy(), [1.0, 4.2, 7.7, 10.1]
    for at in places:
        x[int(at * RATE)] += 0.6
    found = np.array(clicks(quantised(x, 8)))
    for at in places:
        assert np.min(np.abs(found - at)) < 0.002


@pytest.mark.parametrize("height", [1.0, 0.5])
def test_what_eight_bits_leave_standing_still_is_no_hole(voice, height):
    assert dropouts(voice) == () == dropouts(quantised(voice, 8, height))


def test_a_hole_in_sixteen_bits_is_found_however_soft_the_recording(voice):
    for gain in (1.0, 0.03):
        x = quantised(gain * voice, 16)
        at = int(np.argmax(np.abs(x)))
        x[at : at + 480] = 0.0
        assert [a for a, _ in dropouts(x)] == [pytest.approx(at / RATE, abs=0.001)]
