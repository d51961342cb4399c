"""Lines of a spectrum that are always there: where a steady tone may be.

Of every minute the softer windows tell: what is always there is in them, words hardly are. A line stands out of its surroundings in them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Samples, Source

WINDOW_S = 0.17  # about, of the spectra in which lines are looked for
STRETCH = 16  # windows of a stretch, one half over the next
PART_S, MOST_PARTS = 60.0, 240  # a tone need not be there all the time: lines are looked for in every part of the recording
STRETCHES, ALL_STRETCHES, FEWEST_WINDOWS = (8, 24), 400, 16  # of a part, of all parts; of a part
SILENT_DB = -110.0  # of a window: digital silence, which tells nothing
AROUND = 61  # bins whose median a line stands out from
STANDS_OUT = 4.0  # times, in power
LOBE = 4  # bins to each side of a line that are its own (Blackman-Harris window)
LOWEST_HZ, HIGHEST_SHARE = 40.0, 0.98  # the latter of half the rate
MOST, APART_HZ = 48, 50.0  # lines; from one another; each is followed 10 Hz to both sides
RARE = 0.25  # share of the windows that a line's power is taken from: what is always there is in them, words hardly are


@dataclass(frozen=True)
class Line:
    """stands_out: times the power around it. start_frame, end_frame: of the part of the recording in which it was found."""

    frequency_hz: float
    stands_out: float
    start_frame: int
    end_frame: int


def find_lines(source: Source, task: Task) -> list[Line]:
    """All lines of a recording of 2 s or more, at least APART_HZ apart, those that stand out most first."""
    size = 1 << round(np.log2(WINDOW_S * source.rate))
    n = 2 * np.pi * np.arange(size) / size
    window = (0.35875 - 0.48829 * np.cos(n) + 0.14128 * np.cos(2 * n) - 0.01168 * np.cos(3 * n)).astype(np.float32)
    parts = int(np.clip(source.frames / (PART_S * source.rate), 1, MOST_PARTS))
    edges = [source.frames * k // parts for k in range(parts + 1)]
    stretches = int(np.clip(ALL_STRETCHES / parts, *STRETCHES))
    found: dict[int, list[Line]] = {}

    def look(part: int) -> None:
        begin, end = edges[part], edges[part + 1]
        length = (STRETCH + 1) * size // 2
        starts = np.unique(np.linspace(begin, max(end - length, begin), min(stretches, -(-(end - begin) // length))).astype(int))
        powers = np.concatenate([_powers(source.read(int(a), min(int(a) + length, end)), window) for a in starts], axis=1)
        peaks = [(place * source.rate / size, out) for channel in powers for place, out in _peaks(channel, window)]
        found[part] = [Line(f, out, begin, end) for f, out in peaks if LOWEST_HZ < f < HIGHEST_SHARE * source.rate / 2]

    in_parallel(look, range(parts), task)
    lines: list[Line] = []
    for line in sorted((line for part in range(parts) for line in found[part]), key=lambda line: -line.stands_out):
        if all(abs(line.frequency_hz - other.frequency_hz) > APART_HZ for other in lines):
            lines.append(line)
    return lines[:MOST]


def _powers(x: Samples, window: NDArray[np.float32]) -> NDArray[np.float32]:
    """(channels, windows, bins) of x (channels, frames), at least a window of them, each window a half over the next."""
    X = fourier.rfft(np.lib.stride_tricks.sliding_window_view(x, len(window), axis=1)[:, :: len(window) // 2] * window)
    return np.asarray(X.real**2 + X.imag**2)


def _peaks(powers: NDArray[np.float32], window: NDArray[np.float32]) -> list[tuple[float, float]]:
    """Places in bins, and by how many times they stand out, of the lines in powers (windows, bins)."""
    size = len(window)
    silent = 10 ** (SILENT_DB / 10) * size * float(np.sum(window**2)) / 2
    heard = powers[powers.sum(axis=1) > silent]
    if len(heard) < FEWEST_WINDOWS:
        return []
    place = int(RARE * len(heard))
    soft = np.partition(heard, place, axis=0)[place] + 1e-20
    ratio = soft / neighbours.median_filter(soft, AROUND, mode="nearest")
    peaks = np.flatnonzero((ratio > STANDS_OUT) & (soft >= neighbours.maximum_filter1d(soft, 2 * LOBE + 1)))
    out = []
    for b in peaks[(peaks > 0) & (peaks < size // 2)]:
        before, at, after = np.log(soft[b - 1 : b + 2])
        curve = before - 2 * at + after
        out.append((b + float(0.5 * (before - after) / curve if curve < 0 else 0.0), float(ratio[b])))
    return out
