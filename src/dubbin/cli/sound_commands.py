"""check and pauses: what a recording holds."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import replace
from pathlib import Path

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
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.program import Program
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.pauses import PauseSettings, find_pauses
from dubbin.core.texts import tr
from dubbin.core.treat.settings import settings_from_plain

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


def check_ending(path: Path) -> None:
    """Raises CannotWrite for a file that these commands do not make."""
    if path.suffix.lower() not in SOUND_ENDINGS:
        raise CannotWrite(
            tr("{name}: the output can be {sound_endings}; use `dubbin master` for others.").format(
                name=path.name, sound_endings=" or ".join(SOUND_ENDINGS)
            )
        )


def bits_of(path: Path) -> int:
    """How many a sample takes in a file that these commands make."""
    # Rebuilt peaks may rise above full scale: WAV keeps them as float.
    return 32 if path.suffix.lower() == ".wav" else 24


def pauses(args: Namespace, folders: Folders) -> int:
    if args.out:
        check_output(args.out, (args.input,))
        check_ending(args.out)
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
        write_sound(program, args.out, bits_of(args.out), task.part(0.7, 1.0))
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
