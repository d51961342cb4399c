"""Channels that are not what they seem: silent, the same twice, or one with its polarity turned.

A channel pair with inverted polarity cancels on one loudspeaker; the same sound twice is no stereo; a silent channel
is a cable that was not plugged in. All three follow from sums of products, so one streamed pass is enough.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from dubbin.core.sound.source import Samples, Source, read_padded

SILENT_DBFS = -85.0
SILENT_BELOW_LOUDEST_DB = 50.0  # crosstalk of a cable is quieter than this
INVERTED = -0.9  # correlation of a pair below which one of it is turned
SAME = 0.9999


@dataclass(frozen=True)
class Channels:
    """Numbers of channels, from 0. inverted, same: pairs; a pair stands in at most one of them."""

    silent: tuple[int, ...] = ()
    inverted: tuple[tuple[int, int], ...] = ()
    same: tuple[tuple[int, int], ...] = ()


class ChannelMeter:
    """Streams blocks of (channels, frames). An offset is no sound: a dead input that has one is silent."""

    def __init__(self, channels: int) -> None:
        self._products, self._sums = np.zeros((channels, channels)), np.zeros(channels)
        self._frames = 0

    def push(self, x: Samples) -> None:
        """Take the products of channels with one another from the next samples (channels, frames)."""
        if x.shape[0] > 1:
            y = x.astype(np.float64)
            self._products += y @ y.T
            self._sums += y.sum(axis=1)
            self._frames += x.shape[1]

    def result(self) -> Channels:
        """What is wrong with the channels of all that was pushed; nothing where it was mono or silent."""
        count = len(self._products)
        if count < 2 or not self._frames:
            return Channels()
        products = self._products / self._frames - np.outer(self._sums, self._sums) / self._frames**2
        power = np.maximum(np.diag(products), 0.0)
        level = 10.0 * np.log10(power + 1e-20)
        if level.max() < SILENT_DBFS:
            return Channels()  # nothing anywhere: that is silence, not a missing channel
        quiet = np.minimum(SILENT_DBFS, level.max() - SILENT_BELOW_LOUDEST_DB)
        silent = tuple(int(k) for k in np.flatnonzero(level < max(quiet, -120.0)))
        inverted, same = [], []
        for a, b in combinations([k for k in range(count) if k not in silent], 2):
            alike = products[a, b] / np.sqrt(power[a] * power[b])
            if alike < INVERTED:
                inverted.append((a, b))
            elif alike > SAME and abs(level[a] - level[b]) < 0.1:
                same.append((a, b))
        return Channels(silent, tuple(inverted), tuple(same))


STRETCHES, STRETCH_S = 12, 4.0  # compared of two recordings
SWAPPED_RATIO = 1.3  # crossed over straight likeness, from which on sides are called swapped


def are_swapped(first: Source, second: Source, offset_frames: int) -> bool:
    """Whether the left of one stereo recording is the right of the other; both hear the same session.

    offset_frames: where the second begins on the clock of the first, exact to a few frames; envelopes are compared, so that
    microphones in different places are still alike.
    """
    if first.channels != 2 or second.channels != 2:
        return False
    begin, end = max(offset_frames, 0), min(first.frames, offset_frames + second.frames)
    length = min(round(STRETCH_S * first.rate), max(end - begin, 0))
    hop = max(1, first.rate // 100)
    straight = crossed = 0.0
    for start in np.linspace(begin, max(end - length, begin), STRETCHES).astype(int):
        a = read_padded(first, int(start), int(start) + length)
        b = read_padded(second, int(start) - offset_frames, int(start) - offset_frames + length)
        levels = []
        for x in (a, b):
            power = np.mean(x[:, : length // hop * hop].reshape(2, -1, hop) ** 2, axis=2) + 1e-12
            levels.append(np.log(power[0]) - np.log(power[1]))  # which side is louder, moment by moment
        tilt = float(np.sum(levels[0] * levels[1]))
        straight, crossed = straight + max(tilt, 0.0), crossed + max(-tilt, 0.0)
    return crossed > SWAPPED_RATIO * straight + 1e-6 * STRETCHES
