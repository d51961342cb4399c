"""Clicks: impulses, crackle and mouth clicks, found as what a short predictor of the sound can't predict.

Speech has sharp instants too: each closure of the glottis is one. But those come back with the pitch and about as strong, while a
click stands alone, or with one or two more. So the prediction error of an instant is compared with the highest errors shortly before and after it; a lone one
or two among those are passed over where the instant stands out of all others the more. What stands out by a factor of two is looked at more closely
(`click_features`) and judged by what was learnt from real voices (`click_judge`).
Source of the detector: Godsill and Rayner, "Digital Audio Restoration", Springer 1998, chapter 5 (autoregressive residual).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.click_features import features
from dubbin.core.measure.click_judge import odds
from dubbin.core.measure.quantisation import step_above
from dubbin.core.sound.source import Source, read_padded

ORDER, LONG_ORDER = 12, 32  # of the predictors of the two rounds
BLOCK_S = 0.04  # over which the predictor is fitted, half overlapping
GUARD_S, NEAR_S = 0.0025, 0.024  # an error is compared with those from GUARD_S to NEAR_S away, on both sides
SCORE = 4.0  # times the highest of its surroundings: what stands out clearly
LEAST_SCORE = 2.0  # from which on it is looked at more closely
ODDS, ODDS_A_DOUBLING = -0.5, 1.5  # logarithm of the odds from which it is taken for a click; less for each doubling of the sensitivity
LONGEST_S = 0.008
REACH_S = 0.004  # of what stands out, for what is passed over around it
LOWEST = 10.0 ** (-66 / 20)  # amplitude of a prediction error below which nothing is heard
STEPS = 4.0  # of a coarsely quantised sound, which cannot be predicted: what is no higher is its own grain
JOIN_S = 0.0003
CHUNK_S = 10.0
AROUND_S = 0.2  # on which what is found at an instant may depend
NEAR_PIECES_S = 0.4  # parts that lie nearer to one another are looked at as one: each takes as much again for its surroundings
BRIDGE_S = 0.0002  # gaps in a click's error that don't end it
GRAIN = 8  # frames for which the surroundings are known once (`click_kernels`)
SAME_S = 0.003  # two findings closer than this are the same click
PAD_S = 0.0002  # on both sides of what was found
CORNER_S = 0.002  # of a crest that was cut off, on both sides


@dataclass(frozen=True)
class Clicks:
    """Frames (start, end) of every click of a channel, in order; count and times of all channels together."""

    spans: tuple[tuple[tuple[int, int], ...], ...]
    rate: int

    @property
    def times_s(self) -> tuple[float, ...]:
        """Where each begins, in seconds."""
        starts = sorted(a / self.rate for channel in self.spans for a, _ in channel)
        return tuple(t for k, t in enumerate(starts) if k == 0 or t - starts[k - 1] > 0.002)

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.times_s)

    def left_in(self, later: Clicks) -> Clicks:
        """Those of the clicks of the same recording after treatment that are found here too.

        Where noise has gone, consonants stand out that it had covered: those that are taken for clicks then are none that were left.
        """
        known = np.asarray(self.times_s)
        near = round(SAME_S * self.rate)

        def is_known(span: tuple[int, int]) -> bool:
            k = int(np.searchsorted(known, (span[0] - near) / self.rate))
            return k < len(known) and bool(known[k] <= (span[0] + near) / self.rate)

        return Clicks(tuple(tuple(filter(is_known, channel)) for channel in later.spans), later.rate)

    def away_from(self, runs: Sequence[tuple[int, int]]) -> Clicks:
        """Those that do not lie at runs of frames (start, end), in order, at which crests were cut off: a corner of a crest is no click."""
        starts, ends = (np.array([run[side] for run in runs]) for side in (0, 1))
        ends = np.maximum.accumulate(ends) if len(ends) else ends
        reach = round(CORNER_S * self.rate)

        def is_away(span: tuple[int, int]) -> bool:
            k = int(np.searchsorted(starts, span[1] + reach)) - 1
            return k < 0 or bool(ends[k] < span[0] - reach)

        return Clicks(tuple(tuple(filter(is_away, channel)) for channel in self.spans), self.rate)


def find_clicks(source: Source, sensitivity: float = 1.0, task: Task | None = None, *, near: Clicks | None = None) -> Clicks:
    """Look through a whole source. A higher `sensitivity` (0.5 to 2) finds fainter clicks. near: it is looked only where these are."""
    rate = source.rate
    around = _whole_units(AROUND_S, rate)
    pieces = _chunks(source) if near is None else _pieces_near(near, source)
    found: list[list[list[tuple[int, int]]]] = [[] for _ in pieces]

    def look(k: int) -> None:
        start, stop = pieces[k]
        x = read_padded(source, start - around, stop + around)
        shift = start - around
        found[k] = [
            [(a + shift, min(b + shift, source.frames)) for a, b in clicks_in(channel, rate, sensitivity) if start <= a + shift < stop]
            for channel in x
        ]

    in_parallel(look, range(len(pieces)), task or Task())
    return Clicks(tuple(tuple(s for part in found for s in part[c]) for c in range(source.channels)), rate)


def _whole_units(seconds: float, rate: int) -> int:
    """Frames of at least so many seconds, and of one unit: parts that begin at whole units have the same predictors and the same grains as the whole."""
    unit = math.lcm(round(BLOCK_S * rate) // 2, GRAIN)
    return max(-(-round(seconds * rate) // unit), 1) * unit


def _chunks(source: Source) -> list[tuple[int, int]]:
    """All of a source in parts that are looked at one by one."""
    size = _whole_units(CHUNK_S, source.rate)
    return [(start, min(start + size, source.frames)) for start in range(0, source.frames, size)]


def _pieces_near(clicks: Clicks, source: Source) -> list[tuple[int, int]]:
    """The parts of a source in which clicks lie, beginning where a predictor of the whole would be fitted anew."""
    rate, unit = source.rate, _whole_units(0.0, source.rate)
    reach = round(SAME_S * rate) + 1
    out: list[tuple[int, int]] = []
    for a, b in sorted(span for channel in clicks.spans for span in channel):
        start, stop = max(a - reach, 0) // unit * unit, min(b + reach, source.frames)
        if out and start - out[-1][1] < NEAR_PIECES_S * rate and stop - out[-1][0] < CHUNK_S * rate:
            out[-1] = out[-1][0], max(stop, out[-1][1])
        elif start < stop:
            out.append((start, stop))
    return out


def clicks_in(x: NDArray[np.float32], rate: int, sensitivity: float = 1.0) -> list[tuple[int, int]]:
    """Spans (start, end) of clicks in one channel."""
    found, seen = candidates_in(x, rate)
    return [span for span, chance in zip(found, odds(seen), strict=True) if chance >= ODDS - ODDS_A_DOUBLING * np.log2(sensitivity)]


def candidates_in(x: NDArray[np.float32], rate: int) -> tuple[list[tuple[int, int]], NDArray[np.float64]]:
    """Spans (start, end) of all that stands out in one channel, and their features (spans, NAMES).

    Twice: a click spoils the predictor that is to find it, so the second predictor, a longer one, is fitted to the sound
    without the clicks of the first round.
    """
    size = prediction_error(x, x, rate, ORDER)
    lowest = max(LOWEST, STEPS * step_above(x, LOWEST / STEPS))
    clear = _outstanding(size, *_surroundings(size, rate), rate, SCORE, lowest)
    size = prediction_error(x, bridged(x, clear), rate, LONG_ORDER)
    level, highest = _surroundings(size, rate)
    clear = sorted(clear + _outstanding(size, level, highest, rate, SCORE, lowest))
    found = _outstanding(size, level, highest, rate, LEAST_SCORE, lowest)
    return found, features(x, bridged(x, clear), size, level, highest, found, rate)


def bridged(x: NDArray[np.float32], spans: Sequence[tuple[int, int]]) -> NDArray[np.float32]:
    """x (frames,) with straight lines over spans (start, end)."""
    out = x.copy()
    for a, b in spans:
        out[a:b] = np.interp(np.arange(a, b), [a - 1, b], [x[max(a - 1, 0)], x[min(b, len(x) - 1)]])
    return out


def _surroundings(size: NDArray[np.float32], rate: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    from dubbin.core.measure import click_kernels as kernels

    return kernels.surroundings(size, round(GUARD_S * rate), round(NEAR_S * rate), round(REACH_S * rate))


def _outstanding(
    size: NDArray[np.float32], level: NDArray[np.float32], highest: NDArray[np.float32], rate: int, score: float, lowest: float
) -> list[tuple[int, int]]:
    """Spans in which a prediction error of this size stands out of its surroundings by a factor, and of nothing by `lowest`."""
    from dubbin.core.measure import click_kernels as kernels

    # Where sound is steady noise, the highest of many errors is a good deal above their mean.
    threshold = np.maximum(score * 0.6 * highest, score * 1.6 * level)
    peaks = kernels.above(size, np.maximum(threshold, np.float32(lowest)))
    if not len(peaks):
        return []
    bridge = max(2, round(BRIDGE_S * rate))
    spans = kernels.bodies(size, level, highest, peaks, bridge, round(LONGEST_S * rate))
    out: list[tuple[int, int]] = []
    pad = max(2, round(PAD_S * rate))
    for start, end in spans:
        a, b = int(start) - pad, int(end) + pad
        if out and a - out[-1][1] < JOIN_S * rate:
            a, b = out[-1][0], max(b, out[-1][1])
            out.pop()
        out.append((max(a, 0), min(b, len(size))))
    return [(a, b) for a, b in out if b - a <= LONGEST_S * rate]


def prediction_error(x: NDArray[np.float32], model: NDArray[np.float32], rate: int, order: int) -> NDArray[np.float32]:
    """What a linear predictor, fitted to the 40 ms of `model` around, leaves of x: (frames,), at least 0.

    The smaller of two errors, predicted from before and from behind: the one smears a click onwards, the other
    backwards, and both together only where it is.
    """
    from dubbin.core.measure import click_kernels as kernels

    size = max(round(BLOCK_S * rate), 4 * order) // 2 * 2
    hop = size // 2
    count = -(-len(x) // hop)
    room = (size, size + count * hop - len(x))
    padded, limited = np.pad(x, room), kernels.limited(np.pad(model, room), max(3, round(0.02 * rate)))
    window = np.hanning(size).astype(np.float32)
    out = np.empty(count * hop, np.float32)
    kernels.errors(padded, limited, window, order, size, hop, out)
    return out[: len(x)]
