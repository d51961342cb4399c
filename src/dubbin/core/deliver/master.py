"""Makes masters: gain and limiter to a target, encoding, tags; then proves the file that came out."""

from __future__ import annotations

import re
import shutil
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

from dubbin.core.deliver.codec_probe import SHORTEST_S, STRETCHES, level_lost
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import Format
from dubbin.core.deliver.levels import Levels, Reduction
from dubbin.core.deliver.proof import FileMeter, Measured, Proof, file_hash, judge, measure_file
from dubbin.core.deliver.publication import Publication
from dubbin.core.deliver.rendered import Limited, render
from dubbin.core.deliver.riff import add_chunks, bext_chunk, cue_chunks
from dubbin.core.deliver.room_tone import WithRoomTone, find_tone
from dubbin.core.deliver.tags import publish
from dubbin.core.deliver.targets import Target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import CannotWrite, DubbinError, UnusableSound
from dubbin.core.figures import number
from dubbin.core.jobs import Task, side_by_side
from dubbin.core.seats import holding
from dubbin.core.sound.rendered import Rendered
from dubbin.core.sound.source import Source, blocks
from dubbin.core.sound.writing import check_folder, check_output, not_written, scratch_folder, shortened
from dubbin.core.texts import tr

LONGEST_NAME = 150  # bytes; a disk takes 255, of which target, format and what goes with a master take their part
# The limiter aims below the ceiling by what its readings, dither and rounding may differ; a codec moves peaks by more.
HEADROOM_DB, LOSSY_HEADROOM_DB = 0.1, 0.8
LOUDNESS_ERROR_LU = 0.08
CODEC_TRIES = 5
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


def master_path(folder: Path, name: str, target: Target, format: Format) -> Path:
    """Where a master is written: NAME.TARGET.FORMAT in the folder."""
    return folder / f"{name}.{target.name}{format.suffix}"


def safe_name(title: str) -> str:
    """A file name from a title: letters and figures of any script, the rest as single hyphens; short enough for what is made to have endings of its own."""
    return shortened(re.sub(r"[^\w]+", "-", title, flags=re.UNICODE).strip("-_").lower()[:80], LONGEST_NAME) or "episode"


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
        raise UnusableSound(tr("There is nothing to master: the program is empty."))
    _check_space(program, folder, len(targets) * len(formats))
    made: list[Master] = []
    failed: list[Failure] = []
    with scratch_folder(folder) as work:
        rate, channels = _common_shape(program, targets, formats)
        whole = render(program, work / "program.f32", rate, channels, task.part(0.0, 0.25))
        share = 0.75 / max(len(targets), 1)
        for k, target in enumerate(targets):
            maker = _Maker(whole, program.rate, folder, work, name, target, what, vbr)
            maker.make(formats, made, failed, task.part(0.25 + share * k, 0.25 + share * (k + 1)))
            shutil.rmtree(maker.work, ignore_errors=True)
    return Masters(tuple(made), tuple(failed))


def _rate_of(format: Format, target: Target, program_rate: int) -> int:
    return format.fixed_rate or target.rate or program_rate


def _common_shape(program: Source, targets: Sequence[Target], formats: Sequence[Format]) -> tuple[int, int]:
    """(rate, channels) at which the program is written down first: that of all masters, where they share one, so that nobody has to go on from there; else its
    own. Room tone is found in the program as it is."""
    shapes = {(_rate_of(format, target, program.rate), target.channels) for target in targets for format in formats}
    if len(shapes) == 1 and not any(target.head_s or target.tail_s for target in targets):
        return next(iter(shapes))
    return program.rate, program.channels


class _Maker:
    """All files of one target."""

    def __init__(
        self, whole: Rendered, program_rate: int, folder: Path, work: Path, name: str, target: Target, what: Publication, vbr: bool
    ) -> None:
        """program_rate: of the program itself, which `whole` may have left already."""
        self._whole, self._folder, self._name, self._target, self._what = whole, folder, name, target, what
        self._program_rate = program_rate
        self._vbr = vbr or target.vbr
        self.work = work / target.name
        self.work.mkdir()
        self._prepared: dict[int, tuple[Rendered, Levels, float]] = {}
        self._gains: dict[tuple[int, float], float] = {}
        self._limited: dict[tuple[int, float], Rendered] = {}
        self._lock = threading.Lock()

    def make(self, formats: Sequence[Format], made: list[Master], failed: list[Failure], task: Task) -> None:
        """Write the masters of one target, side by side. made, failed: what came of each format, in the order asked for."""
        rates = sorted({self._rate_of(format) for format in formats})
        results: dict[Format, Master | Failure] = {}
        for rate, part in zip(rates, task.part(0.0, 0.15).shares(len(rates)), strict=True):
            try:
                self._prepare(rate, part)
            except DubbinError as error:
                results |= {f: Failure(self._target.name, f, str(error)) for f in formats if self._rate_of(f) == rate}

        def write(format: Format, task: Task) -> None:
            try:
                results[format] = self._write(format, task)
            except DubbinError as error:
                results[format] = Failure(self._target.name, format, str(error))

        # What takes longest comes first: the others find their place beside it.
        by_cost = sorted((f for f in formats if f not in results), key=lambda f: -f.cost)
        side_by_side([partial(write, format) for format in by_cost], task.part(0.15, 1.0))
        for format in formats:
            result = results[format]
            if isinstance(result, Master):
                made.append(result)
            else:
                failed.append(result)

    def _rate_of(self, format: Format) -> int:
        return _rate_of(format, self._target, self._program_rate)

    def _prepare(self, rate: int, task: Task) -> None:
        """The program at a rate, with room tone where the target asks for it, and a look at it."""
        target, rendered, head_s = self._target, self._whole, 0.0
        source: Source = self._whole
        if target.head_s is not None or target.tail_s is not None:
            source, head_s = self._with_ends(source)
        if source is not rendered or (rate, target.channels) != (source.rate, source.channels):
            rendered = render(source, self.work / f"{rate}.f32", rate, target.channels, task.part(0.0, 0.5))
        self._prepared[rate] = rendered, Levels(rendered, task.part(0.5, 1.0)), head_s

    def _gain_to(self, rate: int, ceiling: float, task: Task) -> float:
        """The gain in front of the limiter that formats of a rate and a ceiling share."""
        target, (_, levels, _) = self._target, self._prepared[rate]
        if target.aim is None:
            return 0.0
        with holding(self._lock):
            if (rate, ceiling) not in self._gains:
                near = next((gain for (known, _), gain in self._gains.items() if known == rate), None)
                self._gains[rate, ceiling] = levels.gain_to(target.aim, ceiling, by_rms=target.by_rms, near_db=near, task=task)
            return self._gains[rate, ceiling]

    def _rendered(self, limited: Limited, rate: int, ceiling: float, task: Task) -> Rendered:
        """The same for the limited sound."""
        with holding(self._lock):
            if (rate, ceiling) not in self._limited:
                self._limited[rate, ceiling] = _written(limited, self.work / f"{rate}{ceiling:+.2f}.f32", task)
            return self._limited[rate, ceiling]

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

    def _write(self, format: Format, task: Task) -> Master:
        """Encode, decode, measure; where a codec overshoots the ceiling or loses loudness, correct and do it again."""
        target, rate = self._target, self._rate_of(format)
        source, levels, head_s = self._prepared[rate]
        file = master_path(self._folder, self._name, target, format)
        draft, own = self.work / file.name, self.work / f"limited{format.suffix}.f32"
        what = self._what.later(head_s, source.frames / source.rate)
        chapters = [(c.start_s, c.end_s, c.title) for c in what.file_chapters(from_zero=format.encoder_chapters)]
        ceiling, lost = target.true_peak_dbtp - (LOSSY_HEADROOM_DB if format.is_lossy else HEADROOM_DB), 0.0

        def put(what: Source, path: Path, part: Task | None = None) -> None:
            encode(
                what, path, format, bits=target.bits, kbps=target.kbps, vbr=self._vbr, chapters=chapters if path is draft else (), task=part
            )

        def behind(gain_db: float) -> Limited:
            return Limited(source, gain_db, None if target.keeps_level else ceiling)

        gain_db = self._gain_to(rate, ceiling, task.part(0.0, 0.1))
        limited: Rendered | None = None
        if format.is_lossy and target.aim is not None and source.frames >= SHORTEST_S * source.rate:
            lost = level_lost(behind(gain_db), levels.loud_tiles(STRETCHES), self.work / f"probe{format.suffix}", put)
            if abs(lost) > LOUDNESS_ERROR_LU / 4:
                gain_db = levels.gain_to(target.aim + lost, ceiling, by_rms=target.by_rms, near_db=gain_db + lost)
                limited = _written(behind(gain_db), own, task.part(0.1, 0.2))
        if limited is None:
            limited = self._rendered(behind(gain_db), rate, ceiling, task.part(0.1, 0.2))
        for attempt in range(CODEC_TRIES):
            first = 0.2 + 0.6 * (1.0 - 0.5**attempt)  # most files are right at once
            put(limited, draft, task.part(first, first + 0.4))
            measured = measure_file(draft, task.part(first + 0.4, first + 0.5))
            over, missing = _off(measured, target)
            if target.keeps_level or (over <= 0 and abs(missing) < LOUDNESS_ERROR_LU) or attempt == CODEC_TRIES - 1:
                break
            # What the codec takes from the level is given before it, whatever the ceiling has to become.
            lost += missing
            if over > 0:
                ceiling -= over + 0.05
            if target.aim is not None:
                gain_db = levels.gain_to(target.aim + lost, ceiling, by_rms=target.by_rms, near_db=gain_db + missing)
            limited = _written(behind(gain_db), own, Task())
        own.unlink(missing_ok=True)
        reduction = None if target.keeps_level else levels.reduction(gain_db, ceiling)
        publish(draft, format, what)
        if format.wave_chunks:
            add_chunks(draft, _wave_chunks(what, measured, target))
        proof = judge(file, target, replace(measured, sha256=file_hash(draft), bytes=draft.stat().st_size))
        try:
            shutil.move(draft, file)
        except OSError as error:
            raise not_written(file, error) from error
        return Master(format, proof, gain_db, reduction, head_s)


def _written(limited: Limited, path: Path, task: Task) -> Rendered:
    return render(limited, path, limited.rate, limited.channels, task)


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
        raise CannotWrite(
            tr("The folder {folder} has {free} MB free; the masters need about {needed} MB.").format(
                folder=folder, free=number(free / 1000000.0, 0), needed=number(needed / 1000000.0, 0)
            )
        )
