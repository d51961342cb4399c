"""check, clean and pauses: the commands about one recording."""

from __future__ import annotations

import sys
import time
from argparse import Namespace
from collections.abc import Collection
from dataclasses import replace
from pathlib import Path
from typing import Any

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import figure, report_to_plain
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.episode.commands.cuts import pause_cuts
from dubbin.core.episode.importing import import_file, remarks_on
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import BadSettings, CannotWrite, DubbinError, WrongUse
from dubbin.core.figures import number
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.measure.finding import Finding
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.mix.program import Program
from dubbin.core.sound.source import Difference, Source
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.pauses import PauseSettings, find_pauses
from dubbin.core.texts import tr
from dubbin.core.treat.chain import Chain, Stage, Use
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import REPAIRS
from dubbin.core.treat.settings import settings_from_plain, value_from_text
from dubbin.core.treat.tiles import DiskTileCache, prune
from dubbin.core.treat.treatment import Treatment

SOUND_ENDINGS = (".wav", ".flac")


def check(args: Namespace, folders: Folders) -> int:
    copies, files = WorkingCopies(folders.copies), []
    for path in args.files:
        task = progress_task(tr("Checking {name}").format(name=path.name), args.quiet)
        copy = copies.obtain(path, None, task.part(0.0, 0.3))
        report = measure_recording(copy, task.part(0.3, 1.0))
        end_progress(args.quiet)
        files.append((path, report, _remarks(copy, path)))
    if args.json:
        print_json({"files": [report_to_plain(*entry) for entry in files]})
        return 0
    for path, report, remarks in files:
        _print_report(path, report, remarks)
    return 0


def _remarks(copy: WorkingCopy, path: Path) -> tuple[str, ...]:
    from dubbin.core.episode.model import Recording

    facts = copy.facts
    recording = Recording("", str(path), facts.fingerprint, facts.frames, facts.file_rate, facts.channels,
                          facts.nan_count, facts.short_by)  # fmt: skip
    return remarks_on(recording, facts.rate)


def _print_report(path: Path, report: RecordingReport, remarks: tuple[str, ...]) -> None:
    print(
        tr("{path}: {duration_s} s, {rate} Hz, {channels} channel(s)").format(
            path=path, duration_s=number(report.duration_s), rate=report.rate, channels=report.channels
        )
    )
    loudness, noise = report.loudness, report.noise
    print(
        tr("  loudness   {loudness}, range {range_lu}, true peak {peak}").format(
            loudness=figure(loudness.integrated_lufs, "LUFS"),
            range_lu=figure(loudness.range_lu, "LU"),
            peak=figure(loudness.true_peak_dbtp, "dBTP"),
        )
    )
    print(tr("  noise      floor {floor}, speech {speech} above it").format(floor=noise.floor_text, speech=figure(noise.snr_db, "dB")))
    for finding in report.findings:
        answer = f" → {finding.treatment} {finding.strength} %" if finding.treatment else ""
        print(f"  {tr(finding.severity.value):9}  {finding.title}: {finding.text}{_first_places(finding)}{answer}")
    if not report.findings:
        print(tr("  nothing found that needs a repair"))
    for remark in remarks:
        print(tr("  note       {remark}").format(remark=remark))


def _first_places(finding: Finding, most: int = 3) -> str:
    """The first places of a finding, as clock times."""
    if not finding.places_s:
        return ""
    times = ", ".join(f"{int(a // 60)}:{a % 60:05.2f}" for a, _ in finding.places_s[:most])
    return tr(" (at {times}{value})").format(times=times, value=" …" if len(finding.places_s) > most else "")


def parse_treat(text: str) -> tuple[str, int | None]:
    """NAME or NAME=STRENGTH; raises ValueError."""
    name, _, strength = text.partition("=")
    names = [t.name for t in REPAIRS]
    if name not in names:
        raise ValueError(f"there is no treatment {name!r}; there are: {', '.join(names)}")
    if not strength:
        return name, None
    value = int(strength)
    if not 0 <= value <= 100:
        raise ValueError(f"a strength lies between 0 and 100, not {value}")
    return name, value


def parse_set(text: str) -> tuple[str, str, str]:
    """NAME.FIELD=VALUE; raises ValueError."""
    path, _, value = text.partition("=")
    name, _, field = path.partition(".")
    if not value or not field or name not in {t.name for t in REPAIRS}:
        raise ValueError("a setting is given as TREATMENT.SETTING=VALUE, such as denoise.finest=on")
    return name, field, value


def parse_span(text: str) -> tuple[float, float]:
    """START:END in seconds; raises ValueError."""
    start, _, end = text.partition(":")
    span = float(start), float(end)
    if not 0 <= span[0] < span[1]:
        raise ValueError("a noise profile wants START:END in seconds, START before END")
    return span


def clean(args: Namespace, folders: Folders) -> int:
    outputs = [p for p in (args.out, args.removed) if p]
    for path in outputs:
        check_output(path, (args.input,))
        _check_ending(path)
    if args.removed and args.removed.resolve() == args.out.resolve():
        raise CannotWrite(tr("What was removed needs a file of its own."))
    for treatment in REPAIRS:  # a slip of the pen is told also where its treatment turns out not to be needed
        _settings(treatment, args)
    task = progress_task(tr("Cleaning {name}").format(name=args.input.name), args.quiet)
    copy = WorkingCopies(folders.copies).obtain(args.input, None, task.part(0.0, 0.1))
    before = measure_recording(copy, task.part(0.1, 0.2))
    suggested = {s.treatment: s.strength for s in before.suggested}
    wanted = dict(args.treat) if args.treat else {name: None for name in suggested}
    _check_profile(args.noise_from, copy)
    uses = []
    for treatment in REPAIRS:
        if treatment.name in wanted:
            strength = wanted[treatment.name]
            strength = strength if strength is not None else suggested.get(treatment.name, 100)
            uses.append(_use(treatment, args, strength / 100.0))
    prune(folders.tiles, folders.most_tile_bytes)
    started = time.monotonic()
    name, tile_cache = recorded_key(copy.facts.fingerprint, copy.rate, copy.channels).tile_name, DiskTileCache(folders.tiles)
    chain = Chain(copy, uses, name, tile_cache)
    chain.prepare(task.part(0.2, 0.6), before, then=Stage.guard)
    if not args.treat and (hidden := hidden_echo(chain, before, task.part(0.6, 0.62))) is not None:
        uses.append(_use(hidden.treatment, args, hidden.strength))
        wanted[hidden.treatment.name] = None
        chain = Chain(copy, uses, name, tile_cache)
        chain.prepare(task.part(0.62, 0.8), then=Stage.guard)
    _tell_idle_settings(args, wanted)
    guards = [stage.guard() for stage in chain.stages]
    # Without a strength of the person's own a treatment goes no further than the voice allows.
    held = [
        use.strength if wanted[use.treatment.name] is not None else min(use.strength, guard.highest_strength)
        for use, guard in zip(uses, guards, strict=True)
    ]
    chain = chain.with_strengths(held)
    write_sound(chain, args.out, _bits(args.out), task.part(0.8, 0.9))
    seconds = max(time.monotonic() - started, 1e-6)
    written = WorkingCopies(folders.copies).obtain(args.out)
    if args.removed:
        write_sound(Difference(copy, written), args.removed, _bits(args.removed), task.part(0.8, 0.9))
    after = measure_treated(written, before, task.part(0.9, 1.0)) if uses else before
    end_progress(args.quiet)
    entries = [
        {
            "name": use.treatment.name, "strength": round(strength * 100),
            "before": _figures(use.treatment, before), "after": _figures(use.treatment, after),
            "speech_removed_db": guard.at(strength), "speech_is_damaged": guard.is_audible(strength),
        }
        for use, strength, guard in zip(uses, held, guards, strict=True)
    ]  # fmt: skip
    factor = before.duration_s / seconds
    if args.json:
        print_json({"file": str(args.input), "out": str(args.out), "treatments": entries, "realtime_factor": factor})
        return 0
    print(tr("{out}: {factor} x real time").format(out=args.out, factor=number(factor, 0)))
    if not uses:
        print(tr("  nothing needed treatment; the output is the input"))
    for use, strength, guard in zip(uses, held, guards, strict=True):
        foremost = use.treatment.figures[0]
        print(f"  {use.treatment.title:9} {strength:4.0%}   {foremost.text(before)} → {foremost.text(after)}")
        if guard.is_audible(strength):
            print(
                tr("            takes speech along: {figure} under the voice in what was removed").format(
                    figure=figure(guard.at(strength), "dB")
                )
            )
    return 0


def _tell_idle_settings(args: Namespace, applied: Collection[str]) -> None:
    for name in sorted({name for name, _, _ in args.set or ()} - set(applied)):
        print(
            tr("dubbin: {name} is not applied, so that its settings do nothing; --treat {name} applies it.").format(name=name),
            file=sys.stderr,
        )


def _use(treatment: Treatment, args: Namespace, strength: float) -> Use:
    settings: Any = settings_from_plain(treatment.settings_type, _settings(treatment, args))
    return Use(treatment, settings, strength)


def _settings(treatment: Treatment, args: Namespace) -> dict[str, Any]:
    """Settings of a treatment as the command line gives them. Raises WrongUse."""
    out: dict[str, Any] = {}
    if treatment.name == "denoise":
        if args.engine:
            out["engine"] = args.engine
        if args.noise_from:
            out |= {"engine": Engine.STATISTICAL.value, "noise_from_s": list(args.noise_from)}
    for name, field, text in args.set or ():
        if name == treatment.name:
            try:
                out[field] = value_from_text(treatment.settings_type, field, text)
            except BadSettings as error:
                raise WrongUse(f"{name}: {error}.") from error
    return out


def _figures(treatment: Treatment, report: RecordingReport) -> dict[str, float | None]:
    """The figures that a treatment is judged by."""
    return {figure.name: figure.read(report) for figure in treatment.figures}


def _check_ending(path: Path) -> None:
    if path.suffix.lower() not in SOUND_ENDINGS:
        raise CannotWrite(
            tr("{name}: the output can be {sound_endings}; use `dubbin master` for others.").format(
                name=path.name, sound_endings=" or ".join(SOUND_ENDINGS)
            )
        )


def _bits(path: Path) -> int:
    # Rebuilt peaks may rise above full scale: WAV keeps them as float.
    return 32 if path.suffix.lower() == ".wav" else 24


def _check_profile(span: tuple[float, float] | None, source: Source) -> None:
    if span and span[1] > source.frames / source.rate + 0.01:
        raise DubbinError(tr("The noise profile ends at {span} s, after the end of the recording.").format(span=span[1]))


def pauses(args: Namespace, folders: Folders) -> int:
    if args.out:
        check_output(args.out, (args.input,))
        _check_ending(args.out)
    given = {
        "quieter_than_db": args.quieter_than, "longer_than_s": args.longer_than,
        "leave_before_s": args.leave_before, "leave_after_s": args.leave_after, "keep_s": args.keep,
    }  # fmt: skip
    try:
        settings = settings_from_plain(PauseSettings, {k: v for k, v in given.items() if v is not None})
    except BadSettings as error:
        raise WrongUse(f"{error}.") from error
    task = progress_task(tr("Finding pauses in {name}").format(name=args.input.name), args.quiet)
    copies = WorkingCopies(folders.copies)
    copy = copies.obtain(args.input, None, task.part(0.0, 0.2))
    duration_s = copy.frames / copy.rate
    activity = find_activity(copy, task.part(0.2, 0.7))
    found = find_pauses([(0.0, activity)], settings, duration_s)
    episode = _episode_of(args.input, copies, copy, task)
    cuts = pause_cuts(episode, found)
    episode = replace(episode, cuts=tuple(cuts))
    time_map = program_map(episode)
    if args.out:
        program = Program(copy, time_map, None)
        if program.frames == 0:
            raise DubbinError(tr("{name} holds nothing but pause; nothing would be left.").format(name=args.input.name))
        write_sound(program, args.out, _bits(args.out), task.part(0.7, 1.0))
    end_progress(args.quiet)
    edited_s = time_map.program_frames / copy.rate
    document = {
        "file": str(args.input), "duration_s": duration_s, "edited_s": edited_s, "count": len(cuts),
        "cuts": [
            {"start_s": c.start_frame / copy.rate, "end_s": c.end_frame / copy.rate,
             "pause_start_s": p.start_s, "pause_end_s": p.end_s}
            for c, p in zip(cuts, found, strict=True)
        ],
    }  # fmt: skip
    if args.json:
        print_json(document)
        return 0
    print(
        tr("{input}: {count} pauses, {duration_s} s → {edited_s} s").format(
            input=args.input, count=len(cuts), duration_s=number(duration_s), edited_s=number(edited_s)
        )
    )
    for cut in document["cuts"]:  # type: ignore[attr-defined]
        print(f"  {cut['start_s']:9.2f} – {cut['end_s']:9.2f} s   {cut['end_s'] - cut['start_s']:6.2f} s")
    return 0


def _episode_of(path: Path, copies: WorkingCopies, copy: WorkingCopy, task: Task) -> Episode:
    """An episode with one recording on the recording's own clock."""
    taken = import_file(path, copies, copy.rate)
    return Episode(id="one", rate=copy.rate, recordings=(taken.recording,), lanes=taken.lanes)
