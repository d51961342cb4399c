"""Sound that is read again soon: the same samples, each block computed once while it is kept."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.sound.recent import RecentSound
from dubbin.core.sound.source import Samples, Sound, read_padded

X = np.random.default_rng(2).standard_normal((2, 1000)).astype(np.float32)


class Counting:
    """A source that writes down what is read of it."""

    rate, channels, frames = 8000, 2, X.shape[1]

    def __init__(self) -> None:
        self.asked: list[tuple[int, int]] = []

    def read(self, start: int, stop: int) -> Samples:
        self.asked.append((start, stop))
        return X[:, start:stop]


@pytest.mark.parametrize(
    ("start", "stop"), [(0, 1000), (0, 1), (99, 101), (100, 200), (-50, 30), (950, 1100), (-10, 1010), (1200, 1300), (-30, -10), (5, 5)]
)
def test_it_is_the_channel_with_silence_beyond_its_ends(start, stop):
    sound = RecentSound(Counting(), 1, 100, 3)
    np.testing.assert_array_equal(sound.read(start, stop), read_padded(Sound(X, 8000), start, stop)[1])


def test_what_is_kept_is_not_read_again_and_what_was_read_longest_ago_goes():
    source = Counting()
    sound = RecentSound(source, 0, 100, 3)
    sound.read(0, 300)
    sound.read(50, 250)
    assert source.asked == [(0, 100), (100, 200), (200, 300)]
    sound.read(0, 100)  # so that it is not the oldest
    sound.read(300, 400)
    sound.read(0, 100)
    assert len(source.asked) == 4
    sound.read(100, 200)
    assert source.asked[4:] == [(100, 200)]


def test_what_fails_is_told_and_tried_again():
    source = Counting()
    sound = RecentSound(source, 0, 100, 3)
    source.read = lambda start, stop: (_ for _ in ()).throw(OSError("gone"))
    with pytest.raises(OSError, match="gone"):
        sound.read(0, 50)
    del source.read
    np.testing.assert_array_equal(sound.read(0, 50), X[0, :50])
