"""Reads what plays, at its speed and in its direction, block by block."""

from __future__ import annotations

from dubbin.core.deliver.audition import Audition
from dubbin.core.mix.program import Program, to_stereo
from dubbin.core.mix.time_stretch import Backwards, TimeStretch
from dubbin.core.sound.source import Samples

Playable = Program | Audition


class Cursor:
    """A place in a program from which blocks are read. speed: program frames for one that is heard, negative for backwards; 1: as it is."""

    def __init__(self, program: Playable, frame: int, stop: int, speed: float = 1.0) -> None:
        """stop: the program frame at which it ends, below `frame` where it goes backwards."""
        self.program, self.frame, self.stop, self.speed = program, frame, stop, speed
        self._stretch: TimeStretch | None = None
        if speed != 1.0:
            source = program if speed > 0 else Backwards(program)
            self._stretch = TimeStretch(source, frame if speed > 0 else program.frames - frame, abs(speed))

    @property
    def is_at_end(self) -> bool:
        return self.frame >= self.stop if self.speed > 0 else self.frame <= self.stop

    def next(self, frames: int) -> Samples:
        """Stereo; fewer frames at the end."""
        left = max(0, round((self.stop - self.frame) / self.speed))
        frames = min(frames, left)
        if self._stretch is None:
            x = to_stereo(self.program.read(self.frame, self.frame + frames))
            self.frame += x.shape[1]
            return x
        x = to_stereo(self._stretch.next(frames))
        at = round(self._stretch.frame)
        self.frame = at if self.speed > 0 else self.program.frames - at
        if x.shape[1] < frames or left <= frames:
            self.frame = self.stop
        return x
