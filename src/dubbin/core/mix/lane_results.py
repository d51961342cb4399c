"""What is measured of a lane and kept: window, card and batch ask here, and each finds what another has measured."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import LaneKey
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.sound.peaks import PeakBuilder, PeakPyramid
from dubbin.core.sound.rendered import rendered
from dubbin.core.sound.source import Source, blocks
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.models import Models
from dubbin.core.speech.transcribe import Transcription, transcribe_with
from dubbin.core.speech.transcript import Spoken
from dubbin.core.treat.chain import Stage
from dubbin.core.treat.guard import Guard


@dataclass(frozen=True)
class Measured:
    """What was measured of a lane's sound as recorded."""

    report: RecordingReport
    activity: Activity


@dataclass(frozen=True)
class Treated:
    """What was computed of a lane's treated sound. guards: by the name of the treatment."""

    peaks: PeakPyramid
    guards: dict[str, Guard]


def measure_recorded(recorded: Source, key: LaneKey, kept: KeptResults | None, task: Task) -> Measured:
    """Figures and activity of a lane as recorded. key: the lane's."""
    known = kept.recall("measured", key.recorded, Measured) if kept is not None else None
    if known is None:
        known = Measured(measure_recording(recorded, task.part(0.0, 0.8)), find_activity(recorded, task.part(0.8, 1.0)))
        if kept is not None:
            kept.keep("measured", key.recorded, known)
    return known


def measure_repaired(sound: LaneSound, key: LaneKey, before: RecordingReport, kept: KeptResults | None, task: Task) -> RecordingReport:
    """Figures of a lane after its repairs. before: of the lane as recorded."""
    known = kept.recall("repaired", key.repaired, RecordingReport) if kept is not None else None
    if known is None:
        if kept is None or not sound.repaired.stages:
            known = measure_treated(sound.repaired, before, task)
        else:
            with rendered(sound.repaired, kept.folder, task.part(0.0, 0.1)) as once:  # every figure looks through it
                known = measure_treated(once, before, task.part(0.1, 1.0))
        if kept is not None:
            kept.keep("repaired", key.repaired, known)
    return known


def guard_of(stage: Stage, kept: KeptResults | None, task: Task | None = None) -> Guard:
    """How much of the voice a treatment takes along."""
    known = kept.recall("guard", stage.key, Guard) if kept is not None else None
    if known is None:
        known = stage.guard(task)
        if kept is not None:
            kept.keep("guard", stage.key, known)
    return known


def hear_words(
    recorded: Source, lane: str, key: LaneKey, activity: Activity, own: NDArray[np.bool_], models: Models, spoken: Spoken, kept: KeptResults | None, task: Task, *,
    rt60_s: float | None = None,
) -> Transcription:  # fmt: skip
    """The words of a voice. own: marks, 100 a second, of what this voice says. Where they are noted, work that was broken off goes on with the page it had in hand."""
    if kept is None:
        return transcribe_with(models, recorded, lane, activity, own, spoken, rt60_s=rt60_s, task=task)
    marks = hashlib.blake2b(np.packbits(own).tobytes(), digest_size=12).hexdigest()
    name = (key.recorded, models.choice, spoken, marks)
    known = kept.recall("words", name, Transcription)
    if known is None:
        with kept.notes("words", name) as notes:
            known = transcribe_with(models, recorded, lane, activity, own, spoken, rt60_s=rt60_s, keep=notes, task=task)
        kept.keep("words", name, known)
    return replace(known, transcript=replace(known.transcript, lane=lane))


def treat_lane(sound: LaneSound, key: LaneKey, kept: KeptResults | None, task: Task, report: RecordingReport | None = None) -> Treated:
    """Compute all of a lane's treated sound that is not there yet; its picture, and how much of the voice each repair takes along. report: on the sound as
    recorded, where it is known."""
    known = kept.recall("treated", key.voiced, Treated) if kept is not None else None
    guards: dict[str, Guard] = {}

    def look(stage: Stage) -> None:
        guards[stage.treatment.name] = guard_of(stage, kept, task.part(0.7, 0.7))

    sound.repaired.prepare(task.part(0.0, 0.7), report, then=look if known is None else None)
    sound.voiced.prepare(task.part(0.7, 0.9))
    if known is None:
        builder, part = PeakBuilder(sound.recorded.channels), task.part(0.9, 1.0)
        for start, x in blocks(sound.voiced):
            part.step(start / max(sound.voiced.frames, 1))
            builder.push(x)
        known = Treated(builder.finish(), guards)
        if kept is not None:
            kept.keep("treated", key.voiced, known)
    return known
