"""How far each voice treatment turns the sound down, through time: what is drawn beside the wave."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, blocks
from dubbin.core.treat.chain import Chain

STEP_S = 0.05
QUIET_DBFS = -75.0  # what is softer has no gain to speak of


@dataclass(frozen=True)
class Reduction:
    """gain_db: change of level every STEP_S, NaN where there is no sound to speak of."""

    gain_db: NDArray[np.float32]

    @property
    def heard(self) -> NDArray[np.float32]:
        """Gains of the steps in which something is heard."""
        return self.gain_db[np.isfinite(self.gain_db)]

    def share_below(self, db: float) -> float:
        """Share of the time in which it is turned down by more than so many dB."""
        heard = self.heard
        return float(np.mean(heard < -abs(db))) if len(heard) else 0.0


def levels(source: Source, task: Task) -> NDArray[np.float64]:
    """RMS in dBFS every STEP_S, of the loudest channel."""
    size = max(1, round(STEP_S * source.rate))
    out, rest = [], np.zeros((source.channels, 0), np.float32)
    for start, x in blocks(source):
        task.step(start / max(source.frames, 1))
        x = np.concatenate([rest, x], axis=1)
        count = x.shape[1] // size
        if count:
            part = x[:, : count * size].reshape(x.shape[0], count, size).astype(np.float64)
            out.append(np.mean(part**2, axis=2).max(axis=0))
        rest = x[:, count * size :].copy()
    return 10.0 * np.log10(np.concatenate(out) + 1e-12) if out else np.zeros(0)


def reductions(chain: Chain, task: Task | None = None) -> dict[str, Reduction]:
    """For every stage of a chain, by the name of its treatment: at full strength, what it does to the level."""
    task = task or Task()
    out: dict[str, Reduction] = {}
    if not chain.stages:
        return out
    count = len(chain.stages) + 1
    before = levels(chain.stages[0].upstream, task.part(0.0, 1 / count))
    for k, stage in enumerate(chain.stages):
        after = levels(stage, task.part((k + 1) / count, (k + 2) / count))
        gain = np.where(before > QUIET_DBFS, after - before, np.nan)
        out[stage.treatment.name] = Reduction(gain.astype(np.float32))
        before = after
    return out
