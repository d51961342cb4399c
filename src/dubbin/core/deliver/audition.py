"""The master as it will be, to be heard before it is made: the program behind gain and limiter."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.program import Program
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples
from dubbin.core.treat.chain import Stage, Use
from dubbin.core.treat.tiles import MemoryTileCache


class _Now(Limiter):
    """In short tiles, so that the first is there at once."""

    tile_s: ClassVar[float] = 1.0
    lead_s: ClassVar[float] = 0.8


class Audition:
    """A program behind gain and limiter. as_loud: afterwards as loud as the program was, so that one compares the sound and not the level."""

    def __init__(self, program: Program, gain_db: float, ceiling_dbtp: float, as_loud: bool = False) -> None:
        self.map: TimeMap = program.map
        self.rate, self.channels, self.frames = program.rate, program.channels, program.frames
        self._limited = Stage(
            program, Use(_Now(), LimiterSettings(gain_db=gain_db, ceiling_dbtp=ceiling_dbtp)), "audition", MemoryTileCache()
        )
        self._back = np.float32(db_to_gain(-gain_db) if as_loud else 1.0)

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), limited as the master is; where `as_loud` was asked for, no louder than the program itself."""
        x = self._limited.read(start, stop)
        return x if self._back == 1.0 else x * self._back
