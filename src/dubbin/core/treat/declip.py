"""Declip: the crests that a recorder cut off or bent over are drawn again from the sound around them.

A clipped sample is known to be at least as high as the ceiling. Among all such sounds the one is taken that an autoregressive
model of its surroundings predicts best; samples that come out below the ceiling are set to it and the others solved
again. Where an input stage bent crests over instead (soft clipping), its curve is measured and turned back.
All other samples stay bit-identical. Rebuilt crests may rise above full scale.
Source: Janssen, Veldhuis and Vries, "Adaptive interpolation of discrete-time signals that can be modeled as autoregressive
processes", IEEE TASSP 1986. Figures at 6 dB of clipping: SDR up by 10 to 17 dB from a hard ceiling, by 9 to 11 dB from a
soft one (docs/benchmarks.md). Limits: from about 12 dB of clipping on there is too little left to go by.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.clipping import AT_CEILING, LOWEST_CEILING
from dubbin.core.measure.interpolation import drawn
from dubbin.core.measure.saturation import Saturation, find_saturation
from dubbin.core.sound.source import BLOCK_FRAMES, Samples, Source, blocks
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.treatment import Context, Treatment

ORDER = 64
AROUND_S = 0.012  # on both sides of a group of clipped runs
JOIN_S = 0.002  # runs that lie closer are solved together
LONGEST_S = 0.015
PASSES = 3
MOST_CLIPPED = 0.6  # of a group and its surroundings
SHORTEST_RUN = 2
UNDER_CEILING = 0.985  # of the samples from here up half lie at the ceiling, where it is one: a soft one has them below it
FLAT_SHARE = 0.15  # of the samples at the ceiling that lie in runs, where it is one


@dataclass(frozen=True)
class DeclipSettings:
    """The ceiling is measured; there is nothing to set but the strength."""


@dataclass(frozen=True)
class Ceilings:
    """For every channel the lowest and the highest value that samples were cut to; None where they were not."""

    bounds: tuple[tuple[float | None, float | None], ...]


@dataclass(frozen=True)
class ClippingFindings:
    """Where the sound was cut off, or bent."""

    ceilings: Ceilings
    saturation: Saturation


class Declip(Treatment):
    """Crests drawn anew above the ceiling."""

    name: ClassVar[str] = "declip"
    title: ClassVar[str] = tr("Clipping")
    settings_type: ClassVar[type] = DeclipSettings
    figures: ClassVar[tuple[Figure, ...]] = (
        Figure("clipped_places", tr("clipped"), tr("places"), 0, lambda r: r.clipping.count + len(r.saturation.times_s)),
    )
    lead_s: ClassVar[float] = 0.1
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True
    mends_places: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DeclipSettings, task: Task) -> ClippingFindings:
        """At which values crests are cut off, and, where none are, the curve that bent them."""
        ceilings = find_ceilings(source, task.part(0.0, 0.5))
        if all(bound is not None for pair in ceilings.bounds for bound in pair):  # nothing left to be bent
            return ClippingFindings(ceilings, Saturation((None,) * source.channels))
        return ClippingFindings(ceilings, find_saturation(source, task.part(0.5, 1.0)))

    def is_idle(self, findings: ClippingFindings) -> bool:
        """Whether nothing is cut off or bent."""
        return not any(findings.saturation.curves) and all(b is None for pair in findings.ceilings.bounds for b in pair)

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with bent crests turned back and cut-off ones rebuilt, which may rise above full scale."""
        out = x.copy()
        found: ClippingFindings = context.findings
        for channel, (low, high) in enumerate(found.ceilings.bounds):
            curve = found.saturation.curves[channel]
            if curve is not None and low is None and high is None:
                curve.turn_back(out[channel])
            clipped = clipped_samples(x[channel], low, high)
            for start, end in _groups(clipped, context.rate):
                _rebuild(out[channel], clipped, start, end, context.rate)
        return out


def find_ceilings(source: Source, task: Task | None = None) -> Ceilings:
    """The values at which samples pile up at the very top or bottom of the recording."""
    sides = np.array([-1.0, 1.0], np.float32)
    of_blocks = [np.stack([-x.min(axis=1), x.max(axis=1)], axis=1) for _, x in blocks(source)]
    heights = np.maximum(np.max(of_blocks, axis=0, initial=0.0), 0.0)  # (channels, sides)
    at, flat, under = (np.zeros((source.channels, 2)) for _ in range(3))
    for k, highest in enumerate(of_blocks):
        if not np.any(highest >= UNDER_CEILING * heights):
            continue
        if task is not None:
            task.step(k / len(of_blocks))
        x = source.read(k * BLOCK_FRAMES, min((k + 1) * BLOCK_FRAMES, source.frames))
        for side, sign in enumerate(sides):
            height = heights[:, side, None].astype(np.float32)
            high = sign * x >= height * np.float32(AT_CEILING)
            at[:, side] += high.sum(axis=1)
            under[:, side] += (sign * x >= height * np.float32(UNDER_CEILING)).sum(axis=1)
            flat[:, side] += (high[:, 1:] & high[:, :-1]).sum(axis=1)
    extremes = heights * sides
    bounds = []
    for channel in range(source.channels):
        pair: list[float | None] = []
        for side in (0, 1):
            is_ceiling = (
                abs(extremes[channel, side]) > LOWEST_CEILING
                and flat[channel, side] >= 4
                and flat[channel, side] > FLAT_SHARE * at[channel, side]
                and at[channel, side] > 0.5 * under[channel, side]
            )
            pair.append(float(extremes[channel, side]) if is_ceiling else None)
        bounds.append((pair[0], pair[1]))
    return Ceilings(tuple(bounds))


def clipped_samples(x: NDArray[np.float32], low: float | None, high: float | None) -> NDArray[np.int8]:
    """1 where x was cut off at the top, -1 at the bottom, 0 elsewhere; lone samples don't count."""
    out = np.zeros(len(x), np.int8)
    for bound, sign in ((high, 1), (low, -1)):
        if bound is None:
            continue
        at = sign * x >= sign * bound * AT_CEILING
        edges = np.flatnonzero(np.diff(np.concatenate([[0], at.view(np.int8), [0]])))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            if b - a >= SHORTEST_RUN:
                out[a:b] = sign
    return out


def _groups(clipped: NDArray[np.int8], rate: int) -> list[tuple[int, int]]:
    """Stretches with clipped runs that lie close together."""
    places = np.flatnonzero(clipped)
    if not len(places):
        return []
    far = np.flatnonzero(np.diff(places) > JOIN_S * rate)
    starts = places[np.concatenate([[0], far + 1])]
    ends = places[np.concatenate([far, [len(places) - 1]])] + 1
    out = []
    for a, b in zip(starts, ends, strict=True):
        count = max(1, int(np.ceil((b - a) / (LONGEST_S * rate))))
        edges = np.linspace(a, b, count + 1).astype(int)
        out += [(int(p), int(q)) for p, q in pairwise(edges)]
    return out


def _rebuild(x: NDArray[np.float32], clipped: NDArray[np.int8], start: int, end: int, rate: int) -> None:
    around = round(AROUND_S * rate)
    low, high = max(0, start - around), min(len(x), end + around)
    piece = x[low:high].astype(np.float64)
    marks = np.zeros(len(piece), np.int8)
    marks[start - low : end - low] = clipped[start:end]
    unknown = np.flatnonzero(marks)
    # Where most of the surroundings lies at the ceiling too there is nothing to go by: a square wave, or a level that hangs there, is no crest.
    if not len(unknown) or len(piece) < 4 * ORDER or np.count_nonzero(clipped[low:high]) > MOST_CLIPPED * len(piece):
        return
    bounds = np.abs(piece[unknown])
    sign = marks[unknown].astype(np.float64)
    x[low + unknown] = drawn(piece, unknown, sign, bounds, order=ORDER, passes=PASSES)
