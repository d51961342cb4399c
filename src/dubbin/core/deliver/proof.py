"""The proof: a finished file, decoded again and measured against its target."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dubbin.core.deliver.targets import Target, problems
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.sound.reading import decode, probe


@dataclass(frozen=True)
class Measured:
    """What a file was found to be."""

    loudness: Loudness
    sample_rate: int
    channels: int
    duration_s: float


@dataclass(frozen=True)
class Proof:
    """Whether a file meets a target, with the figures and what is wrong, in sentences."""

    file: Path
    target: str
    measured: Measured
    problems: tuple[str, ...]

    @property
    def passes(self) -> bool:
        return not self.problems


def measure_file(path: Path, task: Task | None = None) -> Measured:
    """Decode a file from the disk and measure it. Raises UnusableSound."""
    task = task or Task()
    info = probe(path)
    meter = LoudnessMeter(info.rate, info.channels)
    frames = 0
    for x in decode(path, info):
        task.step(frames / info.frames if info.frames else 0.5)
        meter.push(np.nan_to_num(x, copy=False))
        frames += x.shape[1]
    return Measured(meter.result(), info.rate, info.channels, frames / info.rate)


def prove(path: Path, target: Target, task: Task | None = None) -> Proof:
    """Measure a file against a target. Raises UnusableSound."""
    measured = measure_file(path, task)
    return Proof(path, target.name, measured, tuple(problems(measured.loudness, measured.channels, target)))
