"""Alignment: where recordings of one session, made by separate machines, belong on one clock, by their sound.

First coarsely, by how the spectrum changes over the whole recording; then finely in many short stretches, by the phase of
their cross-spectrum. A clock that runs faster than the other one makes these fine offsets drift along a straight line: its slope
is the drift, its height the offset. Who speaks near one microphone is heard a few milliseconds later in the other, so
the offsets lie in two groups when two people talk; the middle of both is the clock's.

Sources: Knapp and Carter, "The generalized correlation method for estimation of time delay", IEEE TASSP 1976 (phase
transform). Limits: the recordings must hear some of the same sound; drift up to 300 ppm.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import neighbours
from dubbin.core.sound.source import Source, read_padded

FRAMES_PER_S = 50
BANDS_HZ = (150, 300, 600, 1200, 2400, 4800)
CHUNK_S = 20.0
STRETCH_S = 8.0  # of one fine offset
MOST_STRETCHES = 160
SEARCH_S = 0.35  # fine, to both sides of where the coarse offset and the drift so far put it
FINE_RATE = 16000
FINE_HZ = (200.0, 6000.0)
CLEAR_PEAK = 5.0  # a fine offset counts when its peak stands this far above the rest (in its own scatter)
MOST_DRIFT_PPM = 300.0
FEWEST = 4
TOGETHER_S = 0.0015  # offsets this close to a line belong to it
TWO_GROUPS_S = 0.02  # further apart, a second group is no second talker
COARSE_CLEAR = 6.0


@dataclass(frozen=True)
class Alignment:
    """offset_s: where the second recording's first frame lies on the first one's clock. drift_ppm: by how much its clock
    runs fast. scatter_ms: of the fine offsets around the line. share: of the stretches that agree, 0 to 1."""

    offset_s: float
    drift_ppm: float
    scatter_ms: float
    share: float


def align(first: Source, second: Source, task: Task | None = None) -> Alignment | None:
    """Line the second source up with the first; None where they have too little in common."""
    task = task or Task()
    coarse = _coarse(_changes(first, task.part(0.0, 0.2)), _changes(second, task.part(0.2, 0.4)))
    if coarse is None:
        return None
    found = _fine(first, second, coarse, task.part(0.4, 1.0))
    if len(found) < FEWEST:
        return None
    times, offsets = np.array(found).T
    return _line(times, offsets)


def _changes(source: Source, task: Task) -> NDArray[np.float32]:
    """(bands, frames) how much each band rises, FRAMES_PER_S times a second: what two microphones have in common."""
    hop = source.rate / FRAMES_PER_S
    size = round(2 * hop)
    window = np.hanning(size).astype(np.float32)
    edges = np.minimum(np.round(np.array(BANDS_HZ) * size / source.rate).astype(int), size // 2)
    count = max(int(source.frames / hop), 2)
    per_chunk = round(CHUNK_S * FRAMES_PER_S)
    level = np.zeros((len(BANDS_HZ) - 1, count), np.float32)

    def look(first: int) -> None:
        number = min(per_chunk, count - first)
        starts = np.round(np.arange(number) * hop).astype(int)
        x = read_padded(source, round(first * hop), round(first * hop) + int(starts[-1]) + size).mean(axis=0)
        X = scipy.fft.rfft(np.lib.stride_tricks.sliding_window_view(x, size)[starts] * window, axis=1)
        P = X.real**2 + X.imag**2
        for band in range(len(level)):
            part = P[:, edges[band] : max(edges[band + 1], edges[band] + 1)].sum(axis=1)
            level[band, first : first + number] = 10.0 * np.log10(part + 1e-9)

    in_parallel(look, range(0, count, per_chunk), task)
    # A voice that is far away stands less above the noise; counted in its own scatter it rises as much.
    rises = np.diff(neighbours.uniform_filter1d(level, 3, axis=1), axis=1, prepend=level[:, :1])
    rises -= rises.mean(axis=1, keepdims=True)
    rises /= rises.std(axis=1, keepdims=True) + 1e-6
    out: NDArray[np.float32] = np.clip(rises, -3.0, 3.0)
    return out


def _coarse(a: NDArray[np.float32], b: NDArray[np.float32]) -> float | None:
    """Seconds by which b begins after a."""
    size = scipy.fft.next_fast_len(a.shape[1] + b.shape[1], real=True)
    together = np.sum(scipy.fft.rfft(a, size, axis=1) * np.conj(scipy.fft.rfft(b, size, axis=1)), axis=0)
    score = scipy.fft.irfft(together, size)
    lags = np.arange(size)
    lags[lags >= a.shape[1]] -= size
    overlap = np.minimum(a.shape[1], lags + b.shape[1]) - np.maximum(lags, 0)
    score = np.where(overlap > 2 * FRAMES_PER_S, score / np.sqrt(np.maximum(overlap, 1)), 0.0)
    best = int(np.argmax(score))
    if score[best] < COARSE_CLEAR * np.std(score):
        return None
    return float(lags[best]) / FRAMES_PER_S


def _fine(first: Source, second: Source, coarse: float, task: Task) -> list[tuple[float, float]]:
    """(middle of the stretch in the second recording, offset) in seconds, for every stretch whose offset is clear."""
    begin, end = max(-coarse, 0.0), min(second.frames / second.rate, first.frames / first.rate - coarse)
    length = min(STRETCH_S, max(end - begin, 0.0))
    count = min(MOST_STRETCHES, max(int((end - begin) / (length / 2 + 1e-9)), 1))
    times = np.linspace(begin, max(end - length, begin), count)
    found: list[tuple[float, float] | None] = [None] * count

    def look(k: int) -> None:
        # Drift moves the offset on by up to 0.3 ms a second: the search is as wide as that may come to.
        reach = SEARCH_S + MOST_DRIFT_PPM * 1e-6 * (times[k] + abs(coarse))
        offset = _offset(first, second, float(times[k]), float(length), coarse, float(reach))
        found[k] = (float(times[k]) + length / 2, offset) if offset is not None else None

    in_parallel(look, range(count), task)
    return [f for f in found if f is not None]


def _offset(first: Source, second: Source, at: float, length: float, coarse: float, reach: float) -> float | None:
    b = _low(second, at, at + length)
    a = _low(first, at + coarse - reach, at + coarse + length + reach)
    size = scipy.fft.next_fast_len(len(a) + len(b), real=True)
    A, B = scipy.fft.rfft(a, size), scipy.fft.rfft(b * np.hanning(len(b)), size)
    cross = A * np.conj(B)
    hz = np.arange(len(cross)) * FINE_RATE / size
    cross /= np.abs(cross) ** 0.8 + 1e-12  # a little of the strength stays: bins of noise count less than those of a voice
    cross[(hz < FINE_HZ[0]) | (hz > FINE_HZ[1])] = 0.0
    score = np.abs(scipy.fft.irfft(cross, size))[: round(2 * reach * FINE_RATE) + 1]
    top = int(np.argmax(score))
    if score[top] < CLEAR_PEAK * np.std(score) or not 0 < top < len(score) - 1:
        return None
    left, middle, right = score[top - 1 : top + 2]
    between = 0.5 * (left - right) / min(left - 2 * middle + right, -1e-12)
    out: float | None = coarse - reach + (top + between) / FINE_RATE
    return out


def _low(source: Source, start_s: float, end_s: float) -> NDArray[np.float32]:
    """Mono at FINE_RATE; exact at its start, whatever the source's rate."""
    import soxr

    start = round(start_s * source.rate)
    x = read_padded(source, start, start + round((end_s - start_s) * source.rate)).mean(axis=0)
    return np.asarray(soxr.resample(x, source.rate, FINE_RATE, "MQ"), np.float32)


def _line(times: NDArray[np.float64], offsets: NDArray[np.float64]) -> Alignment | None:
    """The line on which most offsets lie; of two parallel ones, the middle."""
    span = max(float(np.ptp(times)), 1.0)
    most = MOST_DRIFT_PPM if span > 20.0 else 0.0
    best: tuple[int, float, float] = (0, 0.0, 0.0)
    for drift in np.arange(-most, most + 0.5, min(max(0.5e6 * TOGETHER_S / span, 0.5), 25.0)):
        rest = np.sort(offsets + drift * 1e-6 * times)
        counts = np.searchsorted(rest, rest + 2 * TOGETHER_S, side="right") - np.arange(len(rest))
        k = int(np.argmax(counts))
        if counts[k] > best[0]:
            best = (int(counts[k]), float(drift), float(rest[k : k + counts[k]].mean()))
    count, drift, height = best
    if count < FEWEST:
        return None
    rest = offsets + drift * 1e-6 * times
    near = np.abs(rest - height) < 2 * TOGETHER_S
    if most and near.sum() >= 6:
        slope, height = np.polyfit(times[near], offsets[near], 1)
        drift = -float(slope) * 1e6
        rest = offsets + drift * 1e-6 * times
        near = np.abs(rest - height) < 1.5 * TOGETHER_S
    height = float(np.median(rest[near]))
    others = rest[~near & (np.abs(rest - height) < TWO_GROUPS_S)]
    agreeing = int(near.sum())
    if len(others):
        grid = np.sort(others)
        counts = np.searchsorted(grid, grid + TOGETHER_S, side="right") - np.arange(len(grid))
        k = int(np.argmax(counts))
        if counts[k] >= max(FEWEST, 0.2 * near.sum()):
            agreeing += int(counts[k])
            height = 0.5 * (height + float(np.median(grid[k : k + counts[k]])))
    scatter = 1000.0 * float(np.median(np.abs(rest[near] - np.median(rest[near]))))
    return Alignment(height, drift, scatter, agreeing / len(times))
