"""Faster and slower to listen by: how long it gets, that the pitch stays, and that blocks don't matter."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.mix.time_stretch import Backwards, TimeStretch
from dubbin.core.sound.source import Sound

RATE = 48000


def tone(hz: float, seconds: float = 2.0, channels: int = 1) -> Sound:
    n = np.arange(round(seconds * RATE))
    return Sound(np.tile(0.3 * np.sin(2 * np.pi * hz * n / RATE), (channels, 1)).astype(np.float32), RATE)


def whole(source, speed: float, start: int = 0, block: int = 1024) -> np.ndarray:
    stretch, parts = TimeStretch(source, start, speed), [np.zeros((source.channels, 0), np.float32)]
    while (x := stretch.next(block)).shape[1]:
        parts.append(x)
    return np.concatenate(parts, axis=1)


def pitch_of(x: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(x[0] * np.hanning(x.shape[1])))
    return float(np.argmax(spectrum) * RATE / x.shape[1])


@pytest.mark.parametrize("speed", [0.5, 0.75, 1.0, 1.5, 2.0, 3.0])
def test_it_lasts_as_long_as_the_speed_says_and_keeps_pitch_and_level(speed):
    x = whole(tone(220.0), speed)
    assert x.shape[1] == pytest.approx(2 * RATE / speed, abs=2)
    assert pitch_of(x) == pytest.approx(220.0, abs=2.0)
    middle = x[:, RATE // 10 : -RATE // 10]
    assert np.sqrt(np.mean(middle**2)) == pytest.approx(0.3 / np.sqrt(2), rel=0.05)


def test_it_tells_which_frame_comes_next():
    stretch = TimeStretch(tone(200.0), 4800, 2.0)
    assert stretch.frame == 4800
    stretch.next(1000)
    assert stretch.frame == 4800 + 2000


@pytest.mark.parametrize("frames", [0, 1, 100])
def test_less_than_a_segment_and_silence_are_no_trouble(frames):
    x = whole(Sound(np.zeros((1, frames), np.float32), RATE), 2.0)
    assert x.shape[0] == 1 and not x.any()


@pytest.mark.parametrize("speed", [0.4, 3.5, -1.0])
def test_a_speed_that_nobody_can_listen_to_is_refused(speed):
    with pytest.raises(ValueError, match="speed must lie in"):
        TimeStretch(tone(100.0), 0, speed)


def test_backwards_is_the_same_sound_from_its_end():
    source = Sound(np.arange(10, dtype=np.float32)[None, :], RATE)
    assert Backwards(source).read(2, 5)[0].tolist() == [7.0, 6.0, 5.0]
    assert Backwards(Backwards(source)).read(0, 10)[0].tolist() == source.samples[0].tolist()
