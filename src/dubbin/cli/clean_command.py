"""clean: repairs of one recording, as suggested or as asked for."""

from __future__ import annotations

import sys
import time
from argparse import Namespace
from collections.abc import Collection, Mapping
from typing import Any

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import figure
from dubbin.cli.progress import end_progress, progress_task
from dubbin.cli.sound_commands import bits_of, check_ending
from dubbin.core.errors import BadSettings, CannotWrite, DubbinError, WrongUse
from dubbin.core.figures import number
from dubbin.core.folders import Folders
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.sound.source import Difference, Source
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.texts import tr
from dubbin.core.treat.chain import Use
from dubbin.core.treat.cleaning import Cleaned, cleaned
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.registry import REPAIRS
from dubbin.core.treat.settings import settings_from_plain, value_from_text
from dubbin.core.treat.tiles import DiskTileCache, prune
from dubbin.core.treat.treatment import Treatment


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
    _check_outputs(args)
    for treatment in REPAIRS:  # a slip of the pen is told also where its treatment turns out not to be needed
        _settings(treatment, args)
    task = progress_task(tr("Cleaning {name}").format(name=args.input.name), args.quiet)
    copies = WorkingCopies(folders.copies)
    copy = copies.obtain(args.input, None, task.part(0.0, 0.1))
    before = measure_recording(copy, task.part(0.1, 0.2))
    _check_profile(args.noise_from, copy)
    uses = _uses(args, before)
    prune(folders.tiles, folders.most_tile_bytes)
    started = time.monotonic()
    done = cleaned(
        copy, recorded_key(copy.facts.fingerprint, copy.rate, copy.channels).tile_name, DiskTileCache(folders.tiles), uses, before,
        task.part(0.2, 0.8), chosen={name for name, strength in args.treat or () if strength is not None},
        hidden=None if args.treat else lambda echo: _use(echo.treatment, args, echo.strength),
    )  # fmt: skip
    _tell_idle_settings(args, {use.treatment.name for use in done.uses})
    write_sound(done.chain, args.out, bits_of(args.out), task.part(0.8, 0.9))
    seconds = max(time.monotonic() - started, 1e-6)
    written = copies.obtain(args.out)
    if args.removed:
        write_sound(Difference(copy, written), args.removed, bits_of(args.removed), task.part(0.8, 0.9))
    after = measure_treated(written, before, task.part(0.9, 1.0)) if done.uses else before
    end_progress(args.quiet)
    factor = before.duration_s / seconds
    if args.json:
        entries = _entries(done, before, after)
        print_json({"file": str(args.input), "out": str(args.out), "treatments": entries, "realtime_factor": factor})
    else:
        print(tr("{out}: {factor} x real time").format(out=args.out, factor=number(factor, 0)))
        _print_treatments(done, before, after)
    return 0


def _check_outputs(args: Namespace) -> None:
    """Raises CannotWrite."""
    for path in (p for p in (args.out, args.removed) if p):
        check_output(path, (args.input,))
        check_ending(path)
    if args.removed and args.removed.resolve() == args.out.resolve():
        raise CannotWrite(tr("What was removed needs a file of its own."))


def _uses(args: Namespace, report: RecordingReport) -> list[Use]:
    """What is asked for, in the order in which it is applied; without --treat what the report suggests."""
    suggested = {s.treatment: s.strength for s in report.suggested}
    asked: Mapping[str, int | None] = dict(args.treat) if args.treat else dict.fromkeys(suggested)
    strengths = {name: suggested.get(name, 100) if strength is None else strength for name, strength in asked.items()}
    return [_use(t, args, strengths[t.name] / 100.0) for t in REPAIRS if t.name in strengths]


def _entries(done: Cleaned, before: RecordingReport, after: RecordingReport) -> list[dict[str, Any]]:
    return [
        {
            "name": use.treatment.name, "strength": round(use.strength * 100),
            "before": _figures(use.treatment, before), "after": _figures(use.treatment, after),
            "speech_removed_db": guard.at(use.strength), "speech_is_damaged": guard.is_audible(use.strength),
        }
        for use, guard in zip(done.uses, done.guards, strict=True)
    ]  # fmt: skip


def _print_treatments(done: Cleaned, before: RecordingReport, after: RecordingReport) -> None:
    if not done.uses:
        print(tr("  nothing needed treatment; the output is the input"))
    for use, guard in zip(done.uses, done.guards, strict=True):
        foremost = use.treatment.figures[0]
        print(f"  {use.treatment.title:9} {use.strength:4.0%}   {foremost.text(before)} → {foremost.text(after)}")
        if guard.is_audible(use.strength):
            under = figure(guard.at(use.strength), "dB")
            print(tr("            takes speech along: {figure} under the voice in what was removed").format(figure=under))


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


def _check_profile(span: tuple[float, float] | None, source: Source) -> None:
    if span and span[1] > source.frames / source.rate + 0.01:
        raise DubbinError(tr("The noise profile ends at {span} s, after the end of the recording.").format(span=span[1]))
