"""Pictures of sound in time and frequency: levels on a grid that matches hearing, for any zoom."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import fourier
from dubbin.core.sound.source import Source, read_padded

TOP_HZ = 18000.0
LONG_S, SHORT_S = 0.043, 0.021  # windows: far away, where pitch tells most, and close up, where time does
CLOSE_S = 0.004  # a column shorter than this is close up
MOST_LOOKS = 4  # at a column that is longer than a window
LOWEST_DB, HIGHEST_DB = -100.0, -32.0  # per row; quieter is paper, louder is ink


def hz_of(share: float, rate: int) -> float:
    """Frequency at a share (0 bottom, 1 top) of the picture's height; steps as in the mel scale."""
    return float(700.0 * np.expm1(share * np.log1p(min(TOP_HZ, rate / 2) / 700.0)))


def share_of(hz: float, rate: int) -> float:
    """Where a frequency lies between bottom (0) and top (1)."""
    return float(np.log1p(max(hz, 0.0) / 700.0) / np.log1p(min(TOP_HZ, rate / 2) / 700.0))


@lru_cache(maxsize=16)
def _rows(rate: int, size: int, rows: int) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """For every row its first bin, one past its last, and how far between bins a narrow one lies."""
    edges = np.array([hz_of(k / rows, rate) for k in range(rows + 1)]) * size / rate
    wide = edges[1:] - edges[:-1] >= 2.0
    middles = (edges[:-1] + edges[1:]) / 2
    first = np.where(wide, np.round(edges[:-1]), np.floor(middles)).astype(np.int64)
    last = np.where(wide, np.round(edges[1:]), first + 1).astype(np.int64)
    return first, np.minimum(last, size // 2 + 1), (middles - first).astype(np.float32)


def spectrogram(source: Source, start: float, per_column: float, count: int, rows: int) -> NDArray[np.uint8]:
    """(rows, count) from 0 (quiet) to 255 (loud), the top row the highest frequency, the loudest channel of each column.

    start: frame where the first column begins; per_column: frames a column. Outside of the source it is quiet.
    """
    rate = source.rate
    window_s = SHORT_S if per_column < CLOSE_S * rate else LONG_S
    size = 1 << round(np.log2(window_s * rate))
    looks = int(np.clip(per_column / (size / 2), 1, MOST_LOOKS))
    window = np.hanning(size).astype(np.float32)
    window /= np.sqrt(np.sum(window**2, dtype=np.float64))
    centres = start + per_column * (np.arange(count * looks) + 0.5) / looks
    begins = np.round(centres).astype(np.int64) - size // 2
    P = _powers(source, begins, size, window)
    P = P.reshape(count, looks, -1).max(axis=1)
    first, last, between = _rows(rate, size, rows)
    wide = last - first > 1
    sums = np.concatenate([np.zeros((count, 1), np.float32), np.cumsum(P, axis=1, dtype=np.float64)], axis=1)
    means = (sums[:, last] - sums[:, first]) / (last - first)
    upper = np.minimum(first + 1, P.shape[1] - 1)
    narrow = P[:, first] * (1 - np.clip(between, 0, 1)) + P[:, upper] * np.clip(between, 0, 1)
    level = 10.0 * np.log10(np.where(wide, means, narrow) * (2.0 / size) + 1e-14)
    shade = np.clip((level - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB), 0.0, 1.0)
    return np.ascontiguousarray((shade.T[::-1] * 255.0 + 0.5).astype(np.uint8))


def _powers(source: Source, begins: NDArray[np.int64], size: int, window: NDArray[np.float32]) -> NDArray[np.float32]:
    """(windows, bins); read together where windows lie close, one by one where not."""
    out = np.zeros((len(begins), size // 2 + 1), np.float32)
    inside = (begins + size > 0) & (begins < source.frames)
    if not inside.any():
        return out
    used = np.flatnonzero(inside)
    together = begins[used[-1]] + size - begins[used[0]] <= 2 * size * len(used)
    if together:
        whole = read_padded(source, int(begins[used[0]]), int(begins[used[-1]]) + size)
        places = begins[used] - begins[used[0]]
        pieces = [np.lib.stride_tricks.sliding_window_view(channel, size)[places] for channel in whole]
    else:
        read = np.stack([read_padded(source, int(b), int(b) + size) for b in begins[used]])
        pieces = [read[:, c] for c in range(source.channels)]
    for piece in pieces:
        X = fourier.rfft(piece * window)
        out[used] = np.maximum(out[used], X.real**2 + X.imag**2)
    return out
