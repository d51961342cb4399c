"""Makes masters: gain and limiter to a target, encoding, tags; then proves the file that came out."""

from __future__ import annotations

import re
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

import numpy as np
import soxr

from dubbin.core.deliver.codec_probe import SHORTEST_S, STRETCHES, level_lost
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import Format
from dubbin.core.deliver.levels import LEAD_S, RELEASE_MS, Levels, Reduction, reduction_of
from dubbin.core.deliver.limiter import limiter_gain
from dubbin.core.deliver.proof import FileMeter, Measured, Proof, file_hash, judge, measure_file
from dubbin.core.deliver.publication import Publication
from dubbin.core.deliver.riff import add_chunks, bext_chunk, cue_chunks
from dubbin.core.deliver.room_tone import WithRoomTone, find_tone
from dubbin.core.deliver.tags import publish
from dubbin.core.deliver.targets import Target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import CannotWrite, DubbinError, UnusableSound
from dubbin.core.jobs import Task, in_parallel, side_by_side
from dubbin.core.sound.interleaved import RawFile
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, blocks, read_padded
from dubbin.core.sound.writing import check_folder, check_output

# The limiter aims below the ceiling by what its readings, dither and rounding may differ; a codec moves peaks by more.
HEADROOM_DB, LOSSY_HEADROOM_DB = 0.1, 0.8
LOUDNESS_ERROR_LU = 0.08
CODEC_TRIES = 5
TILES_AT_ONCE, TILE_S = 8, 4
TRANSPARENT_DB = 3.0  # more than this is heard
OFTEN = 0.002
ROOM_S = 0.25  # inside of what a target allows at both ends


@dataclass(frozen=True)
class Master:
    """One finished file and its proof. gain_db: in front of the limiter; reduction: what the limiter does behind it. head_s: room tone put before the
    program."""

    format: Format
    proof: Proof
    gain_db: float
    reduction: Reduction | None = None
    head_s: float = 0.0

    @property
    def file(self) -> Path:
        """Where it is."""
        return self.proof.file


@dataclass(frozen=True)
class Failure:
    """A master that could not be made, and why, in a sentence."""

    target: str
    format: Format
    reason: str


@dataclass(frozen=True)
class Masters:
    """What was made, and what was not."""

    made: tuple[Master, ...]
    failed: tuple[Failure, ...] = ()


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


def master_path(folder: Path, name: str, target: Target, format: Format) -> Path:
    """Where a master is written: NAME.TARGET.FORMAT in the folder."""
    return folder / f"{name}.{target.name}{format.suffix}"


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


def _limit(source: Source, path: Path, gain_db: float, ceiling_dbtp: float | None, task: Task) -> _Rendered:
    """Write a source behind gain and limiter; with no ceiling, behind the gain alone. Tiles are limited on all cores, and written in order."""
    gain, size = np.float32(db_to_gain(gain_db)), TILE_S * source.rate
    lead, tail = round(LEAD_S * source.rate), round(0.02 * source.rate)
    starts = list(range(0, source.frames, size))
    with open(path, "wb") as out:
        for first in range(0, len(starts), TILES_AT_ONCE):
            done: dict[int, Samples] = {}

            def limit(start: int, done: dict[int, Samples] = done) -> None:
                stop = min(start + size, source.frames)
                y = read_padded(source, start - lead, stop + tail) * gain
                if ceiling_dbtp is not None:
                    y = y * limiter_gain(y, source.rate, db_to_gain(ceiling_dbtp), RELEASE_MS)
                done[start] = y[:, lead : lead + stop - start]

            batch = starts[first : first + TILES_AT_ONCE]
            in_parallel(limit, batch, task.part(first / len(starts), min(first + TILES_AT_ONCE, len(starts)) / len(starts)))
            for start in batch:
                out.write(np.ascontiguousarray(done[start].T, np.float32).data)
    return _Rendered(path, source.rate, source.channels, source.frames)


def safe_name(title: str) -> str:
    """A file name from a title: letters and figures of any script, the rest as single hyphens."""
    return re.sub(r"[^\w]+", "-", title, flags=re.UNICODE).strip("-_").lower()[:80] or "episode"


def make_masters(
    program: Source,
    folder: Path,
    name: str,
    targets: Sequence[Target],
    formats: Sequence[Format],
    tags: Tags | Publication | None = None,
    task: Task | None = None,
    recordings: Sequence[Path] = (),
    vbr: bool = False,
) -> Masters:
    """Render a program once and make a file for every target and format: NAME.TARGET.FORMAT in `folder`.

    recordings: files that the program is made of, which are never written over. What can't be made does not stop the rest. Raises CannotWrite (folder, disk
    space, a master that would take a recording's place) and UnusableSound (a program without sound).
    """
    task = task or Task()
    what = tags if isinstance(tags, Publication) else Publication(tags or Tags())
    check_folder(folder)
    for target in targets:
        for format in formats:
            check_output(master_path(folder, name, target, format), tuple(recordings))
    if program.frames == 0:
        raise UnusableSound("There is nothing to master: the program is empty.")
    _check_space(program, folder, len(targets) * len(formats))
    made: list[Master] = []
    failed: list[Failure] = []
    with tempfile.TemporaryDirectory(prefix=".dubbin-", dir=folder) as temporary:
        work = Path(temporary)
        whole = _render(program, work / "program.f32", program.rate, program.channels, task.part(0.0, 0.25))
        share = 0.75 / max(len(targets), 1)
        for k, target in enumerate(targets):
            maker = _Maker(whole, folder, work, name, target, what, vbr)
            maker.make(formats, made, failed, task.part(0.25 + share * k, 0.25 + share * (k + 1)))
            shutil.rmtree(maker.work, ignore_errors=True)
    return Masters(tuple(made), tuple(failed))


class _Maker:
    """All files of one target."""

    def __init__(self, whole: Source, folder: Path, work: Path, name: str, target: Target, what: Publication, vbr: bool) -> None:
        self._whole, self._folder, self._name, self._target, self._what = whole, folder, name, target, what
        self._vbr = vbr or target.vbr
        self.work = work / target.name
        self.work.mkdir()
        self._prepared: dict[int, tuple[_Rendered, Levels, float]] = {}

    def make(self, formats: Sequence[Format], made: list[Master], failed: list[Failure], task: Task) -> None:
        # Formats that share a rate and a ceiling share the limited sound.
        groups: dict[tuple[int, bool], list[Format]] = {}
        for format in formats:
            groups.setdefault((self._rate_of(format), format.is_lossy), []).append(format)
        rates = sorted({rate for rate, _ in groups})
        results: dict[Format, Master | Failure] = {}
        for rate, part in zip(rates, task.part(0.0, 0.15).shares(len(rates)), strict=True):
            try:
                self._prepare(rate, part)
            except DubbinError as error:
                results |= {f: Failure(self._target.name, f, str(error)) for f in formats if self._rate_of(f) == rate}
        works = [
            partial(self._make_group, rate, lossy, group, results) for (rate, lossy), group in groups.items() if group[0] not in results
        ]
        side_by_side(works, task.part(0.15, 1.0))
        for format in formats:
            result = results[format]
            if isinstance(result, Master):
                made.append(result)
            else:
                failed.append(result)

    def _rate_of(self, format: Format) -> int:
        return format.fixed_rate or self._target.rate or self._whole.rate

    def _make_group(self, rate: int, lossy: bool, group: list[Format], results: dict[Format, Master | Failure], task: Task) -> None:
        target = self._target
        source, levels, head_s = self._prepared[rate]
        ceiling = target.true_peak_dbtp - (LOSSY_HEADROOM_DB if lossy else HEADROOM_DB)
        shares = task.part(0.3, 1.0).shares(len(group))
        try:
            gain_db = 0.0 if target.aim is None else levels.gain_to(target.aim, ceiling, by_rms=target.by_rms, task=task.part(0.0, 0.2))
            path = self.work / f"{rate}-{lossy}.f32"
            limited = _limit(source, path, gain_db, None if target.keeps_level else ceiling, task.part(0.2, 0.3))
            reduction = None if target.keeps_level else reduction_of(source, gain_db, ceiling)
        except DubbinError as error:
            results |= {format: Failure(target.name, format, str(error)) for format in group}
            return

        def write(number: int) -> None:
            format = group[number]
            try:
                results[format] = self._write(source, limited, levels, format, gain_db, ceiling, reduction, head_s, shares[number])
            except DubbinError as error:
                results[format] = Failure(target.name, format, str(error))

        in_parallel(write, range(len(group)), task.part(0.3, 0.3))

    def _prepare(self, rate: int, task: Task) -> tuple[_Rendered, Levels, float]:
        """The program at a rate, with room tone where the target asks for it, and a look at it."""
        if rate not in self._prepared:
            target, source, head_s = self._target, self._whole, 0.0
            if target.head_s is not None or target.tail_s is not None:
                source, head_s = self._with_ends(source)
            rendered = _render(source, self.work / f"{rate}.f32", rate, target.channels, task.part(0.0, 0.5))
            self._prepared[rate] = rendered, Levels(rendered, task.part(0.5, 1.0)), head_s
        return self._prepared[rate]

    def _with_ends(self, source: Source) -> tuple[Source, float]:
        meter = FileMeter(source.rate, source.channels)
        for _, x in blocks(source):
            meter.push(x)
        found = meter.result()
        frames = [0, 0]
        for k, (seconds, span) in enumerate(((found.head_s, self._target.head_s), (found.tail_s, self._target.tail_s))):
            if seconds is not None and span is not None and not span[0] <= seconds <= span[1]:
                wanted = min(span[0] + ROOM_S, span[1]) if seconds < span[0] else max(span[1] - ROOM_S, span[0])
                frames[k] = round((wanted - seconds) * source.rate)
        if not any(frames):
            return source, 0.0
        return WithRoomTone(source, find_tone(source), frames[0], frames[1]), frames[0] / source.rate

    def _write(
        self, source: _Rendered, limited: _Rendered, levels: Levels, format: Format, gain_db: float, ceiling: float, reduction: Reduction | None,
        head_s: float, task: Task,
    ) -> Master:  # fmt: skip
        """Encode, decode, measure; where a codec overshoots the ceiling or loses loudness, correct and do it again."""
        target = self._target
        file = master_path(self._folder, self._name, target, format)
        draft = self.work / file.name
        what = self._what.later(head_s, source.frames / source.rate)
        chapters = [(c.start_s, c.end_s, c.title) for c in what.file_chapters(from_zero=format.encoder_chapters)]
        lowest, lost = ceiling, 0.0

        def put(what: Source, path: Path, part: Task | None = None) -> None:
            encode(
                what, path, format, bits=target.bits, kbps=target.kbps, vbr=self._vbr, chapters=chapters if path is draft else (), task=part
            )

        if format.is_lossy and target.aim is not None and source.frames >= SHORTEST_S * source.rate:
            lost = level_lost(limited, levels.loud_tiles(STRETCHES), self.work / f"probe{format.suffix}", put)
            if abs(lost) > LOUDNESS_ERROR_LU / 4:
                limited, gain_db = self._limited_anew(source, levels, format, target.aim + lost, lowest, gain_db + lost)
                reduction = reduction_of(source, gain_db, lowest)
        for attempt in range(CODEC_TRIES):
            first = 0.7 * (1.0 - 0.5**attempt)  # most files are right at once
            put(limited, draft, task.part(first, first + 0.5))
            measured = measure_file(draft, task.part(first + 0.5, first + 0.6))
            over, missing = _off(measured, target)
            if target.keeps_level or (over <= 0 and abs(missing) < LOUDNESS_ERROR_LU) or attempt == CODEC_TRIES - 1:
                break
            # What the codec takes from the level is given before it, whatever the ceiling has to become.
            lost += missing
            if over > 0:
                lowest -= over + 0.05
            if target.aim is not None:
                limited, gain_db = self._limited_anew(source, levels, format, target.aim + lost, lowest, gain_db + missing)
            else:
                limited = _limit(source, self.work / f"{file.name}.f32", gain_db, lowest, Task())
            reduction = reduction_of(source, gain_db, lowest)
        publish(draft, format, what)
        if format.wave_chunks:
            add_chunks(draft, _wave_chunks(what, measured, target))
        proof = judge(file, target, replace(measured, sha256=file_hash(draft), bytes=draft.stat().st_size))
        try:
            shutil.move(draft, file)
        except OSError as error:
            raise CannotWrite(f"{file} could not be written: {error.strerror}.") from error
        return Master(format, proof, gain_db, reduction, head_s)

    def _limited_anew(
        self, source: _Rendered, levels: Levels, format: Format, aim: float, ceiling: float, near_db: float
    ) -> tuple[_Rendered, float]:
        """The sound for one format alone, at a level of its own; and its gain."""
        gain_db = levels.gain_to(aim, ceiling, by_rms=self._target.by_rms, near_db=near_db)
        return _limit(source, self.work / f"limited{format.suffix}.f32", gain_db, ceiling, Task()), gain_db


def _wave_chunks(what: Publication, measured: Measured, target: Target) -> bytes:
    loudness, now = measured.loudness, datetime.now()
    history = f"A=PCM,F={measured.sample_rate},W={target.bits},M={'mono' if measured.channels == 1 else 'stereo'},T=Dubbin"
    bext = bext_chunk(
        what.tags.title, "Dubbin", f"{now:%Y-%m-%d}", f"{now:%H:%M:%S}", lufs=loudness.integrated_lufs, range_lu=loudness.range_lu,
        peak_dbtp=loudness.true_peak_dbtp, momentary_lufs=loudness.max_momentary_lufs, short_term_lufs=loudness.max_short_term_lufs, history=history,
    )  # fmt: skip
    return bext + cue_chunks(what.cues(measured.sample_rate))


def _off(measured: Measured, target: Target) -> tuple[float, float]:
    """How far above the ceiling (dB), and how much level is missing (LU or dB)."""
    peak = measured.loudness.true_peak_dbtp
    level = measured.rms_dbfs if target.by_rms else measured.loudness.integrated_lufs
    over = peak - target.true_peak_dbtp if peak is not None else 0.0
    return over, target.aim - level if level is not None and target.aim is not None else 0.0


def _check_space(program: Source, folder: Path, files: int) -> None:
    needed = program.frames * 8 * 4 + files * program.frames * 6
    free = shutil.disk_usage(folder).free
    if free < needed:
        raise CannotWrite(f"The folder {folder} has {free / 1e6:.0f} MB free; the masters need about {needed / 1e6:.0f} MB.")
