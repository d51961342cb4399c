"""Music and effects under the program: they sound on over every cut, give way to speech, and follow every edit."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Lane
from dubbin.core.mix.gain_curve import GainCurve, fade_gain
from dubbin.core.sound.source import Samples, Source, read_padded

LOOP_FADE_S = 0.25


class BedTrack:
    """A lane under the program as a source on program time; without level and pan."""

    def __init__(self, lane: Lane, source: Source, start: int, program_frames: int, ducking: GainCurve | None) -> None:
        """start: program frame at which it begins. ducking: on program time."""
        assert lane.bed is not None
        self._source, self.ducking, self.start = source, ducking, start
        self.rate, self.channels = source.rate, source.channels
        self._from = min(max(lane.bed.from_frame, 0), source.frames)
        piece = source.frames - self._from
        self._overlap = min(round(LOOP_FADE_S * source.rate), piece // 4) if lane.bed.loop else 0
        self._piece = piece
        rest = max(program_frames - start, 0)
        wanted = lane.bed.frames or (rest if lane.bed.loop else piece)
        self.length = min(wanted if lane.bed.loop else min(wanted, piece), rest) if piece > 0 else 0
        self.frames = program_frames
        self._fades = min(lane.fade_in_frames, self.length), min(lane.fade_out_frames, self.length)

    @property
    def stop(self) -> int:
        """Program frame at which it ends."""
        return self.start + self.length

    def recording_frames(self, program: NDArray[np.int64]) -> NDArray[np.int64]:
        """The frames of its recording that sound at program frames; -1 where none does."""
        n = program - self.start
        inside = (n >= 0) & (n < self.length)
        return np.where(inside, self._from + n % max(self._piece - self._overlap, 1), -1)

    def read(self, start: int, stop: int) -> Samples:
        out = np.zeros((self.channels, stop - start), np.float32)
        a, b = max(start, self.start), min(stop, self.stop)
        if b <= a:
            return out
        part = out[:, a - start : b - start]
        every = max(self._piece - self._overlap, 1)
        first, last = max((a - self.start - self._overlap) // every, 0), (b - 1 - self.start) // every
        for again in range(first, last + 1):
            self._add(part, a, b, self.start + again * every, again)
        gain = fade_gain(np.arange(a - self.start, b - self.start), self.length, *self._fades)
        if gain is not None:
            part *= gain
        if self.ducking is not None:
            part *= self.ducking.at(a, b)
        return out

    def _add(self, part: Samples, a: int, b: int, begin: int, again: int) -> None:
        """One repetition that begins at a program frame."""
        c, d = max(a, begin), min(b, begin + self._piece)
        if d <= c:
            return
        x = read_padded(self._source, self._from + c - begin, self._from + d - begin)
        repeats = self._overlap and self.length > self._piece
        fades = (self._overlap if again else 0, self._overlap if repeats else 0)
        gain = fade_gain(np.arange(c - begin, d - begin), self._piece, *fades)
        part[:, c - a : d - a] += x if gain is None else x * gain
