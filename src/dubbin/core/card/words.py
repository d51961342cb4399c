"""The card's words: every voice is written down where it speaks, and what is said again or filled in is found."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from dubbin.core.card.plan import PlanKind
from dubbin.core.card.state import CardRun
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.model import CutKind, Lane
from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import KeptVoicing
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.lane_results import Measured, hear_words
from dubbin.core.mix.overlaps import own_marks
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.word_cuts import FoundRetake, find_fillers, found_retakes, last_take_cuts, unheard_filler_cuts
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.transcribe import Transcription, remark_on
from dubbin.core.speech.word_table import WordTable


@dataclass(frozen=True)
class Words:
    """What was found by listening. own: by lane id, marks, 100 a second, of what a voice itself says; voicings: by lane id, of voices that were written down just
    now. stretches: what can be cut of fillers and retakes, (start, end) on the session clock. check: what cuts are judged by; None: nobody has listened."""

    own: Mapping[str, NDArray[np.bool_]] = field(default_factory=dict)
    voicings: Mapping[str, KeptVoicing] = field(default_factory=dict)
    retakes: tuple[FoundRetake, ...] = ()
    stretches: Mapping[CutKind, list[tuple[int, int]]] = field(default_factory=dict)
    check: CutCheck | None = None


NO_WORDS = Words()


def listen(run: CardRun, measured: Mapping[str, Measured]) -> Words:
    """Write the voices down that have no words yet, and look for retakes and fillers in all of them."""
    rate = run.episode.rate
    marks = own_marks([(lane, measured[lane.id].activity) for lane in run.voices], rate)
    own = {lane.id: found for lane, found in zip(run.voices, marks, strict=True)}
    heard = _written_down(run, measured, own)
    voicings = {lane_id: found.voicing for lane_id, found in heard.items()}
    sounds = run.sounds()
    mix = SessionMix(run.episode, {lane.id: sounds[lane.id].recorded for lane in run.voices})
    rows = [(t, lane.start_frame, lane.voice) for t in run.episode.transcripts for lane in run.episode.lanes if lane.id == t.lane]
    table = WordTable(rows)
    retakes = [
        retake
        for t, start_frame, _ in rows
        for retake in found_retakes(t.lane, start_frame, find_retakes(t.words, rate, voicings.get(t.lane), t.language))
    ]
    check = CutCheck(mix, [(lane.start_frame, measured[lane.id].activity) for lane in run.voices], table)
    stretches: dict[CutKind, list[tuple[int, int]]] = {}
    if run.wants(PlanKind.RETAKES):
        stretches[CutKind.RETAKE] = last_take_cuts(table, mix, rate, retakes, check)
        run.tell(PlanKind.RETAKES, 1.0)
    if run.wants(PlanKind.FILLERS):
        stretches[CutKind.FILLER] = unheard_filler_cuts(run.episode, find_fillers(table, mix, rate, check))
        run.tell(PlanKind.FILLERS, 1.0)
    return Words(own, voicings, tuple(retakes), stretches, check)


def _written_down(run: CardRun, measured: Mapping[str, Measured], own: Mapping[str, NDArray[np.bool_]]) -> dict[str, Transcription]:
    """What was heard of the voices without words, by lane id; their words are in the episode then."""
    models, spoken, kept = run.resources.models, run.episode.spoken, run.resources.kept
    sounds, heard = run.sounds(), dict[str, Transcription]()
    missing = [lane for lane in run.voices if run.episode.transcript(lane.id) is None and run.wants(PlanKind.WORDS, lane.id)]

    def hear(lane: Lane, task: Task) -> None:
        found = measured[lane.id]
        heard[lane.id] = hear_words(
            sounds[lane.id].recorded, lane.id, run.key_of(lane), found.activity, own[lane.id], models, spoken, kept,
            task.watched(lambda fraction: run.tell(PlanKind.WORDS, fraction, lane.id)), rt60_s=found.report.echo.rt60_s,
        )  # fmt: skip
        run.tell(PlanKind.WORDS, 1.0, lane.id)

    run.each(hear, 0.56, 0.8, missing)
    for lane in missing:
        transcript = heard[lane.id].transcript
        run.do(lambda e, t=transcript: set_transcript(e, t))  # type: ignore[misc]
        run.remarks += [remark] if (remark := remark_on(transcript, lane.voice)) is not None else []
    return heard
