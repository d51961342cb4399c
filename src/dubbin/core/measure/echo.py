"""Room echo: the reverberation time RT60, blind, from how fast speech dies away where it stops.

Where a word ends, the level can't fall faster than the room lets it. So among all falling stretches the steep ones tell the
room, the slow ones tell how people speak. Each band's stretches are fitted with a line; a low quantile of their times is
taken, and corrected by a line found with simulated rooms (benchmarks/). Source of the idea: Löllmann, Yilmaz, Jeub and Vary,
"An improved algorithm for blind reverberation time estimation", IWAENC 2010.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.own_stretches import own_stretches
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Source, read_padded

STEP_S = 0.008
BANDS_HZ = ((350, 700), (700, 1400), (1400, 2800), (2800, 5600))
SHORTEST_S, FALL_DB = 0.10, 14.0
QUANTILE = 0.3
FEWEST = 6
# RT60 = SLOPE * quantile + OFFSET, fitted on 48 simulated rooms of 0.2 to 0.9 s, near and far, with up to 25 dB of noise.
SLOPE, OFFSET = 1.25, -0.08
LOWEST_S, HIGHEST_S = 0.08, 2.5
CHUNK_S = 20.0
MOST_CHUNKS = 30  # ten minutes, from all of a recording, tell its room as well as an hour does
RINGING_HOP_S, RINGING_HIGHEST_HZ = 0.018, 8000.0
QUIET_SHARE, RINGING_ABOVE_DB = 0.15, 15.0  # of the frames of a bin that hold nothing but noise; above the noise
# A bin begins or dies away with so many times, or this part, of its highest power in these frames before.
RINGING_FRAMES, RISEN, FALLEN = 5, 4.0, 2.0
# Of four real voices in fan noise at 16 dB the neural denoiser takes -.3 to 0 dB more of what dies away where it is dry, .9 to 1.7 dB in a room of .25 s, 1.9 to 2.6 dB at .4 s,
# 2.6 to 3.5 dB at .66 s.
RINGS_DB = 1.2
FROM_RINGING = (-0.03, 0.21)  # RT60 in seconds, and for each dB
DECAY_S = 0.6  # shown of a word end


@dataclass(frozen=True)
class Echo:
    """rt60_s: seconds in which the room's sound falls by 60 dB; None where too few word ends were clear enough."""

    rt60_s: float | None


def measure_echo(source: Source, task: Task | None = None) -> Echo:
    """Look through up to ten minutes of a source, from all of it."""
    levels = band_levels(source, task, spread=True)
    if not len(levels):
        return Echo(None)
    own = own_stretches(
        10.0 * np.log10(np.sum(10.0 ** (levels / 10.0), axis=1)), STEP_S
    )  # not the room of those who are far from this microphone
    times = np.concatenate([_decay_times(levels[:, band], own) for band in range(levels.shape[1])])
    if len(times) < FEWEST:
        return Echo(None)
    return Echo(float(np.clip(SLOPE * np.quantile(times, QUANTILE) + OFFSET, LOWEST_S, HIGHEST_S)))


def echo_behind_noise(recorded: Source, denoised: Source, task: Task | None = None) -> Echo:
    """The same of a recording whose noise covers its word ends, by what a denoiser that knows voices takes along: see `ringing_db`. None where it takes no room.

    denoised: at full strength. Figures of real voices stand at FROM_RINGING.
    """
    ringing = ringing_db(recorded, denoised, task)
    return Echo(float(min(FROM_RINGING[0] + FROM_RINGING[1] * ringing, HIGHEST_S)) if ringing > RINGS_DB else None)


def ringing_db(recorded: Source, denoised: Source, task: Task | None = None) -> float:
    """How much more a denoiser takes of what dies away than of what begins, in dB, among bins that stand far above the noise; 0 where nothing does.

    What begins is the voice; what dies away is a voice's end in a dry recording, and mostly the room in one that rings. What takes the voice itself, or people in the background, takes
    both alike. Looks through up to ten minutes of a recording, from all of it.
    """
    size = round(2 * RINGING_HOP_S * recorded.rate)
    window, bins = np.hanning(size).astype(np.float32), min(round(RINGING_HIGHEST_HZ * size / recorded.rate), size // 2 + 1)
    length = round(CHUNK_S * recorded.rate)
    starts = _spread(np.arange(0, max(recorded.frames - size, 1), length))
    sums = np.zeros((len(starts), 4))

    def look(k: int) -> None:
        stop = max(min(int(starts[k]) + length, recorded.frames), int(starts[k]) + size)
        was, left = (
            np.sum([_powers(channel, window)[:, :bins] for channel in read_padded(source, int(starts[k]), stop)], axis=0)
            for source in (recorded, denoised)
        )
        noise = np.quantile(was, QUIET_SHARE, axis=0) / -np.log1p(-QUIET_SHARE)  # of exponentially distributed powers the mean
        before = np.zeros_like(was)
        before[1:] = neighbours.maximum_filter1d(was, RINGING_FRAMES, axis=0, origin=RINGING_FRAMES // 2)[:-1]
        above = was > noise * 10.0 ** (RINGING_ABOVE_DB / 10.0)
        begins, dies = above & (was > RISEN * before), above & (was < before / FALLEN)
        sums[k] = was[begins].sum(), left[begins].sum(), was[dies].sum(), left[dies].sum()

    in_parallel(look, range(len(starts)), task or Task())
    begun, begun_left, died, died_left = sums.sum(axis=0) + 1e-12
    return float(10.0 * np.log10(begun_left / begun * died / died_left))


def _spread(starts: NDArray[np.int64]) -> NDArray[np.int64]:
    """At most MOST_CHUNKS of them, the first and the last among them."""
    return starts[np.unique(np.linspace(0, len(starts) - 1, MOST_CHUNKS).astype(int))] if len(starts) else starts


def _powers(x: NDArray[np.float32], window: NDArray[np.float32]) -> NDArray[np.float32]:
    X = fourier.rfft(np.lib.stride_tricks.sliding_window_view(x, len(window))[:: len(window) // 2] * window)
    return np.asarray(X.real**2 + X.imag**2)


def echo_strength(rt60_s: float) -> int:
    """How far echo is to be taken out, 0 to 100."""
    return int(np.clip(round(60 + (rt60_s - 0.25) * 200), 60, 100))


@dataclass(frozen=True)
class Decay:
    """level_db: mean level after word ends, relative to where they begin to fall, at time_s."""

    time_s: NDArray[np.float64]
    level_db: NDArray[np.float64]


def mean_decay(source: Source, task: Task | None = None) -> Decay:
    """How this recording's word ends die away, in the mean of the bands: the steepest quarter of them, which shows the room."""
    levels = band_levels(source, task)
    length = round(DECAY_S / STEP_S)
    curves, slopes = [], []
    for band in range(levels.shape[1]):
        smooth = neighbours.uniform_filter1d(levels[:, band], 3)
        falling = neighbours.closed(np.concatenate([[False], np.diff(smooth) < 0.0]), 2)
        starts = np.flatnonzero(np.diff(falling.astype(np.int8)) == 1)
        for start in starts:
            piece = smooth[start : start + length]
            if len(piece) == length and piece[0] - piece[round(SHORTEST_S / STEP_S)] > FALL_DB:
                curves.append(piece - piece[0])
                slopes.append(piece[0] - piece[round(SHORTEST_S / STEP_S)])
    time_s = np.arange(length, dtype=np.float64) * STEP_S
    if len(curves) < FEWEST:
        return Decay(time_s[:0], time_s[:0])
    steep = np.argsort(slopes)[-max(len(curves) // 4, FEWEST) :]
    return Decay(time_s, np.asarray(np.median(np.array(curves)[steep], axis=0), np.float64))


def band_levels(source: Source, task: Task | None = None, *, spread: bool = False) -> NDArray[np.float64]:
    """Level in dB of every band each STEP_S, of all channels together: (steps, bands). spread: of what is longer than ten minutes, stretches from all of it."""
    hop = round(STEP_S * source.rate)
    size = 3 * hop
    window = np.hanning(size).astype(np.float32)
    edges = [(round(a * size / source.rate), max(round(b * size / source.rate), round(a * size / source.rate) + 1)) for a, b in BANDS_HZ]
    per_chunk = round(CHUNK_S * source.rate) // hop * hop
    starts = np.arange(0, source.frames, per_chunk)
    if spread:
        starts = _spread(starts)
    out: list[NDArray[np.float64]] = [np.zeros((0, len(edges)))] * len(starts)

    def look(k: int) -> None:
        start = int(starts[k])
        x = read_padded(source, start, min(start + per_chunk, source.frames) + size)
        power = np.zeros((1, len(edges)))
        for channel in x:
            frames = np.lib.stride_tricks.sliding_window_view(channel, size)[::hop]
            X = fourier.rfft(frames * window)
            P = X.real**2 + X.imag**2
            power = power + np.stack([P[:, a:b].sum(axis=1) for a, b in edges], axis=1)
        out[k] = power[: per_chunk // hop]

    in_parallel(look, range(len(starts)), task or Task())
    return 10.0 * np.log10(np.concatenate([np.zeros((0, len(edges))), *out]) + 1e-14)


def _decay_times(level: NDArray[np.float64], own: NDArray[np.bool_]) -> NDArray[np.float64]:
    """RT60 in seconds of every falling stretch of one band that begins in a stretch of the recording's own voice."""
    smooth = neighbours.uniform_filter1d(level, 3)
    floor = np.quantile(smooth, 0.1) + 6.0
    falling = np.concatenate([[False], np.diff(smooth) < 0.0])
    # A single step upwards in a long fall is chance.
    falling = neighbours.closed(falling, 2)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], falling.astype(np.int8), [0]])))
    out = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if (b - a + 1) * STEP_S < SHORTEST_S or not own[a]:
            continue
        stretch = smooth[max(a - 1, 0) : b]
        stretch = stretch[stretch > floor]
        if len(stretch) * STEP_S < SHORTEST_S or stretch[0] - stretch[-1] < FALL_DB:
            continue
        # The first few dB belong to the voice, which does not stop at once.
        inner = stretch[stretch < stretch[0] - 3.0]
        if len(inner) < 7:
            continue
        n = (np.arange(len(inner)) - (len(inner) - 1) / 2) * STEP_S
        slope = float(np.dot(n, inner) / np.dot(n, n))
        rest = inner - np.sum(inner) / len(inner) - slope * n
        error = np.sqrt(np.dot(rest, rest) / len(rest))
        if slope < -1e-3 and error < 2.0:
            out.append(-60.0 / slope)
    return np.array(out)
