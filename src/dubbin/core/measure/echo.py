"""Room echo: the reverberation time RT60, blind, from how fast speech dies away where it stops.

Where a word ends, the level can't fall faster than the room lets it. So among all falling stretches the steep ones tell the
room, the slow ones tell how people speak. Each band's stretches are fitted with a line; a low quantile of their times is
taken, and corrected by a line found with simulated rooms (benchmarks/). Source of the idea: Löllmann, Yilmaz, Jeub and Vary,
"An improved algorithm for blind reverberation time estimation", IWAENC 2010.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier
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
DRY_BEHIND_NOISE_S, TAILS_TAKEN = 0.27, 2.1  # seconds that a dry voice may leave; how much longer a room rang than what is left of it
DECAY_S = 0.6  # shown of a word end


@dataclass(frozen=True)
class Echo:
    """rt60_s: seconds in which the room's sound falls by 60 dB; None where too few word ends were clear enough."""

    rt60_s: float | None


def measure_echo(source: Source, task: Task | None = None) -> Echo:
    """Look through a whole source."""
    levels = band_levels(source, task)
    times = np.concatenate([_decay_times(levels[:, band]) for band in range(levels.shape[1])])
    if len(times) < FEWEST:
        return Echo(None)
    return Echo(float(np.clip(SLOPE * np.quantile(times, QUANTILE) + OFFSET, LOWEST_S, HIGHEST_S)))


def echo_behind_noise(denoised: Source, task: Task | None = None) -> Echo:
    """The same of a recording whose noise covered its word ends, once the noise is gone: a denoiser takes most of the tails along, but of rooms that ring for long more is left
    than a dry voice has. None where what is left could be a dry voice.

    denoised: at full strength. Measured on eight real voices in fan noise of 10 and 16 dB: dry ones .08 to .23 s, in rooms of .33 s .17 to .28 s, of .66 s .29 to .38 s.
    """
    found = measure_echo(denoised, task).rt60_s
    return Echo(found * TAILS_TAKEN if found is not None and found > DRY_BEHIND_NOISE_S else None)


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
        smooth = scipy.ndimage.uniform_filter1d(levels[:, band], 3)
        falling = scipy.ndimage.binary_closing(np.concatenate([[False], np.diff(smooth) < 0.0]), np.ones(2))
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


def band_levels(source: Source, task: Task | None = None) -> NDArray[np.float64]:
    """Level in dB of every band each STEP_S, of all channels together: (steps, bands)."""
    hop = round(STEP_S * source.rate)
    size = 3 * hop
    window = np.hanning(size).astype(np.float32)
    edges = [(round(a * size / source.rate), max(round(b * size / source.rate), round(a * size / source.rate) + 1)) for a, b in BANDS_HZ]
    per_chunk = round(CHUNK_S * source.rate) // hop * hop
    starts = range(0, source.frames, per_chunk)
    out: list[NDArray[np.float64]] = [np.zeros((0, len(edges)))] * len(starts)

    def look(start: int) -> None:
        x = read_padded(source, start, min(start + per_chunk, source.frames) + size)
        power = np.zeros((1, len(edges)))
        for channel in x:
            frames = np.lib.stride_tricks.sliding_window_view(channel, size)[::hop]
            X = fourier.rfft(frames * window)
            P = X.real**2 + X.imag**2
            power = power + np.stack([P[:, a:b].sum(axis=1) for a, b in edges], axis=1)
        out[start // per_chunk] = power[: per_chunk // hop]

    in_parallel(look, starts, task or Task())
    return 10.0 * np.log10(np.concatenate(out) + 1e-14)


def _decay_times(level: NDArray[np.float64]) -> NDArray[np.float64]:
    """RT60 in seconds of every falling stretch of one band."""
    smooth = scipy.ndimage.uniform_filter1d(level, 3)
    floor = np.quantile(smooth, 0.1) + 6.0
    falling = np.concatenate([[False], np.diff(smooth) < 0.0])
    # A single step upwards in a long fall is chance.
    falling = scipy.ndimage.binary_closing(falling, np.ones(2))
    edges = np.flatnonzero(np.diff(np.concatenate([[0], falling.astype(np.int8), [0]])))
    out = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if (b - a + 1) * STEP_S < SHORTEST_S:
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
