"""Soft clipping: an input stage that bends crests over instead of cutting them off.

Such a stage maps every instantaneous value to one and the same other, so its curve can be measured from the recording: the
samples of many crests are taken for unknown and drawn from their surroundings by an autoregressive model. One drawn sample is
a guess; the median of hundreds that were recorded at the same value is a point of the curve. Sound that was
corrected with the curve found so far gives better surroundings, and so a better curve. On clean speech the curve
comes out straight, and nothing is done.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.interpolation import FREE, drawn
from dubbin.core.sound.source import Source, blocks, read_padded

KNEE_SHARE = 0.5  # of the highest sample: crests above are looked at
POINTS = 24  # of the curve, from the knee to the highest sample
FEWEST = 9  # drawn samples behind a point
MOST_CRESTS = 500  # a channel
FROM_A_BLOCK = 8
LONGEST_S, AROUND_S = 0.008, 0.0125
ORDER, PASSES, ROUNDS = 64, 2, 3
BENT = 1.12  # drawn over recorded, at the top, from which on a curve is believed
NOTICED = 1.01  # below, samples stay as they are
LOWEST_PEAK = 0.02
MERGE_S = 0.005
AUDIBLE = 1.12  # 1 dB: a crest bent by more counts as a place


@dataclass(frozen=True)
class Curve:
    """A recorded height (amplitude, ascending, from where the curve leaves the straight line) and what it was before.

    One for both polarities: stages that bend one side alone are rare, and twice the samples give a better curve.
    """

    recorded: tuple[float, ...]
    original: tuple[float, ...]

    def turn_back(self, x: NDArray[np.float32]) -> None:
        """Undo the curve in x (frames,); samples below its start are not touched."""
        high = np.flatnonzero(np.abs(x) > self.recorded[0])
        if len(high):
            height = np.abs(x[high]).astype(np.float64)
            x[high] = np.sign(x[high]) * np.interp(height, self.recorded, self.original)


@dataclass(frozen=True)
class Saturation:
    """curves: one a channel; None where the sound was not bent. times_s: places where a crest lost more than 1 dB."""

    curves: tuple[Curve | None, ...]
    times_s: tuple[float, ...] = ()


Crests = list[tuple[NDArray[np.float64], NDArray[np.int64]]]


def find_saturation(source: Source, task: Task | None = None) -> Saturation:
    """Look through a whole source. Hard clipping gives no curve: all heights above its ceiling are one."""
    task = task or Task()
    peaks = np.zeros(source.channels)
    for start, x in blocks(source):
        task.step(0.2 * start / max(source.frames, 1))
        peaks = np.maximum(peaks, np.abs(x).max(axis=1))
    curves = []
    for channel in range(source.channels):
        part = task.part(0.2 + 0.6 * channel / source.channels, 0.2 + 0.6 * (channel + 1) / source.channels)
        peak = float(peaks[channel])
        crests = _crests(source, channel, KNEE_SHARE * peak, part) if peak > LOWEST_PEAK else []
        curves.append(_curve(crests, peak, part) if len(crests) >= FEWEST else None)
    return Saturation(tuple(curves), _places(source, curves, task.part(0.8, 1.0)))


def _curve(crests: Crests, peak: float, task: Task) -> Curve | None:
    knee = KNEE_SHARE * peak
    edges = np.linspace(knee, peak * 1.0001, POINTS + 1)
    middles = (edges[1:] + edges[:-1]) / 2
    recorded = np.concatenate([[0.0, knee], middles, [peak]])
    original = recorded.copy()
    for _ in range(ROUNDS):
        task.step(0.5)
        heights, guesses = [], []
        for x, unknown in crests:
            y, high = x.copy(), np.abs(x) > knee
            y[high] = np.sign(x[high]) * np.interp(np.abs(x[high]), recorded, original)
            sign = np.sign(x[unknown])
            free = np.full(len(unknown), FREE)
            guesses.append(sign * drawn(y, unknown, sign, free, order=ORDER, passes=PASSES))
            heights.append(np.abs(x[unknown]))
        points = _medians(np.concatenate(heights), np.concatenate(guesses), edges)
        known = np.isfinite(points)
        if known.sum() < 4:
            return None
        points = np.interp(middles, middles[known], points[known])
        points = np.maximum.accumulate(np.maximum(points, middles))
        if np.max(points[-4:] / middles[-4:]) < BENT:
            return None
        slope = (points[-1] - points[-2]) / (middles[-1] - middles[-2])
        original = np.concatenate([[0.0, knee], points, [points[-1] + slope * (peak - middles[-1])]])
    bent = np.flatnonzero(original[1:] > NOTICED * recorded[1:]) + 1
    first = max(int(bent[0]) - 1, 1)
    original[: first + 1] = recorded[: first + 1]
    return Curve(tuple(recorded[first:].tolist()), tuple(original[first:].tolist()))


def _crests(source: Source, channel: int, knee: float, task: Task) -> Crests:
    """Pieces of sound around crests above the knee, and the crests' indices in them."""
    spans: list[tuple[int, int, float]] = []
    longest, around = round(LONGEST_S * source.rate), round(AROUND_S * source.rate)
    for start, x in blocks(source):
        task.step(0.2 * start / max(source.frames, 1))
        height = np.abs(x[channel])
        if height.max() <= knee:
            continue
        edges = np.flatnonzero(np.diff(np.concatenate([[0], (height > knee).astype(np.int8), [0]])))
        begins, ends = edges[::2], edges[1::2]
        fits = (ends - begins >= 3) & (ends - begins <= longest) & (begins > 0) & (ends < len(height))
        if not fits.any():
            continue
        tops = np.maximum.reduceat(height, edges[edges < len(height)])[::2]
        order = np.argsort(-tops[fits], kind="stable")
        here = [(start + int(begins[k]), start + int(ends[k]), float(tops[k])) for k in np.flatnonzero(fits)[order]]
        # Of every block some of the highest and some of all: hours of crests are never held together.
        spans += here[:FROM_A_BLOCK]
        rest = here[FROM_A_BLOCK:]
        spans += rest[:: max(1, len(rest) // FROM_A_BLOCK)]
    if len(spans) > MOST_CRESTS:
        # Half of them the highest, where the curve bends most and points are few; half spread over the recording.
        spans.sort(key=lambda s: -s[2])
        half = MOST_CRESTS // 2
        rest = sorted(spans[half:])
        spans = spans[:half] + [rest[k] for k in np.linspace(0, len(rest) - 1, half).astype(int)]
    out = []
    for a, b, _ in sorted(set(spans)):
        piece = read_padded(source, a - around, b + around)[channel].astype(np.float64)
        out.append((piece, np.arange(around, around + b - a)))
    return out


def _medians(heights: NDArray[np.float64], guesses: NDArray[np.float64], edges: NDArray[np.float64]) -> NDArray[np.float64]:
    out = np.full(len(edges) - 1, np.nan)
    place = np.searchsorted(edges, heights, side="right") - 1
    for k in range(len(out)):
        inside = guesses[place == k]
        if len(inside) >= FEWEST:
            out[k] = np.median(inside)
    return out


def _places(source: Source, curves: list[Curve | None], task: Task) -> tuple[float, ...]:
    """Times at which a crest was bent by more than AUDIBLE."""
    heights = np.full((source.channels, 1), np.inf)
    for channel, curve in enumerate(curves):
        if curve is not None:
            heard = np.flatnonzero(np.divide(curve.original, curve.recorded) > AUDIBLE)
            heights[channel] = curve.recorded[heard[0]] if len(heard) else np.inf
    if not np.isfinite(heights).any():
        return ()
    found: list[NDArray[np.int64]] = []
    for start, x in blocks(source):
        task.step(start / max(source.frames, 1))
        found.append(np.flatnonzero((np.abs(x) > heights).any(axis=0)) + start)
    frames = np.concatenate(found)
    first = np.concatenate([[True], np.diff(frames) > MERGE_S * source.rate])
    return tuple((frames[first] / source.rate).tolist())
