"""Stretches of a lane that are muted, lowered or bleeped."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Cover, CoverKind, Lane
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source

FADE_S, LOWER_FADE_S = 0.004, 0.03  # what is lowered goes down and comes up as by hand
LOWERING = frozenset((CoverKind.LOWER, CoverKind.OTHER))
OTHER = frozenset((CoverKind.OTHER,))
TONE_HZ = 1000.0
TONE_DBFS = -26.0  # about as loud as speech is on a lane of its own


def fade_frames(kind: CoverKind, rate: int) -> int:
    """Frames outside of a cover in which it comes and goes."""
    return max(1, round((LOWER_FADE_S if kind in LOWERING else FADE_S) * rate))


def uncovered(
    own: NDArray[np.bool_], lane: Lane, rate: int, per_s: int, kinds: Collection[CoverKind] = tuple(CoverKind)
) -> NDArray[np.bool_]:
    """Marks of own speech (per_s a second of a lane's recording) without what is covered: nobody hears it there, or it is another's."""
    covers = [c for c in lane.covers if c.kind in kinds]
    if not covers:
        return own
    out = own.copy()
    for item in covers:
        end = item.end_frame + (fade_frames(item.kind, rate) if item.kind in LOWERING else 0)
        out[-(-item.start_frame * per_s // rate) : -(-end * per_s // rate)] = False
    return out


class Covered:
    """A source with covers over it; frames of the source itself."""

    def __init__(self, source: Source, covers: Sequence[Cover]) -> None:
        self._source, self._covers = source, tuple(covers)
        self.rate, self.channels, self.frames = source.rate, source.channels, source.frames

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), with what covers them."""
        x = self._source.read(start, stop)
        copied = False
        for cover in self._covers:
            fade = fade_frames(cover.kind, self.rate)
            a, b = max(start, cover.start_frame - fade), min(stop, cover.end_frame + fade)
            if b <= a:
                continue
            if not copied:
                x, copied = x.copy(), True
            n = np.arange(a, b)
            # 0 outside, 1 over the whole cover, straight over a few milliseconds before and after it.
            amount = np.clip(np.minimum(n - cover.start_frame, cover.end_frame - 1 - n) / fade + 1.0, 0.0, 1.0).astype(np.float32)
            kept = db_to_gain(cover.gain_db) if cover.kind in LOWERING else 0.0
            part = x[:, a - start : b - start]
            part *= 1.0 - amount * np.float32(1.0 - kept)
            if cover.kind is CoverKind.TONE:
                tone = db_to_gain(TONE_DBFS) * np.sqrt(2.0) * np.sin(2 * np.pi * TONE_HZ * (n - cover.start_frame) / self.rate)
                part += (amount * tone).astype(np.float32)
            elif cover.kind is CoverKind.NOISE:
                part += amount * self._noise(cover, a, b)
        return x

    def _noise(self, cover: Cover, a: int, b: int) -> Samples:
        """Room noise, played backwards and forwards in turn so that it lasts, for frames a to b."""
        place = cover.noise_from
        if place is None or place.end_frame <= place.start_frame:
            return np.zeros((self.channels, b - a), np.float32)
        low, high = max(0, place.start_frame), min(place.end_frame, self.frames)
        room = self._source.read(low, high)[:, ::-1]
        size = room.shape[1]
        if size < 2:
            return np.zeros((self.channels, b - a), np.float32)
        n = (np.arange(a, b) - cover.start_frame) % (2 * size - 2)
        return np.asarray(room[:, np.where(n < size, n, 2 * size - 2 - n)], np.float32)
