"""The proof: a finished file, decoded again and measured against its target."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dubbin.core.deliver.targets import Reading, Rule, Target, rules
from dubbin.core.jobs import Task, ahead
from dubbin.core.measure.gated import GapMeter
from dubbin.core.measure.history import LoudnessHistory, history_of
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.measure.spectrum import Spectrum, SpectrumMeter
from dubbin.core.sound.level import finite_or_none, power_to_db
from dubbin.core.sound.reading import decode, probe

PEAK_STEP_S = 0.5
MOST_PEAKS = 12
FRAME_S = 0.05  # of the noise meter
QUIET_UNDER_LOUD_DB, QUIET_OVER_FLOOR_DB = 32.0, 9.0  # what is softer is no word, at the ends of a file
FEWEST_GAPS = 8
DIGITAL_SILENCE_DB, GAPS_WITHIN_DB = -110.0, 5.0


@dataclass(frozen=True)
class Measured:
    """What a file was found to be.

    noise_floor_dbfs: of what is heard where nobody speaks; None where that is digital silence. peaks: (seconds, dBFS) of its highest places.
    mono_loss_db: how much of its power is gone when both sides are folded into one; None for mono. sha256: of the file's bytes.
    """

    loudness: Loudness
    sample_rate: int
    channels: int
    duration_s: float
    rms_dbfs: float | None = None
    noise_floor_dbfs: float | None = None
    head_s: float | None = None
    tail_s: float | None = None
    history: LoudnessHistory | None = None
    spectrum: Spectrum | None = None
    peaks: tuple[tuple[float, float], ...] = ()
    codec: str = ""
    sha256: str = ""
    bytes: int = 0
    mono_loss_db: float | None = None

    @property
    def reading(self) -> Reading:
        """What the rules of targets look at."""
        return Reading(self.loudness, self.channels, self.rms_dbfs, self.noise_floor_dbfs, self.head_s, self.tail_s)


@dataclass(frozen=True)
class Proof:
    """Whether a file meets a target, with the figures and what is wrong, in sentences."""

    file: Path
    target: str
    measured: Measured
    problems: tuple[str, ...]
    rules: tuple[Rule, ...] = field(default=())

    @property
    def passes(self) -> bool:
        """Whether nothing is wrong with the file."""
        return not self.problems


class FileMeter:
    """Streams the blocks of a file and gives all that is asked of it."""

    def __init__(self, rate: int, channels: int) -> None:
        self.rate, self.channels, self.frames = rate, channels, 0
        self._loudness, self._noise = LoudnessMeter(rate, channels), GapMeter(rate, channels, offset_counts=True)
        self._spectrum = SpectrumMeter(rate)
        self._energy, self._folded = 0.0, 0.0
        self._step = max(1, round(PEAK_STEP_S * rate))
        self._peaks: dict[int, float] = {}

    def push(self, x: NDArray[np.float32]) -> None:
        """Look at the next samples (channels, frames)."""
        self._loudness.push(x)
        self._noise.push(x)
        self._spectrum.push(x)
        self._energy += float(np.einsum("cn,cn->", x, x, dtype=np.float64)) / self.channels
        if self.channels == 2:
            middle = 0.5 * (x[0] + x[1])
            self._folded += float(np.dot(middle, middle))
        level = np.max(np.abs(x), axis=0)
        edges = np.unique(np.concatenate([[0], np.arange(-self.frames % self._step, len(level), self._step)]))
        for start, value in zip(edges.tolist(), np.maximum.reduceat(level, edges).tolist(), strict=True):
            place = (self.frames + start) // self._step
            self._peaks[place] = max(self._peaks.get(place, 0.0), value)
        self.frames += x.shape[1]

    def _mono_loss(self) -> float | None:
        if self.channels != 2 or self._energy <= 0:
            return None
        return max(0.0, -10.0 * float(np.log10(max(self._folded / self._energy, 1e-9))))

    def result(self, codec: str = "", sha256: str = "", size: int = 0) -> Measured:
        """What was measured in all that was pushed; the arguments are told on as they are. codec: as its decoder calls it; size: in bytes."""
        history = history_of(self._loudness)
        power = self._noise.frame_powers()
        head, tail = _quiet_ends(power)
        floor = None if self._noise.holds_silence else _floor_between(power)
        rms = finite_or_none(power_to_db(self._energy / self.frames)) if self.frames else None
        peaks = sorted(self._peaks.items(), key=lambda p: -p[1])[:MOST_PEAKS]
        known = tuple((place * PEAK_STEP_S, 20.0 * float(np.log10(value))) for place, value in sorted(peaks) if value > 0)
        return Measured(
            history.loudness, self.rate, self.channels, self.frames / self.rate, rms, floor, head, tail,
            history, self._spectrum.result(), known, codec, sha256, size, self._mono_loss(),
        )  # fmt: skip


def _floor_between(power: NDArray[np.float64]) -> float | None:
    """RMS in dBFS of the quiet frames of some length: what is heard where nobody speaks."""
    sounding = power[power > 10.0 ** (DIGITAL_SILENCE_DB / 10.0)]
    if len(sounding) < FEWEST_GAPS:
        return None
    level = 10.0 * np.log10(sounding)
    quiet = sounding[level < float(np.quantile(level, 0.05)) + GAPS_WITHIN_DB]
    return float(power_to_db(float(np.mean(quiet))))


def _quiet_ends(power: NDArray[np.float64]) -> tuple[float | None, float | None]:
    """Seconds before the first and after the last word."""
    if not len(power) or not np.any(power > 0):
        return None, None
    level = 10.0 * np.log10(power + 1e-15)
    loud = float(np.quantile(level, 0.95))
    floor = float(np.quantile(level, 0.05))
    word = np.flatnonzero(level > max(loud - QUIET_UNDER_LOUD_DB, min(floor + QUIET_OVER_FLOOR_DB, loud - 12.0)))
    if not len(word):
        return None, None
    return float(word[0] * FRAME_S), float((len(level) - 1 - word[-1]) * FRAME_S)


def measure_file(path: Path, task: Task | None = None) -> Measured:
    """Decode a file from the disk and measure it. Raises UnusableSound."""
    task = task or Task()
    info = probe(path)
    meter = FileMeter(info.rate, info.channels)
    for x in ahead(decode(path, info)):
        task.step(meter.frames / info.frames if info.frames else 0.5)
        meter.push(np.nan_to_num(x, copy=False))
    return meter.result(info.codec.removeprefix("sndfile:"), file_hash(path), path.stat().st_size)


def file_hash(path: Path) -> str:
    """SHA-256 of a file's bytes."""
    digest = hashlib.sha256()
    with open(path, "rb") as f:
        while part := f.read(1 << 20):
            digest.update(part)
    return digest.hexdigest()


def prove(path: Path, target: Target, task: Task | None = None) -> Proof:
    """Measure a file against a target. Raises UnusableSound."""
    return judge(path, target, measure_file(path, task))


def judge(path: Path, target: Target, measured: Measured) -> Proof:
    """Hold what was measured of a file against a target."""
    found = tuple(rules(measured.reading, target))
    return Proof(path, target.name, measured, tuple(r.problem for r in found if not r.passes), found)
