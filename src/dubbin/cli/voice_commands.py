"""voice: EQ, gaps, de-esser and compressor for one recording of a voice."""

from __future__ import annotations

from argparse import Namespace

from dubbin.cli.json_output import print_json
from dubbin.cli.plain import figure
from dubbin.cli.progress import end_progress, progress_task
from dubbin.cli.sound_commands import SOUND_ENDINGS
from dubbin.core.errors import BadSettings, CannotWrite, WrongUse
from dubbin.core.folders import Folders
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import average_spectrum
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.texts import tr
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.figure import crest_db
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.tiles import DiskTileCache, prune
from dubbin.core.treat.voice_fitting import Suggestion, fitted_to
from dubbin.core.treat.voice_presets import find_preset
from dubbin.core.treat.voice_suggestion import suggest_voice


def voice(args: Namespace, folders: Folders) -> int:
    check_output(args.out, (args.input,))
    if args.out.suffix.lower() not in SOUND_ENDINGS:
        raise CannotWrite(
            tr("{name}: the output can be {sound_endings}.").format(name=args.out.name, sound_endings=" or ".join(SOUND_ENDINGS))
        )
    try:
        preset = find_preset(args.preset) if args.preset else None
    except BadSettings as error:
        raise WrongUse(f"{error}.") from error
    task = progress_task(tr("Voice of {name}").format(name=args.input.name), args.quiet)
    copy = WorkingCopies(folders.copies).obtain(args.input, None, task.part(0.0, 0.1))
    before = measure_recording(copy, task.part(0.1, 0.4))
    wanted: Suggestion = dict(preset.uses) if preset else fitted_to(copy, before, suggest_voice(before, average_spectrum(copy)))
    uses = [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]
    prune(folders.tiles, folders.most_tile_bytes)
    chain = Chain(copy, uses, recorded_key(copy.facts.fingerprint, copy.rate, copy.channels).tile_name, DiskTileCache(folders.tiles))
    chain.prepare(task.part(0.4, 0.7))
    write_sound(chain, args.out, 32 if args.out.suffix.lower() == ".wav" else 24, task.part(0.7, 0.8))
    after = measure_recording(WorkingCopies(folders.copies).obtain(args.out), task.part(0.8, 1.0))
    end_progress(args.quiet)
    document = {
        "file": str(args.input), "out": str(args.out), "preset": preset.name if preset else None,
        "treatments": [{"name": use.treatment.name, "settings": wanted[use.treatment.name]} for use in uses],
        "before": _figures(before), "after": _figures(after),
    }  # fmt: skip
    if args.json:
        print_json(document)
        return 0
    done = ", ".join(use.treatment.title for use in uses) or tr("as it was")
    print(f"{args.out}: {done}")
    shown = (
        ("integrated_lufs", tr("integrated"), "LUFS"), ("range_lu", tr("range"), "LU"),
        ("crest_db", tr("crest"), "dB"), ("sibilance_excess_db", tr("sibilance excess"), "dB"),
    )  # fmt: skip
    for name, title, unit in shown:
        print(f"  {title:18} {figure(_figures(before)[name], unit)} → {figure(_figures(after)[name], unit)}")
    return 0


def _figures(report: RecordingReport) -> dict[str, float | None]:
    loudness = report.loudness
    return {
        "integrated_lufs": loudness.integrated_lufs, "range_lu": loudness.range_lu, "crest_db": crest_db(loudness),
        "sibilance_excess_db": report.tone.sibilance_excess_db,
    }  # fmt: skip
