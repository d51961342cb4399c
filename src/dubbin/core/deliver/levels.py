"""How loud a program becomes behind gain and limiter, without writing it: only where the limiter works is it run; the rest is known from one look.

So the gain that brings a program to a target is found in a few quick rounds, and what the limiter will do is known before anything is made.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.deliver.limiter import limiter_gain
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.loudness import STEPS_PER_S, LoudnessMeter, integrated_of
from dubbin.core.sound.level import db_to_gain, finite_or_none, power_to_db
from dubbin.core.sound.source import Source, read_padded

TILE_S = 4
LEAD_S, TAIL_S = 1.0, 0.02  # of limiter and weighting, before and after a tile
OVER_SAMPLE = 1.3  # a true peak is hardly ever higher than the samples by more
CLOSE_LU = 0.02
ROUNDS = 8
MOST_GAIN_DB = 60.0
RELEASE_MS = 90.0


@dataclass(frozen=True)
class Reduction:
    """How far the limiter turns down: deepest_db; share: of the time in which it works; db: every 0.1 s, 0 or less."""

    deepest_db: float
    share: float
    db: NDArray[np.float32]


class Levels:
    """One look at a source, and then what gain and ceiling come to."""

    def __init__(self, source: Source, task: Task | None = None) -> None:
        self._source = source
        self.rate, self.channels = source.rate, source.channels
        self._tile = TILE_S * source.rate
        count = -(-source.frames // self._tile)
        self._steps: list[NDArray[np.float64]] = [np.zeros(0)] * count
        self._energy, self.peaks = np.zeros(count), np.zeros(count, np.float32)
        self._cell = max(1, source.rate // 10)
        self._highest = np.zeros(-(-source.frames // self._cell), np.float32)  # sample of every 0.1 s
        lock = threading.Lock()

        def look(index: int) -> None:
            start, stop = index * self._tile, min((index + 1) * self._tile, source.frames)
            x = self._read(start, stop)
            lead = round(LEAD_S * self.rate)
            self._steps[index] = self._weighted(x, stop - start)
            own = x[:, lead : lead + stop - start]
            self._energy[index] = float(np.einsum("cn,cn->", own, own, dtype=np.float64)) / self.channels
            heights = np.max(np.abs(own), axis=0)
            self.peaks[index] = float(np.max(heights, initial=0.0))
            first = start // self._cell
            edges = np.r_[start, np.arange((first + 1) * self._cell, stop, self._cell)] - start
            with lock:  # two tiles may meet within a cell
                cells = self._highest[first : first + len(edges)]
                np.maximum(cells, np.maximum.reduceat(heights, edges), out=cells)

        in_parallel(look, range(count), task or Task())

    def _read(self, start: int, stop: int) -> NDArray[np.float32]:
        return read_padded(self._source, start - round(LEAD_S * self.rate), stop + round(TAIL_S * self.rate))

    def _weighted(self, x: NDArray[np.float32], frames: int) -> NDArray[np.float64]:
        """Weighted mean squares of the 20 ms steps of a tile, which comes with its lead."""
        meter = LoudnessMeter(self.rate, self.channels, true_peak=False)
        meter.push(x)
        lead = round(LEAD_S * STEPS_PER_S)
        return meter.steps()[lead : lead + frames * STEPS_PER_S // self.rate]

    def reduction(self, gain_db: float, ceiling_dbtp: float) -> Reduction:
        """What the limiter does through time behind a gain."""
        return reduction_from(self._highest, gain_db, ceiling_dbtp)

    def loud_tiles(self, count: int) -> list[tuple[int, int]]:
        """Frames (start, end) of up to `count` tiles from the louder half, spread over the whole."""
        loud = np.flatnonzero(self._energy >= np.median(self._energy)) if len(self._energy) else np.zeros(0, np.int64)
        chosen = np.unique(loud[np.linspace(0, len(loud) - 1, min(count, len(loud))).astype(int)]) if len(loud) else loud
        return [(int(k) * self._tile, min((int(k) + 1) * self._tile, self._source.frames)) for k in chosen]

    def limited(self, gain_db: float, ceiling_dbtp: float, *, by_rms: bool, task: Task | None = None) -> float | None:
        """Integrated loudness in LUFS, or RMS in dBFS, behind gain and limiter; None for silence."""
        gain, ceiling = db_to_gain(gain_db), db_to_gain(ceiling_dbtp)
        steps, energy = [s * gain**2 for s in self._steps], self._energy * gain**2
        working = np.flatnonzero(self.peaks * gain * OVER_SAMPLE > ceiling)

        def limit(index: int) -> None:
            start, stop = index * self._tile, min((index + 1) * self._tile, self._source.frames)
            y = self._read(start, stop) * np.float32(gain)
            y *= limiter_gain(y, self.rate, ceiling, RELEASE_MS)
            steps[index] = self._weighted(y, stop - start)
            lead = round(LEAD_S * self.rate)
            own = y[:, lead : lead + stop - start]
            energy[index] = float(np.einsum("cn,cn->", own, own, dtype=np.float64)) / self.channels

        in_parallel(limit, working.tolist(), task or Task())
        if by_rms:
            return finite_or_none(power_to_db(float(energy.sum()) / max(self._source.frames, 1)))
        return finite_or_none(integrated_of(np.concatenate(steps))) if steps else None

    def gain_to(
        self, aim: float, ceiling_dbtp: float, *, by_rms: bool = False, near_db: float | None = None, task: Task | None = None
    ) -> float:
        """Gain in dB in front of the limiter that brings the source to a level; 0 for silence. near_db: a gain that may be close.

        The limiter takes some of the level away, so the gain is corrected by what is missing until it is right.
        """
        task = task or Task()
        level = self.limited(0.0, 200.0, by_rms=by_rms)
        if level is None:
            return 0.0
        gain_db, last = aim - level if near_db is None else near_db, (0.0, level)
        for k in range(ROUNDS):
            level = self.limited(gain_db, ceiling_dbtp, by_rms=by_rms, task=task.part(k / ROUNDS, (k + 1) / ROUNDS))
            missing = aim - (level if level is not None else aim)
            if abs(missing) < CLOSE_LU:
                break
            # How much level a dB of gain still gives, from the last two; the harder the limiter works, the less.
            now = (gain_db, aim - missing)
            slope = (now[1] - last[1]) / (now[0] - last[0]) if abs(now[0] - last[0]) > 1e-6 else 1.0
            last = now
            gain_db = float(np.clip(gain_db + missing / min(max(slope, 0.2), 1.2), -MOST_GAIN_DB, MOST_GAIN_DB))
        return gain_db


def reduction_from(peaks: NDArray[np.float32], gain_db: float, ceiling_dbtp: float) -> Reduction:
    """What the limiter does through time, from the highest sample of every 0.1 s."""
    level = 20.0 * np.log10(np.maximum(peaks, 1e-9)) + gain_db - ceiling_dbtp
    db = np.minimum(-level, 0.0).astype(np.float32)
    return Reduction(float(-db.min(initial=0.0)), float(np.mean(db < -0.1)) if len(db) else 0.0, db)
