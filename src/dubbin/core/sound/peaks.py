"""The peak pyramid: lowest and highest sample of ever larger stretches, so that a wave paints at once."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dubbin.core.array_files import array_in
from dubbin.core.sound.source import Samples, Source, blocks

BASE_FRAMES = 256
FACTOR = 4


class PeakPyramid:
    """Levels of (channels, bins, 2) float32 arrays; level k covers BASE_FRAMES * FACTOR**k frames a bin."""

    def __init__(self, base: NDArray[np.float32], frames: int) -> None:
        self.frames = frames
        self.levels = [base]
        while self.levels[-1].shape[1] > 64:
            self.levels.append(_coarser(self.levels[-1]))

    @property
    def channels(self) -> int:
        """Of the sound it was made of."""
        return int(self.levels[0].shape[0])

    def columns(self, channel: int, start: float, frames_per_column: float, count: int) -> NDArray[np.float32]:
        """(count, 2) lowest and highest sample for `count` columns from frame `start` on.

        Columns outside the sound are zero. frames_per_column should be at least BASE_FRAMES; below
        that the samples themselves tell more.
        """
        level = 0
        while level + 1 < len(self.levels) and BASE_FRAMES * FACTOR ** (level + 1) <= frames_per_column:
            level += 1
        bins = self.levels[level][channel]
        per_bin = BASE_FRAMES * FACTOR**level
        edges = (start + frames_per_column * np.arange(count + 1)) / per_bin
        first = np.floor(edges[:-1]).astype(np.int64)
        last = np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1)
        out = np.zeros((count, 2), np.float32)
        inside = (last > 0) & (first < len(bins))
        if not inside.any():
            return out
        lo, hi = np.clip(first[inside], 0, len(bins) - 1), np.clip(last[inside], 1, len(bins))
        # reduceat over [lo, hi) pairs: every second result is the one wanted.
        pairs = np.stack([lo, hi], 1).ravel()
        padded = np.concatenate([bins, bins[-1:]])
        out[inside, 0] = np.minimum.reduceat(padded[:, 0], pairs)[::2]
        out[inside, 1] = np.maximum.reduceat(padded[:, 1], pairs)[::2]
        return out

    def around(self, channels: Sequence[int], frames: NDArray[np.int64], reach: float) -> NDArray[np.float32]:
        """(n, 2) lowest and highest sample of some channels within about `reach` frames of each of many frames; zero outside the sound."""
        level = 0
        while level + 1 < len(self.levels) and BASE_FRAMES * FACTOR**level < reach:
            level += 1
        bins = self.levels[level]
        index = frames // (BASE_FRAMES * FACTOR**level)
        inside = (frames >= 0) & (frames < self.frames)
        picked = bins[list(channels)][:, np.clip(index, 0, bins.shape[1] - 1)]
        out = np.stack([picked[..., 0].min(axis=0), picked[..., 1].max(axis=0)], axis=1)
        out[~inside] = 0.0
        return out

    def save(self, path: Path) -> None:
        """Write it to a file."""
        with open(path, "wb") as f:
            np.save(f, self.levels[0])

    @classmethod
    def load(cls, path: Path, channels: int, frames: int) -> PeakPyramid:
        """Read it back; channels and frames: of the sound. Raises ValueError where the file is damaged, or tells of another sound."""
        base = array_in(path.read_bytes())
        if base.dtype != np.float32 or base.shape != (channels, max(-(-frames // BASE_FRAMES), 1), 2):
            raise ValueError("not the peaks of this sound")
        return cls(base, frames)


class PeakBuilder:
    """Makes a pyramid from blocks as they come."""

    def __init__(self, channels: int) -> None:
        self._rest: Samples = np.zeros((channels, 0), np.float32)
        self._bins: list[NDArray[np.float32]] = []
        self._frames = 0

    def push(self, x: Samples) -> None:
        """Take in the next block (channels, frames)."""
        self._frames += x.shape[1]
        x = np.concatenate([self._rest, x], axis=1) if self._rest.shape[1] else x
        whole = x.shape[1] // BASE_FRAMES * BASE_FRAMES
        if whole:
            self._bins.append(_extremes(x[:, :whole]))
        self._rest = x[:, whole:].copy()

    def finish(self) -> PeakPyramid:
        """The pyramid of all blocks."""
        bins = list(self._bins)
        if self._rest.shape[1]:
            missing = BASE_FRAMES - self._rest.shape[1]
            bins.append(_extremes(np.pad(self._rest, ((0, 0), (0, missing)), mode="edge")))
        if not bins:
            bins = [np.zeros((self._rest.shape[0], 1, 2), np.float32)]
        return PeakPyramid(np.concatenate(bins, axis=1), self._frames)


def peaks_of(source: Source) -> PeakPyramid:
    """The pyramid of a whole source."""
    builder = PeakBuilder(source.channels)
    for _, x in blocks(source):
        builder.push(x)
    return builder.finish()


def _extremes(x: Samples) -> NDArray[np.float32]:
    shaped = x.reshape(x.shape[0], -1, BASE_FRAMES)
    return np.stack([shaped.min(axis=2), shaped.max(axis=2)], axis=2)


def _coarser(bins: NDArray[np.float32]) -> NDArray[np.float32]:
    missing = -bins.shape[1] % FACTOR
    padded = np.pad(bins, ((0, 0), (0, missing), (0, 0)), mode="edge")
    shaped = padded.reshape(bins.shape[0], -1, FACTOR, 2)
    return np.stack([shaped[..., 0].min(axis=2), shaped[..., 1].max(axis=2)], axis=2)
