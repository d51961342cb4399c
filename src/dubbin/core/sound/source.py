"""A sound in memory, and the one way in which everything reads sound: by spans of frames."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]

BLOCK_FRAMES = 1 << 16


@runtime_checkable
class Source(Protocol):
    """Something that holds sound: a recording, a treated recording, the program."""

    @property
    def rate(self) -> int:
        """Frames a second, in Hz."""

    @property
    def channels(self) -> int:
        """How many there are."""

    @property
    def frames(self) -> int:
        """Its length."""

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (0 <= start <= stop <= frames): float32, (channels, stop - start)."""


@dataclass(frozen=True)
class Sound:
    """Samples with their rate; itself a source.

    samples: float32, shape (channels, frames), C-contiguous, nominal range -1 to 1. rate: Hz.
    """

    samples: Samples
    rate: int

    def __post_init__(self) -> None:
        if self.samples.ndim != 2 or self.samples.dtype != np.float32:
            raise ValueError(f"samples must be float32 (channels, frames), got {self.samples.dtype} {self.samples.shape}")
        if self.rate <= 0:
            raise ValueError(f"rate must be positive, got {self.rate}")

    @property
    def channels(self) -> int:
        """Rows of the samples."""
        return int(self.samples.shape[0])

    @property
    def frames(self) -> int:
        """Samples of each channel."""
        return int(self.samples.shape[1])

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start): a copy."""
        return np.ascontiguousarray(self.samples[:, start:stop])


@dataclass(frozen=True)
class _Changed:
    """What is made of another source: like it in all that it does not say otherwise."""

    source: Source

    @property
    def rate(self) -> int:
        """As the other source."""
        return self.source.rate

    @property
    def channels(self) -> int:
        """As the other source."""
        return self.source.channels

    @property
    def frames(self) -> int:
        """As the other source."""
        return self.source.frames


@dataclass(frozen=True)
class PickedChannels(_Changed):
    """Some channels of another source, in the order given."""

    picked: tuple[int, ...]

    @property
    def channels(self) -> int:
        """As many as are picked."""
        return len(self.picked)

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop of the channels that are picked."""
        return np.ascontiguousarray(self.source.read(start, stop)[list(self.picked)])


@dataclass(frozen=True)
class Stretch(_Changed):
    """Frames start to stop of another source."""

    start: int
    stop: int

    @property
    def frames(self) -> int:
        """From the first frame of the stretch to its end."""
        return self.stop - self.start

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop, counted from the first of the stretch."""
        return self.source.read(self.start + start, self.start + stop)


@dataclass(frozen=True)
class Scaled(_Changed):
    """Another source, louder or softer: times a factor."""

    factor: float

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), times the factor."""
        return self.source.read(start, stop) * np.float32(self.factor)


@dataclass(frozen=True)
class Difference:
    """One source minus another of the same shape: with (recorded, treated), what was removed."""

    whole: Source
    part: Source

    @property
    def rate(self) -> int:
        """As the whole."""
        return self.whole.rate

    @property
    def channels(self) -> int:
        """As the whole."""
        return self.whole.channels

    @property
    def frames(self) -> int:
        """As the whole."""
        return self.whole.frames

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start) of what the whole has and the part has not."""
        return self.whole.read(start, stop) - self.part.read(start, stop)


def read_padded(source: Source, start: int, stop: int) -> Samples:
    """Like `read`, with silence where the span reaches over the ends of the source."""
    inner_start, inner_stop = max(start, 0), min(stop, source.frames)
    out = np.zeros((source.channels, stop - start), np.float32)
    if inner_stop > inner_start:
        out[:, inner_start - start : inner_stop - start] = source.read(inner_start, inner_stop)
    return out


def blocks(source: Source, size: int = BLOCK_FRAMES) -> Iterator[tuple[int, Samples]]:
    """The whole source as (first frame, samples) in blocks of `size` frames; the last may be shorter."""
    for start in range(0, source.frames, size):
        yield start, source.read(start, min(start + size, source.frames))
