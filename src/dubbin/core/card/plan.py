"""What running the card would do, line by line with the reason, before it does it; each line can be left out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from dubbin.core.card.entry import CardStep
from dubbin.core.episode.commands.treatments import find_use
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.figures import short_number
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr
from dubbin.core.treat.registry import REPAIRS


class PlanKind(StrEnum):
    """What a line stands for."""

    REPAIR = "repair"
    WORDS = "words"
    RETAKES = "retakes"
    FILLERS = "fillers"
    PAUSES = "pauses"
    VOICE = "voice"
    BALANCE = "balance"


@dataclass(frozen=True)
class PlanKey:
    """Names a line. lane, treatment: empty where it is about all of them."""

    kind: PlanKind
    lane: str = ""
    treatment: str = ""


@dataclass(frozen=True)
class PlanLine:
    """title: what would be done, with its strength. reason: why, with the figure that asks for it."""

    key: PlanKey
    step: CardStep
    title: str
    reason: str


def plan_card(episode: Episode, reports: Mapping[str, RecordingReport]) -> tuple[PlanLine, ...]:
    """What would be done to an episode as it is. reports: of the voices that are measured, by lane id; of the others no repair is known yet."""
    voices = list(episode.session_voices)
    lines = [line for lane in voices if lane.id in reports for line in _repairs(lane, reports[lane.id])]
    lines += _edits(episode, voices)
    lines += [
        PlanLine(
            PlanKey(PlanKind.VOICE, lane.id),
            CardStep.VOICE,
            tr("EQ, de-esser, compressor · {voice}").format(voice=lane.voice),
            tr("what the measured voice asks for"),
        )
        for lane in voices
        if not any(use.on for use in lane.voice_chain)
    ]
    if episode.lanes:
        reason = tr("voices as loud as each other, bleed down, music under speech")
        lines.append(PlanLine(PlanKey(PlanKind.BALANCE), CardStep.BALANCE, tr("Levelling, bleed control, ducking"), reason))
    return tuple(lines)


def _repairs(lane: Lane, report: RecordingReport) -> list[PlanLine]:
    """Treatments that answer findings and are not on: what somebody has set is left as it is."""
    order, titles = [t.name for t in REPAIRS], {t.name: t.title for t in REPAIRS}
    asked = {s.treatment: s for s in report.suggested if s.treatment in titles and not find_use(lane, s.treatment).on}
    return [
        PlanLine(
            PlanKey(PlanKind.REPAIR, lane.id, name),
            CardStep.REPAIR,
            tr("{titles}, up to {strength} % · {voice}").format(titles=titles[name], strength=asked[name].strength, voice=lane.voice),
            asked[name].because,
        )
        for name in sorted(asked, key=order.index)
    ]


def _edits(episode: Episode, voices: list[Lane]) -> list[PlanLine]:
    missing = [lane for lane in voices if episode.transcript(lane.id) is None]
    lines = [
        PlanLine(
            PlanKey(PlanKind.WORDS, lane.id),
            CardStep.EDIT,
            tr("Transcribe · {voice}").format(voice=lane.voice),
            tr("for fillers, retakes, captions and chapters"),
        )
        for lane in missing
    ]
    if not voices:
        return lines
    lines += [
        PlanLine(
            PlanKey(PlanKind.RETAKES), CardStep.EDIT, tr("Cut retakes"), tr("the last take of a line stays, where the cut can't be heard")
        ),
        PlanLine(PlanKey(PlanKind.FILLERS), CardStep.EDIT, tr("Cut fillers"), tr("those that can be cut without being heard")),
    ]
    if not episode.pauses_on:
        settings = episode.pauses
        text = tr("longer than {longer_than_s} s").format(longer_than_s=short_number(settings.longer_than_s))
        lines.append(
            PlanLine(PlanKey(PlanKind.PAUSES), CardStep.EDIT, tr("Shorten pauses"), tr("{text}, as Edit, Pauses says").format(text=text))
        )
    return lines
