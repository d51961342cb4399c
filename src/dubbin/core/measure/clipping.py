"""Clipping: runs of samples that stay at the highest value the recording ever reaches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Samples

FLAT = 3  # samples in a row at the ceiling; two can happen by chance at a rounded crest
AT_CEILING = 0.9985
LOWEST_CEILING = 0.05  # below, nothing is called clipped
MERGE_S = 0.005
JOIN_S = 0.001  # runs that lie so close are one
LONGEST_S = 0.1  # of a run that goes on past a block and is still kept for its end

Spans = NDArray[np.int64]  # (n, 2): start and end, in frames


@dataclass(frozen=True)
class Clipping:
    """count places, their times in seconds, and the ceiling (amplitude) they were clipped to."""

    count: int
    times_s: tuple[float, ...]
    ceiling: float


class ClippingMeter:
    """Streams blocks. Candidates are kept relative to the loudest sample so far, so that sound that was
    clipped and then turned down is found too."""

    def __init__(self, rate: int, channels: int) -> None:
        self._rate, self._begin = rate, 0
        self._peak = np.zeros(channels)
        # (ceiling so far, frames (start, end) of runs): of those that are cut off for sure, and of all
        self._sure: list[tuple[float, Spans]] = []
        self._all: list[tuple[float, Spans]] = []
        self._rest: Samples = np.zeros((channels, 0), np.float32)  # from frame `_begin` on: runs that go on, with the frame before them

    def push(self, x: Samples) -> None:
        """Look for runs at the ceiling in the next samples (channels, frames)."""
        joined = np.concatenate([self._rest, x], axis=1)
        seen = min((self._look(channel, k, is_end=False) for k, channel in enumerate(joined)), default=0)
        self._begin += seen
        self._rest = joined[:, seen:].copy()

    def _look(self, x: NDArray[np.float32], channel: int, *, is_end: bool) -> int:
        """Note the runs of a channel; where what is not yet looked at begins."""
        peak = float(np.max(np.abs(x), initial=0.0))
        self._peak[channel] = max(self._peak[channel], peak)
        ceiling = self._peak[channel]
        if peak < ceiling * AT_CEILING or peak < LOWEST_CEILING:
            return max(len(x) - 1, 0)
        side = np.sign(x) * (np.abs(x) >= ceiling * AT_CEILING)
        edges = np.concatenate([[0], np.flatnonzero(np.diff(side)) + 1, [len(x)]])
        starts, ends = edges[:-1], edges[1:]
        if not is_end and side[-1] and len(x) - starts[-1] < LONGEST_S * self._rate:
            starts, ends, rest = starts[:-1], ends[:-1], max(int(starts[-1]) - 1, 0)
        else:
            rest = len(x) - 1
        at = side[starts] != 0
        spans = np.stack([starts[at], ends[at]], axis=1)
        sure = spans[spans[:, 1] - spans[:, 0] >= FLAT]
        sure = sure[_are_flat(x, sure)]
        near = round(JOIN_S * self._rate)
        self._all.append((ceiling, _joined(spans, near) + self._begin))
        self._sure.append((ceiling, _joined(sure, near) + self._begin))
        return rest

    def _finish(self) -> float:
        """Look at what goes on to the end; the ceiling."""
        for k, channel in enumerate(self._rest):
            self._look(channel, k, is_end=True)
        self._begin += self._rest.shape[1]
        self._rest = self._rest[:, :0]
        return float(np.max(self._peak, initial=0.0))

    def runs(self) -> list[tuple[int, int]]:
        """Frames (start, end) of all runs at the ceiling, of one sample or more, of all channels together and in order: where crests are cut off at all, these are."""
        return _at(self._finish(), self._all)

    def result(self) -> Clipping:
        """The places, in seconds, in all that was pushed; those close together count as one."""
        ceiling = self._finish()
        times: list[float] = []
        last = -np.inf
        for start, end in _at(ceiling, self._sure):
            if start - last > MERGE_S * self._rate:
                times.append(start / self._rate)
            last = max(last, end - FLAT)
        return Clipping(len(times), tuple(times), ceiling)


def _at(ceiling: float, found: list[tuple[float, Spans]]) -> list[tuple[int, int]]:
    return sorted((int(a), int(b)) for at, spans in found if at >= ceiling * AT_CEILING for a, b in spans)


def _joined(spans: Spans, near: int) -> Spans:
    """Spans in order with those made one that lie no further apart than `near` frames: of a square wave of an hour there are not more than of a voice."""
    if not len(spans):
        return spans
    parts = np.flatnonzero(spans[1:, 0] - spans[:-1, 1] > near)
    return np.stack([spans[np.concatenate([[0], parts + 1]), 0], spans[np.concatenate([parts, [len(spans) - 1]]), 1]], axis=1)


def _are_flat(x: NDArray[np.float32], runs: Spans) -> NDArray[np.bool_]:
    """Which runs of high samples (start, end) are cut off, and not the rounded crests of a slow wave.

    A crest is a parabola near its top: from how far the samples beside the run lie under it follows how far those in it do, on the mean. A ceiling leaves them at one height.
    """
    if not len(runs):
        return np.zeros(0, np.bool_)
    start, end = runs[:, 0], runs[:, 1]
    count, side = end - start, np.sign(x[start]).astype(np.float64)
    height = np.append(np.abs(x).astype(np.float64), 0.0)
    top, mean = np.maximum.reduceat(height, runs.ravel())[::2], np.add.reduceat(height, runs.ravel())[::2] / count
    has_left, has_right = start > 0, end < len(x)
    beside = has_left * side * x[start - 1] + has_right * side * x[np.minimum(end, len(x) - 1)]
    known = has_left + has_right.astype(np.int64)
    rounded = (top - beside / np.maximum(known, 1)) * (count - 1) / (3 * (count + 1))
    flat: NDArray[np.bool_] = (known == 0) | (top - mean < 0.5 * rounded)
    return flat
