"""What was done to an episode, as rows for a proof sheet: treatments, voices, balance, cuts, with figures before and after where they are known."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from dubbin.core.deliver.publication import clock
from dubbin.core.episode.model import CutKind, Episode, PlacedKind, Role
from dubbin.core.episode.stretches import merged
from dubbin.core.episode.time_map import program_map
from dubbin.core.figures import number, with_unit
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.balance_report import BalanceReport
from dubbin.core.texts import tr, tr_count
from dubbin.core.treat.registry import REPAIRS, TREATMENTS

Rows = tuple[tuple[str, ...], ...]
Reports = Mapping[str, tuple[RecordingReport | None, RecordingReport | None]]


def work_rows(episode: Episode, reports: Reports | None = None, balance: BalanceReport | None = None) -> tuple[tuple[str, Rows], ...]:
    """(heading, rows) of everything. reports: by lane, before and after its repairs."""
    parts = ((tr("Treatments"), _treatments(episode)), (tr("Recordings, before and after"), _figures(episode, reports or {})), (tr("Balance"), _balance(episode, balance)),
             (tr("Cuts"), _cuts(episode)))  # fmt: skip
    return tuple((heading, rows) for heading, rows in parts if rows)


def _treatments(episode: Episode) -> Rows:
    out = []
    for lane in episode.lanes:
        for use in (*lane.repairs, *lane.voice_chain):
            treatment = TREATMENTS.get(use.name)
            if use.on and treatment is not None:
                strength = use.strength * (lane.voice_strength / 100 if use in lane.voice_chain else 1.0)
                where = tr_count(", {count} stretch", ", {count} stretches", len(use.spans)) if use.spans else ""
                out.append((lane.voice, treatment.title, f"{number(strength, 0)} %{where}"))
        if lane.touch_ups:
            out.append((lane.voice, tr("Touch-ups"), str(len(lane.touch_ups))))
        if lane.covers:
            out.append((lane.voice, tr("Muted, lowered or bleeped"), str(len(lane.covers))))
    return tuple(out)


def _figures(episode: Episode, reports: Reports) -> Rows:
    out = []
    for lane in episode.lanes:
        before, after = reports.get(lane.id, (None, None))
        if before is None or after is None or lane.role is not Role.VOICE:
            continue
        for treatment in REPAIRS:
            for figure in treatment.figures:
                if figure.read(before) is not None or figure.read(after) is not None:
                    out.append((lane.voice, figure.label, figure.change_text(before, after)))
    return tuple(out)


def _balance(episode: Episode, report: BalanceReport | None) -> Rows:
    out = []
    for voice in report.voices if report else ():
        if voice.before_lufs is not None and voice.after_lufs is not None:
            out.append((voice.voice, tr("loudness in the program"), f"{number(voice.before_lufs)} → {number(voice.after_lufs)} LUFS"))
    for lane in episode.lanes:
        if lane.role is Role.VOICE and lane.bleed.on:
            out.append((lane.voice, tr("bleed control"), with_unit(lane.bleed.range_db, "dB", 0)))
        if lane.bed is not None:
            out.append(
                (
                    lane.voice,
                    tr("under the program"),
                    tr("down {depth_db} dB under speech").format(depth_db=number(lane.ducking.depth_db, 0))
                    if lane.ducking.on
                    else tr("not ducked"),
                )
            )
    return tuple(out)


CUTS = {
    CutKind.HAND: tr("hand cuts"),
    CutKind.PAUSE: tr("pause cuts"),
    CutKind.FILLER: tr("filler cuts"),
    CutKind.RETAKE: tr("retake cuts"),
}


def _cuts(episode: Episode) -> Rows:
    rate, out = episode.rate, []
    kinds = Counter(c.kind for c in episode.cuts)
    seconds: Counter[str] = Counter()
    for cut in episode.cuts:
        seconds[cut.kind] += cut.frames
    for kind, count in kinds.items():
        out.append((CUTS[kind], str(count), with_unit(seconds[kind] / rate, "s")))
    for placed in episode.placed:
        if placed.kind in (PlacedKind.INSERT, PlacedKind.BREAK):
            out.append((tr(placed.kind.value), placed.name or "–", with_unit(placed.frames / rate, "s")))
    taken = sum(b - a for a, b in merged(episode.cuts))
    if out:
        out.append(
            (
                tr("in all"),
                tr("{frames} recorded, {program_frames} program").format(
                    frames=clock(episode.frames / rate), program_frames=clock(program_map(episode).program_frames / rate)
                ),
                with_unit(-taken / rate, "s"),
            )
        )
    return tuple(out)
