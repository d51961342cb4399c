"""Music and effects under the program: they sound on over every cut, give way to speech, and follow every edit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.balance_settings import Bed
from dubbin.core.episode.model import Lane
from dubbin.core.mix.gain_curve import GainCurve, fade_gain
from dubbin.core.sound.source import Samples, Source, read_padded

LOOP_FADE_S = 0.25


@dataclass(frozen=True)
class BedPlace:
    """Where a bed lies. start, length: program frames. first: frame of its recording with which it begins; piece: how many are repeated; overlap: by how many a
    repetition begins before the one before has ended."""

    start: int
    length: int
    first: int
    piece: int
    overlap: int

    @property
    def every(self) -> int:
        """Program frames from one repetition to the next."""
        return max(self.piece - self.overlap, 1)

    def rounds(self) -> list[tuple[int, int, int]]:
        """(program frame, frame of the recording, frames) of every repetition, each up to the next one."""
        out, at = [], 0
        while at < self.length:
            frames = self.length - at if self.length - at <= self.piece else self.every
            out.append((self.start + at, self.first, frames))
            at += frames
        return out


def place_bed(bed: Bed, frames: int, rate: int, start: int, program_frames: int) -> BedPlace:
    """Place a bed whose recording has `frames` at `rate` Hz, and that begins at program frame `start`."""
    first = min(max(bed.from_frame, 0), frames)
    piece = frames - first
    overlap = min(round(LOOP_FADE_S * rate), piece // 4) if bed.loop else 0
    rest = max(program_frames - start, 0)
    wanted = bed.frames or (rest if bed.loop else piece)
    length = min(wanted if bed.loop else min(wanted, piece), rest) if piece > 0 else 0
    return BedPlace(start, length, first, piece, overlap)


class BedTrack:
    """A lane under the program as a source on program time; without level and pan."""

    def __init__(self, lane: Lane, source: Source, start: int, program_frames: int, ducking: GainCurve | None) -> None:
        """start: program frame at which it begins. ducking: on program time."""
        assert lane.bed is not None
        self._source, self.ducking, self.start = source, ducking, start
        self.rate, self.channels = source.rate, source.channels
        place = place_bed(lane.bed, source.frames, source.rate, start, program_frames)
        self._from, self._piece, self._overlap, self.length = place.first, place.piece, place.overlap, place.length
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
        """Frames start to stop of the program (channels, stop - start); silence where the music does not play."""
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
