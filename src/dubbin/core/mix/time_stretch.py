"""Faster or slower with the pitch kept, to listen by: waveform-similarity overlap-add.

A listener gets speech at half to three times its speed that sounds like the same voice talking slower or faster. For monitoring only: masters are never stretched.

Source: W. Verhelst, M. Roelands, "An overlap-add technique based on waveform similarity (WSOLA) for high quality time-scale modification of speech",
ICASSP 1993. Limits: two voices at once, or music, flutter a little; what is shorter than a segment (a click) may be heard twice when slowed down.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from dubbin.core.sound.source import Samples

SLOWEST, FASTEST = 0.5, 3.0
SEGMENT_S = 0.03  # two periods of a low man's voice
SEARCH_S = 0.008  # to either side: one period of it
TINY = 1e-9


class Readable(Protocol):
    """What can be read by frames: samples (channels, frames)."""

    @property
    def rate(self) -> int:
        """Frames a second."""

    @property
    def frames(self) -> int:
        """How many there are."""

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start)."""


class TimeStretch:
    """Reads a source from a frame on, at another speed; blocks come in order."""

    def __init__(self, source: Readable, start: int, speed: float) -> None:
        """start: first frame. speed: frames of the source for one that comes out, 0.5 to 3; outside raises ValueError."""
        if not SLOWEST <= speed <= FASTEST:
            raise ValueError(f"speed must lie in {SLOWEST} to {FASTEST}, got {speed}")
        self._source, self._start, self._speed = source, start, speed
        self._half = round(SEGMENT_S / 2 * source.rate)
        self._search = round(SEARCH_S * source.rate)
        rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(self._half) + 0.5) / self._half)
        self._rise, self._fall = rise.astype(np.float32), rise[::-1].astype(np.float32)
        self._segment = 0
        self._tail: Samples | None = None  # second half of the last segment, not yet faded out
        self._ready: list[Samples] = []
        self._given = 0

    @property
    def frame(self) -> float:
        """The source's frame that the next block begins with, as time goes."""
        return self._start + self._given * self._speed

    def next(self, frames: int) -> Samples:
        """The next frames, (channels, frames); fewer where the source ends."""
        last = max(0, round((self._source.frames - self._start) / self._speed)) - self._given
        wanted = min(frames, last)
        while sum(part.shape[1] for part in self._ready) < wanted:
            self._ready.append(self._next_half())
        if not self._ready:
            return self._padded(self._start, self._start)
        x = np.concatenate(self._ready, axis=1)
        self._ready = [x[:, wanted:]]
        self._given += wanted
        return x[:, :wanted]

    def _next_half(self) -> Samples:
        """Half a segment more: the last one fades into the one that continues it best."""
        half = self._half
        ideal = self._start + round(self._segment * half * self._speed)
        at = ideal if self._tail is None else ideal + self._best_lag(ideal, self._tail)
        x = self._padded(at, at + 2 * half)
        out = x[:, :half] if self._tail is None else self._tail * self._fall + x[:, :half] * self._rise
        self._tail = x[:, half:]
        self._segment += 1
        return out

    def _best_lag(self, ideal: int, wanted: Samples) -> int:
        """How many frames beside its place a segment begins most like what would have come next."""
        around = self._padded(ideal - self._search, ideal + self._search + self._half).sum(axis=0)
        target = wanted.sum(axis=0)
        likeness = np.correlate(around, target, "valid")
        energy = np.cumsum(np.concatenate([[0.0], np.square(around, dtype=np.float64)]))
        norm = np.sqrt(np.maximum(energy[self._half :] - energy[: -self._half], 0.0)) + TINY
        score = likeness / norm
        best = int(np.argmax(score))
        # Where nothing is like anything (silence), the place that time asks for.
        return best - self._search if score[best] > TINY else 0

    def _padded(self, start: int, stop: int) -> Samples:
        """Frames of the source, zeros before its beginning and behind its end."""
        a, b = max(start, 0), min(stop, self._source.frames)
        x = self._source.read(a, max(a, b)) if b > a else self._source.read(0, 0)
        left, right = min(max(-start, 0), stop - start), max(stop - max(b, start), 0)
        if b <= a:
            return np.zeros((x.shape[0], stop - start), np.float32)
        return np.pad(x, ((0, 0), (left, right)))


class Backwards:
    """A source from its end to its beginning."""

    def __init__(self, source: Readable) -> None:
        self._source = source

    @property
    def rate(self) -> int:
        """Frames a second, as the source."""
        return self._source.rate

    @property
    def frames(self) -> int:
        """As many as the source."""
        return self._source.frames

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), counted from the source's end."""
        frames = self._source.frames
        return np.ascontiguousarray(self._source.read(frames - stop, frames - start)[:, ::-1])
