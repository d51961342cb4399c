"""check, clean and pauses: the commands about one recording."""

from __future__ import annotations

import time
from argparse import Namespace
from dataclasses import replace
from pathlib import Path
from typing import Any

from dubbin.cli.plain import figure, print_json, report_to_plain
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.episode.commands import pause_cuts
from dubbin.core.episode.intake import remarks_on, take_in
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.measure.findings import Finding
from dubbin.core.measure.report import RecordingReport, measure_recording, measure_treated
from dubbin.core.mix.program import Program
from dubbin.core.sound.source import Difference, Source
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.pauses import PauseSettings, find_pauses
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.registry import REPAIRS, TREATMENTS
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.tiles import MOST_TILE_BYTES, DiskKeeper, prune

SOUND_ENDINGS = (".wav", ".flac")


def check(args: Namespace, folders: Folders) -> int:
    copies, files = WorkingCopies(folders.copies), []
    for path in args.files:
        task = progress_task(f"Checking {path.name}", args.quiet)
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
                          facts.not_numbers, facts.short_by)  # fmt: skip
    return remarks_on(recording, facts.rate)


def _print_report(path: Path, report: RecordingReport, remarks: tuple[str, ...]) -> None:
    print(f"{path}: {report.duration_s:.1f} s, {report.rate} Hz, {report.channels} channel(s)")
    loudness, noise = report.loudness, report.noise
    print(
        f"  loudness   {figure(loudness.integrated_lufs, 'LUFS')}, range {figure(loudness.range_lu, 'LU')}, "
        f"true peak {figure(loudness.true_peak_dbtp, 'dBTP')}"
    )
    print(f"  noise      floor {figure(noise.floor_dbfs, 'dBFS')}, speech {figure(noise.snr_db, 'dB')} above it")
    for finding in report.findings:
        answer = f" → {finding.treatment} {finding.strength} %" if finding.treatment else ""
        print(f"  {finding.severity.value:9}  {finding.title}: {finding.text}{_first_places(finding)}{answer}")
    if not report.findings:
        print("  nothing found that needs a repair")
    for remark in remarks:
        print(f"  note       {remark}")


def _first_places(finding: Finding, most: int = 3) -> str:
    """The first places of a finding, as clock times."""
    if not finding.places_s:
        return ""
    times = ", ".join(f"{int(a // 60)}:{a % 60:05.2f}" for a, _ in finding.places_s[:most])
    return f" (at {times}{' …' if len(finding.places_s) > most else ''})"


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


def parse_span(text: str) -> tuple[float, float]:
    """START:END in seconds; raises ValueError."""
    start, _, end = text.partition(":")
    span = float(start), float(end)
    if not 0 <= span[0] < span[1]:
        raise ValueError("a noise profile wants START:END in seconds, START before END")
    return span


def clean(args: Namespace, folders: Folders) -> int:
    outputs = [p for p in (args.out, args.residue) if p]
    for path in outputs:
        check_output(path, (args.input,))
        _check_ending(path)
    if args.residue and args.residue.resolve() == args.out.resolve():
        raise CannotWrite("The residue needs a file of its own.")
    task = progress_task(f"Cleaning {args.input.name}", args.quiet)
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
            settings: Any = settings_from_plain(treatment.settings_type, _settings(treatment.name, args))
            uses.append(Use(treatment, settings, strength / 100.0))
    prune(folders.tiles, MOST_TILE_BYTES)
    started = time.monotonic()
    chain = Chain(copy, uses, copy.facts.fingerprint, DiskKeeper(folders.tiles))
    chain.prepare(task.part(0.2, 0.8))
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
    if args.residue:
        write_sound(Difference(copy, written), args.residue, _bits(args.residue), task.part(0.8, 0.9))
    after = measure_treated(written, before, task.part(0.9, 1.0)) if uses else before
    end_progress(args.quiet)
    entries = [
        {
            "name": use.treatment.name, "strength": round(strength * 100),
            "before": _figures(use.treatment.name, before), "after": _figures(use.treatment.name, after),
            "speech_in_residue_db": guard.at(strength), "speech_is_damaged": guard.is_audible(strength),
        }
        for use, strength, guard in zip(uses, held, guards, strict=True)
    ]  # fmt: skip
    factor = before.duration_s / seconds
    if args.json:
        print_json({"file": str(args.input), "out": str(args.out), "treatments": entries, "realtime_factor": factor})
        return 0
    print(f"{args.out}: {factor:.0f} x real time")
    if not uses:
        print("  nothing needed treatment; the output is the input")
    for use, strength, guard in zip(uses, held, guards, strict=True):
        title = TREATMENTS[use.treatment.name].title
        before_text, after_text = (_figure_text(_figures(use.treatment.name, r)) for r in (before, after))
        print(f"  {title:9} {strength:4.0%}   {before_text} → {after_text}")
        if guard.is_audible(strength):
            print(f"            takes speech along: {figure(guard.at(strength), 'dB')} under the voice in the residue")
    return 0


def _settings(name: str, args: Namespace) -> dict[str, Any]:
    """Settings of a treatment as the command line gives them."""
    if name != "denoise":
        return {}
    if args.noise_from:
        return {"engine": Engine.STATISTICAL, "noise_from_s": list(args.noise_from)}
    return {"engine": Engine(args.engine)} if args.engine else {}


def _figures(name: str, report: RecordingReport) -> dict[str, float | None]:
    """The figures that a treatment is judged by."""
    if name == "declip":
        return {"clipped_places": report.clipping.count}
    if name == "declick":
        return {"clicks": report.clicks.count}
    if name == "dehum":
        return {"hum_dbfs": report.hum.level_dbfs}
    if name == "derumble":
        return {"rumble_dbfs": report.tone.rumble_dbfs}
    if name == "dereverb":
        return {"rt60_s": report.echo.rt60_s}
    return {"floor_dbfs": report.noise.floor_dbfs, "snr_db": report.noise.snr_db}


UNITS = {"clipped_places": ("places", 0), "clicks": ("clicks", 0), "hum_dbfs": ("dBFS", 1), "rumble_dbfs": ("dBFS", 1),
         "rt60_s": ("s", 2), "floor_dbfs": ("dBFS", 1), "snr_db": ("dB", 1)}  # fmt: skip


def _figure_text(figures: dict[str, float | None]) -> str:
    name, value = next(iter(figures.items()))
    return figure(value, *UNITS[name])


def _check_ending(path: Path) -> None:
    if path.suffix.lower() not in SOUND_ENDINGS:
        raise CannotWrite(
            f"{path.name}: the output can be {' or '.join(SOUND_ENDINGS)}; use `dubbin master` for others."
        )


def _bits(path: Path) -> int:
    # Rebuilt peaks may rise above full scale: WAV keeps them as float.
    return 32 if path.suffix.lower() == ".wav" else 24


def _check_profile(span: tuple[float, float] | None, source: Source) -> None:
    if span and span[1] > source.frames / source.rate + 0.01:
        raise DubbinError(f"The noise profile ends at {span[1]} s, after the end of the recording.")


def pauses(args: Namespace, folders: Folders) -> int:
    if args.out:
        check_output(args.out, (args.input,))
        _check_ending(args.out)
    given = {
        "quieter_than_db": args.quieter_than, "longer_than_s": args.longer_than,
        "leave_before_s": args.leave_before, "leave_after_s": args.leave_after, "keep_s": args.keep,
    }  # fmt: skip
    settings = settings_from_plain(PauseSettings, {k: v for k, v in given.items() if v is not None})
    task = progress_task(f"Finding pauses in {args.input.name}", args.quiet)
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
            raise DubbinError(f"{args.input.name} holds nothing but pause; nothing would be left.")
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
    print(f"{args.input}: {len(cuts)} pauses, {duration_s:.1f} s → {edited_s:.1f} s")
    for cut in document["cuts"]:  # type: ignore[attr-defined]
        print(f"  {cut['start_s']:9.2f} – {cut['end_s']:9.2f} s   {cut['end_s'] - cut['start_s']:6.2f} s")
    return 0


def _episode_of(path: Path, copies: WorkingCopies, copy: WorkingCopy, task: Task) -> Episode:
    """An episode with one recording on the recording's own clock."""
    taken = take_in(path, copies, copy.rate)
    return Episode(id="one", rate=copy.rate, recordings=(taken.recording,), lanes=taken.lanes)
