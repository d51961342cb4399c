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
LONGEST_S = 0.1  # of a run that goes on past a block and is still kept for its end


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
        self._runs: list[tuple[int, int, bool, float]] = []  # start, end, whether it is cut off for sure, and the ceiling so far
        self._rest: Samples = np.zeros((channels, 0), np.float32)  # from frame `_begin` on: runs that go on, with the frame before them

    def push(self, x: Samples) -> None:
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
        for run in np.flatnonzero(side[starts]):
            start, end = int(starts[run]), int(ends[run])
            is_sure = end - start >= FLAT and _is_flat(x[max(start - 1, 0) : end + 1] * side[start], min(start, 1), end - start)
            self._runs.append((start + self._begin, end + self._begin, is_sure, ceiling))
        return rest

    def _runs_at(self, ceiling: float) -> list[tuple[int, int, bool]]:
        for k, channel in enumerate(self._rest):
            self._look(channel, k, is_end=True)
        self._begin += self._rest.shape[1]
        self._rest = self._rest[:, :0]
        return sorted((start, end, is_sure) for start, end, is_sure, at in self._runs if at >= ceiling * AT_CEILING)

    def runs(self) -> list[tuple[int, int]]:
        """Frames (start, end) of all runs at the ceiling, of one sample or more, of all channels together and in order: where crests are cut off at all, these are."""
        return [(start, end) for start, end, _ in self._runs_at(float(np.max(self._peak, initial=0.0)))]

    def result(self) -> Clipping:
        ceiling = float(np.max(self._peak, initial=0.0))
        times: list[float] = []
        last = -np.inf
        for start, end, is_sure in self._runs_at(ceiling):
            if not is_sure:
                continue
            if start - last > MERGE_S * self._rate:
                times.append(start / self._rate)
            last = max(last, end - FLAT)
        return Clipping(len(times), tuple(times), ceiling)


def _is_flat(x: NDArray[np.float32], before: int, count: int) -> bool:
    """Whether a run of `count` high samples is cut off, and not the rounded crest of a slow wave. x: the run with the sample on either side, as far as there is one; before: how
    many stand before it.

    A crest is a parabola near its top: from how far the samples beside the run lie under it follows how far those in it do, on the mean. A ceiling leaves them at one height.
    """
    run, beside = x[before : before + count], np.concatenate([x[:before], x[before + count :]])
    if not len(beside):
        return True
    top = float(np.max(run))
    rounded = (top - float(np.mean(beside))) * (count - 1) / (3 * (count + 1))
    return top - float(np.mean(run)) < 0.5 * rounded
