"""A stretch of the program as a program of its own."""

from __future__ import annotations

import numpy as np

from dubbin.core.sound.source import Samples, Source

FADE_S = 0.01


class Clip:
    """Frames start to stop of a source, with short fades at both ends."""

    def __init__(self, source: Source, start: int, stop: int) -> None:
        self._source, self._start = source, min(max(start, 0), source.frames)
        self.rate, self.channels = source.rate, source.channels
        self.frames = max(min(stop, source.frames) - self._start, 0)
        self._fade = max(1, min(round(FADE_S * source.rate), self.frames // 2))

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop of the clip (channels, stop - start), faded in and out at its ends."""
        x = self._source.read(self._start + start, self._start + stop)
        n = np.arange(start, stop)
        gain = np.clip(np.minimum(n + 1, self.frames - n) / self._fade, 0.0, 1.0)
        return x if np.all(gain == 1.0) else np.asarray(x * gain.astype(np.float32), np.float32)
