"""What a master will be, before it is made: gain, what the limiter will have to do, and what will fail and why."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.deliver.levels import Reduction, reduction_from
from dubbin.core.deliver.master import HEADROOM_DB, OFTEN, TRANSPARENT_DB
from dubbin.core.deliver.proof import FileMeter, Measured
from dubbin.core.deliver.targets import Reading, Target, rules
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.measure.history import LoudnessHistory
from dubbin.core.sound.source import Source, blocks
from dubbin.core.texts import tr

STEP_S = 0.1
FOLD_LU = 3.0103  # a centred program loses so much of its loudness when its two sides become one channel


@dataclass(frozen=True)
class ProgramFigures:
    """Of a program before mastering. peaks: the highest sample of every 0.1 s."""

    measured: Measured
    peaks: NDArray[np.float32]

    @property
    def history(self) -> LoudnessHistory:
        """Loudness through time."""
        assert self.measured.history is not None
        return self.measured.history


@dataclass(frozen=True)
class Prediction:
    """What a target comes to. problems: what will fail; advice: what will be heard, though it passes. Sentences."""

    target: Target
    gain_db: float
    reduction: Reduction
    problems: tuple[str, ...]
    advice: tuple[str, ...]


def measure_program(program: Source, task: Task | None = None) -> ProgramFigures:
    """Look through a whole program once."""
    task = task or Task()
    meter, size = FileMeter(program.rate, program.channels), max(1, round(STEP_S * program.rate))
    peaks = []
    for start, x in blocks(program, size * 16):
        task.step(start / max(program.frames, 1))
        meter.push(x)
        peaks.append(np.maximum.reduceat(np.max(np.abs(x), axis=0), np.arange(0, x.shape[1], size)))
    return ProgramFigures(meter.result(), np.concatenate(peaks) if peaks else np.zeros(0, np.float32))


def predict(figures: ProgramFigures, target: Target) -> Prediction:
    """Nothing is rendered: loudness and peaks of the program, moved by the gain."""
    loudness, measured = figures.history.loudness, figures.measured
    fold = FOLD_LU if target.channels == 1 and measured.channels == 2 and not target.by_rms else 0.0
    level = measured.rms_dbfs if target.by_rms else loudness.integrated_lufs
    if level is None or target.aim is None:
        reading = replace(measured.reading, channels=target.channels)
        found = tuple(r.problem for r in rules(reading, target) if not r.passes)
        return Prediction(target, 0.0, reduction_from(figures.peaks, 0.0, 200.0), found, ())
    gain = target.aim - (level - fold)
    reduction = reduction_from(figures.peaks, gain, target.true_peak_dbtp - HEADROOM_DB)

    def moved(value: float | None, by: float = gain - fold) -> float | None:
        return None if value is None else value + by

    after = replace(
        loudness, integrated_lufs=moved(loudness.integrated_lufs), max_momentary_lufs=moved(loudness.max_momentary_lufs),
        max_short_term_lufs=moved(loudness.max_short_term_lufs), true_peak_dbtp=target.true_peak_dbtp - HEADROOM_DB,
    )  # fmt: skip
    # What room tone lacks at the ends is put there; what is too long is cut.
    reading = Reading(after, target.channels, moved(measured.rms_dbfs, gain), moved(measured.noise_floor_dbfs, gain), None, None)
    found = tuple(r.problem for r in rules(reading, target) if not r.passes)
    advice = []
    often = float(np.mean(reduction.db < -TRANSPARENT_DB)) if len(reduction.db) else 0.0
    if often > OFTEN:
        advice.append(
            tr(
                "{title} asks for {gain} dB: the limiter would turn down by up to {deepest_db} dB, which is heard "
                "above {transparent_db} dB. Level the voices first, in Balance."
            ).format(
                title=target.title,
                gain=number(gain, sign=True),
                deepest_db=number(reduction.deepest_db),
                transparent_db=number(TRANSPARENT_DB, 0),
            )
        )
    if measured.mono_loss_db is not None and measured.mono_loss_db > 1.5 and target.channels == 1:
        advice.append(
            tr("{mono_loss_db} dB of the program are lost when both sides are folded into one.").format(
                mono_loss_db=number(measured.mono_loss_db)
            )
        )
    return Prediction(target, gain, reduction, found, tuple(advice))
