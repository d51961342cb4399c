"""Makes masters: gain and limiter to a target, encoding, tags; then proves the file that came out."""

from __future__ import annotations

import re
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr

from dubbin.core.deliver.encode import OPUS_RATE, Format, encode
from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.deliver.proof import Proof, prove
from dubbin.core.deliver.tags import write_tags
from dubbin.core.deliver.targets import Target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.sound.interleaved import RawFile
from dubbin.core.sound.source import Samples, Source, blocks
from dubbin.core.sound.writing import check_folder, check_output
from dubbin.core.treat.chain import Stage, Use
from dubbin.core.treat.tiles import MemoryKeeper

# The limiter aims below the ceiling by what its readings, dither and rounding may differ.
HEADROOM_DB = 0.1
LOUDNESS_ERROR_LU = 0.05
LEVEL_TRIES = 5
CODEC_TRIES = 5


@dataclass(frozen=True)
class Master:
    """One finished file and its proof. gain_db: in front of the limiter."""

    format: Format
    proof: Proof
    gain_db: float

    @property
    def file(self) -> Path:
        return self.proof.file


class _Rendered:
    """Sound on disk as float32, frames interleaved; a source."""

    def __init__(self, path: Path, rate: int, channels: int, frames: int) -> None:
        self.rate, self.channels, self.frames = rate, channels, frames
        self._data = RawFile(path)

    def read(self, start: int, stop: int) -> Samples:
        return self._data.read(self.channels, start, stop)


def fold_channels(x: Samples, channels: int) -> Samples:
    """Mono is the mean of both sides; mono to stereo plays at the same sample level on both."""
    if x.shape[0] == channels:
        return x
    mono = x.mean(axis=0, keepdims=True)
    return np.ascontiguousarray(np.repeat(mono, channels, axis=0))


def _master_path(folder: Path, name: str, target: Target, format: Format) -> Path:
    return folder / f"{name}.{target.name}.{format.value}"


def _render(source: Source, path: Path, rate: int, channels: int, task: Task) -> _Rendered:
    """Write a source to disk at another rate and channel count; the length is that of the source."""
    resampler = soxr.ResampleStream(source.rate, rate, channels, "float32", "VHQ") if rate != source.rate else None
    frames = 0
    with open(path, "wb") as out:
        for start, block in blocks(source):
            task.step(start / max(source.frames, 1))
            x = fold_channels(block, channels).T
            if resampler is not None:
                x = resampler.resample_chunk(np.ascontiguousarray(x), last=start + block.shape[1] >= source.frames)
            out.write(np.ascontiguousarray(x).data)
            frames += len(x)
    return _Rendered(path, rate, channels, frames)


def _limited(source: Source, gain_db: float, ceiling_dbtp: float) -> Stage:
    settings = LimiterSettings(gain_db=gain_db, ceiling_dbtp=ceiling_dbtp)
    return Stage(source, Use(Limiter(), settings), "", MemoryKeeper(2))


def _loudness(source: Source, task: Task) -> float | None:
    meter = LoudnessMeter(source.rate, source.channels, true_peak=False)
    for start, x in blocks(source):
        task.step(start / max(source.frames, 1))
        meter.push(x)
    return meter.result().integrated_lufs


def gain_for(source: Source, target_lufs: float, ceiling_dbtp: float, task: Task) -> float:
    """Gain in dB in front of the limiter that brings a source to a loudness; 0 for silence.

    The limiter takes some loudness away, so the gain is corrected by what is missing until it is right.
    """
    level = _loudness(source, task.part(0.0, 0.2))
    if level is None:
        return 0.0
    gain_db = target_lufs - level
    for attempt in range(LEVEL_TRIES):
        part = task.part(0.2 + 0.8 * attempt / LEVEL_TRIES, 0.2 + 0.8 * (attempt + 1) / LEVEL_TRIES)
        level = _loudness(_limited(source, gain_db, ceiling_dbtp), part)
        missing = target_lufs - (level if level is not None else target_lufs)
        if abs(missing) < LOUDNESS_ERROR_LU:
            break
        gain_db = float(np.clip(gain_db + missing, -59.0, 59.0))
    return gain_db


def safe_name(title: str) -> str:
    """A file name from a title: letters and figures of any script, the rest as single hyphens."""
    return re.sub(r"[^\w]+", "-", title, flags=re.UNICODE).strip("-_").lower()[:80] or "episode"


def make_masters(
    program: Source,
    folder: Path,
    name: str,
    targets: Sequence[Target],
    formats: Sequence[Format],
    tags: Tags | None = None,
    task: Task | None = None,
    recordings: Sequence[Path] = (),
) -> list[Master]:
    """Render a program once and make a file for every target and format: NAME.TARGET.FORMAT in `folder`.

    recordings: files that the program is made of, which are never written over. Raises CannotWrite (folder, disk
    space, a master that would take a recording's place) and UnusableSound (a program without sound).
    """
    task = task or Task()
    check_folder(folder)
    for target in targets:
        for format in formats:
            check_output(_master_path(folder, name, target, format), tuple(recordings))
    if program.frames == 0:
        raise UnusableSound("There is nothing to master: the program is empty.")
    _check_space(program, folder, len(targets) * len(formats))
    masters: list[Master] = []
    with tempfile.TemporaryDirectory(prefix=".dubbin-", dir=folder) as temporary:
        work = Path(temporary)
        whole = _render(program, work / "program.f32", program.rate, program.channels, task.part(0.0, 0.4))
        share = 0.6 / max(len(targets), 1)
        for k, target in enumerate(targets):
            part = task.part(0.4 + share * k, 0.4 + share * (k + 1))
            masters += _masters_of_target(whole, folder, work, name, target, formats, tags, part)
    return masters


def _masters_of_target(
    whole: Source, folder: Path, work: Path, name: str, target: Target, formats: Sequence[Format],
    tags: Tags | None, task: Task,
) -> list[Master]:  # fmt: skip
    out = []
    prepared: dict[int, _Rendered] = {}
    gains: dict[int, float] = {}
    ceiling = target.true_peak_dbtp - HEADROOM_DB
    for k, format in enumerate(formats):
        part = task.part(k / len(formats), (k + 1) / len(formats))
        rate = OPUS_RATE if format is Format.OPUS else target.rate
        if rate not in prepared:
            path = work / f"{target.name}-{rate}.f32"
            prepared[rate] = _render(whole, path, rate, target.channels, part.part(0.0, 0.15))
            gains[rate] = gain_for(prepared[rate], target.integrated_lufs, ceiling, part.part(0.15, 0.5))
        file = _master_path(folder, name, target, format)
        gain_db, proof = _write_until_it_holds(
            prepared[rate], file, work, format, target, gains[rate], ceiling, tags, part.part(0.5, 1.0)
        )
        out.append(Master(format, proof, gain_db))
    return out


def _write_until_it_holds(
    source: Source, file: Path, work: Path, format: Format, target: Target, gain_db: float, ceiling_dbtp: float,
    tags: Tags | None, task: Task,
) -> tuple[float, Proof]:  # fmt: skip
    """Encode, decode, measure; where a codec overshoots the ceiling or loses loudness, correct and do it again."""
    draft = work / file.name
    for attempt in range(CODEC_TRIES):
        part = task.part(attempt / CODEC_TRIES, (attempt + 1) / CODEC_TRIES)
        encode(
            _limited(source, gain_db, ceiling_dbtp), draft, format,
            bits=target.bits, kbps=target.kbps, task=part.part(0.0, 0.6),
        )  # fmt: skip
        proof = prove(draft, target, part.part(0.6, 1.0))
        over, missing = _off(proof.measured.loudness, target)
        if over <= 0 and abs(missing) < 2 * LOUDNESS_ERROR_LU:
            break
        if over > 0:
            ceiling_dbtp -= over + 0.05
        if abs(missing) >= 2 * LOUDNESS_ERROR_LU or over > 0:
            gain_db += missing
    if tags is not None:
        write_tags(draft, format, tags)
        proof = prove(draft, target)  # the file as it is delivered
    try:
        shutil.move(draft, file)
    except OSError as error:
        raise CannotWrite(f"{file} could not be written: {error.strerror}.") from error
    return gain_db, Proof(file, proof.target, proof.measured, proof.problems)


def _off(loudness: Loudness, target: Target) -> tuple[float, float]:
    """How far above the ceiling (dB), and how much loudness is missing (LU)."""
    peak, level = loudness.true_peak_dbtp, loudness.integrated_lufs
    over = peak - target.true_peak_dbtp if peak is not None else 0.0
    return over, target.integrated_lufs - level if level is not None else 0.0


def _check_space(program: Source, folder: Path, files: int) -> None:
    needed = program.frames * 8 * 2 + files * program.frames * 6
    free = shutil.disk_usage(folder).free
    if free < needed:
        raise CannotWrite(
            f"The folder {folder} has {free / 1e6:.0f} MB free; the masters need about {needed / 1e6:.0f} MB."
        )
