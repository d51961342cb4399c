"""A gain that changes slowly, as a source multiplies by it: points at a fixed distance, straight in between."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

POINTS_PER_S = 100


@dataclass(frozen=True)
class GainCurve:
    """gain: amplitude factors, POINTS_PER_S a second from frame 0 on; before and after, the first and the last."""

    gain: NDArray[np.float32]
    rate: int

    def at(self, start: int, stop: int) -> NDArray[np.float32]:
        """Gain of every frame from start to stop, (stop - start,)."""
        if not len(self.gain):
            return np.ones(stop - start, np.float32)
        hop = self.rate / POINTS_PER_S
        first = int(np.clip(np.floor(start / hop), 0, len(self.gain) - 1))
        last = int(np.clip(np.ceil(stop / hop) + 1, first + 1, len(self.gain)))
        part = self.gain[first:last]
        if np.all(part == part[0]):
            return np.full(stop - start, part[0], np.float32)
        return np.interp(np.arange(start, stop), np.arange(first, last) * hop, part).astype(np.float32)

    @property
    def db(self) -> NDArray[np.float64]:
        """The gain in dB."""
        return 20.0 * np.log10(np.maximum(self.gain.astype(np.float64), 1e-6))


def curve_from_db(level_db: NDArray[Any], rate: int) -> GainCurve:
    """level_db: POINTS_PER_S a second."""
    return GainCurve((10.0 ** (np.asarray(level_db, np.float64) / 20.0)).astype(np.float32), rate)


def fade_gain(n: NDArray[np.int64], frames: int, fade_in: int, fade_out: int) -> NDArray[np.float32] | None:
    """Gain of frames n of something that is `frames` long: a quarter of a sine at both ends, so that the powers of two that cross add up to one.

    None where no fade reaches.
    """
    if not len(n) or (int(n[0]) >= fade_in and int(n[-1]) < frames - fade_out):
        return None
    gain = np.ones(len(n))
    if fade_in:
        gain *= np.sin(np.clip((n + 0.5) / fade_in, 0.0, 1.0) * np.pi / 2)
    if fade_out:
        gain *= np.sin(np.clip((frames - n - 0.5) / fade_out, 0.0, 1.0) * np.pi / 2)
    return gain.astype(np.float32)
