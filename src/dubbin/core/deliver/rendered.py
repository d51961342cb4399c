"""Sound on its way to a master: at the rate and the channels of a target, and behind gain and limiter."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soxr

from dubbin.core.deliver.levels import LEAD_S, RELEASE_MS, TAIL_S
from dubbin.core.deliver.limiter import limiter_gain
from dubbin.core.jobs import Task, ahead
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.rendered import Rendered, tiles_of
from dubbin.core.sound.source import Samples, Source, read_padded


class Limited:
    """A source behind gain and limiter, worked out where it is read. ceiling_dbtp: None: behind the gain alone."""

    def __init__(self, source: Source, gain_db: float, ceiling_dbtp: float | None) -> None:
        self.rate, self.channels, self.frames = source.rate, source.channels, source.frames
        self._source, self._gain = source, np.float32(db_to_gain(gain_db))
        self._ceiling = None if ceiling_dbtp is None else db_to_gain(ceiling_dbtp)
        self._lead, self._tail = round(LEAD_S * source.rate), round(TAIL_S * source.rate)

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start) with the gain, held under the ceiling where there is one."""
        y = read_padded(self._source, start - self._lead, stop + self._tail) * self._gain
        if self._ceiling is not None:
            y *= limiter_gain(y, self.rate, self._ceiling, RELEASE_MS)
        return np.ascontiguousarray(y[:, self._lead : self._lead + stop - start])


def fold_channels(x: Samples, channels: int) -> Samples:
    """Mono is the mean of both sides; mono to stereo plays at the same sample level on both."""
    if x.shape[0] == channels:
        return x
    mono = x.mean(axis=0, keepdims=True)
    return np.ascontiguousarray(np.repeat(mono, channels, axis=0))


def render(source: Source, path: Path, rate: int, channels: int, task: Task) -> Rendered:
    """Write a source to disk at another rate and channel count; the length is that of the source."""
    resampler = soxr.ResampleStream(source.rate, rate, channels, "float32", "VHQ") if rate != source.rate else None
    frames, tiles = 0, tiles_of(source, task)
    if resampler is not None:  # which works on one tile after the other, beside those that follow
        tiles = ahead(tiles, seats_needed=True)
    with open(path, "wb") as out:
        for stop, tile in tiles:
            x = fold_channels(tile, channels).T
            if resampler is not None:
                x = resampler.resample_chunk(np.ascontiguousarray(x), last=stop >= source.frames)
            out.write(np.ascontiguousarray(x, np.float32).data)
            frames += len(x)
    return Rendered(path, rate, channels, frames)
