"""Channels that are not what they seem: silent, the same twice, or one with its polarity turned.

A channel pair with inverted polarity cancels on one loudspeaker; the same sound twice is no stereo; a silent channel
is a cable that was not plugged in. All three follow from sums of products, so one streamed pass is enough.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from dubbin.core.sound.source import Samples

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
    """Streams blocks of (channels, frames)."""

    def __init__(self, channels: int) -> None:
        self._products = np.zeros((channels, channels))
        self._frames = 0

    def push(self, x: Samples) -> None:
        if x.shape[0] > 1:
            y = x.astype(np.float64)
            self._products += y @ y.T
            self._frames += x.shape[1]

    def result(self) -> Channels:
        count = len(self._products)
        if count < 2 or not self._frames:
            return Channels()
        power = np.diag(self._products) / self._frames
        level = 10.0 * np.log10(power + 1e-20)
        if level.max() < SILENT_DBFS:
            return Channels()  # nothing anywhere: that is silence, not a missing channel
        quiet = np.minimum(SILENT_DBFS, level.max() - SILENT_BELOW_LOUDEST_DB)
        silent = tuple(int(k) for k in np.flatnonzero(level < max(quiet, -120.0)))
        inverted, same = [], []
        for a, b in combinations([k for k in range(count) if k not in silent], 2):
            alike = self._products[a, b] / np.sqrt(self._products[a, a] * self._products[b, b])
            if alike < INVERTED:
                inverted.append((a, b))
            elif alike > SAME and abs(level[a] - level[b]) < 0.1:
                same.append((a, b))
        return Channels(silent, tuple(inverted), tuple(same))
