"""What a codec takes from the level of a program, known from half a minute of it: so encoding the whole once is enough."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from dubbin.core.measure.loudness import LoudnessMeter
from dubbin.core.sound.reading import decode, probe
from dubbin.core.sound.source import Samples, Source, blocks

STRETCHES = 8
SHORTEST_S = 180.0  # a shorter program is encoded again instead, if need be


class Stretches:
    """Stretches of a source, one behind the other; a source."""

    def __init__(self, source: Source, spans: Sequence[tuple[int, int]]) -> None:
        self._source, self._spans = source, list(spans)
        self.rate, self.channels = source.rate, source.channels
        self.frames = sum(b - a for a, b in self._spans)

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start) of all stretches, one behind the other."""
        parts, at = [np.zeros((self.channels, 0), np.float32)], 0
        for a, b in self._spans:
            low, high = max(start - at, 0), min(stop - at, b - a)
            if high > low:
                parts.append(self._source.read(a + low, a + high))
            at += b - a
        return np.concatenate(parts, axis=1)


def level_lost(source: Source, spans: Sequence[tuple[int, int]], draft: Path, encode: Callable[[Source, Path], None]) -> float:
    """LU by which stretches become softer when they are encoded and decoded again; 0 where they can't be measured. draft: a file for it."""
    stretches = Stretches(source, spans)
    before = LoudnessMeter(source.rate, source.channels, true_peak=False)
    for _, x in blocks(stretches):
        before.push(x)
    encode(stretches, draft)
    info = probe(draft)
    after = LoudnessMeter(info.rate, info.channels, true_peak=False)
    for x in decode(draft, info):
        after.push(np.nan_to_num(x, copy=False))
    draft.unlink(missing_ok=True)
    lost = before.integrated() - after.integrated()
    return float(lost) if np.isfinite(lost) else 0.0
