"""The card's voices: the voice treatments that each voice asks for behind its repairs."""

from __future__ import annotations

from collections.abc import Mapping

from dubbin.core.card.entry import CardStep, Entry, VoiceSwitch
from dubbin.core.card.plan import PlanKind
from dubbin.core.card.state import CardRun
from dubbin.core.episode.commands.treatments import set_voice
from dubbin.core.episode.model import Lane
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import Loudness
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import average_spectrum
from dubbin.core.mix.voice_facts import voice_loudness
from dubbin.core.texts import tr
from dubbin.core.treat.figure import crest_db
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.voice_fitting import Suggestion, fitted_to
from dubbin.core.treat.voice_suggestion import suggest_voice


def set_voices(run: CardRun, reports: Mapping[str, RecordingReport]) -> None:
    """Set the voice treatments of voices that have none on, and compute them. reports: on the voices after their repairs, by lane id."""
    set_now = _suggested(run, reports)
    for lane_id, suggestion in set_now.items():
        run.do(lambda e, i=lane_id, s=suggestion: set_voice(e, i, s, tr("Suggested voice settings")))  # type: ignore[misc]
    sounds, loudness = run.sounds(), dict[str, Loudness]()

    def treat(lane: Lane, task: Task) -> None:
        task = task.watched(lambda fraction: run.tell(PlanKind.VOICE, fraction, lane.id))
        sounds[lane.id].voiced.prepare(task.part(0.0, 0.9))
        if lane.id in set_now:
            loudness[lane.id] = voice_loudness(sounds[lane.id], run.key_of(lane), run.resources.kept, task.part(0.9, 1.0))
        run.tell(PlanKind.VOICE, 1.0, lane.id)

    run.each(treat, 0.84, 0.92)
    for lane in run.voices:
        if lane.id in set_now:
            names = ", ".join(t.title for t in VOICE if t.name in set_now[lane.id])
            crests = (crest_db(found) for found in (reports[lane.id].loudness, loudness[lane.id]))
            before, after = ("–" if c is None else tr("{c} dB crest").format(c=number(c)) for c in crests)
            run.entries.append(Entry(CardStep.VOICE, f"{names} · {lane.voice}", VoiceSwitch(lane.id), before, after))


def _suggested(run: CardRun, reports: Mapping[str, RecordingReport]) -> dict[str, Suggestion]:
    """What voices ask for, by lane id, in the order of the lanes; of those that ask for something, and for which nobody has set anything."""
    sounds, found = run.sounds(), dict[str, Suggestion]()

    def look(lane: Lane, task: Task) -> None:
        if not any(u.on for u in lane.voice_chain) and run.wants(PlanKind.VOICE, lane.id):
            voice, report = sounds[lane.id].repaired, reports[lane.id]
            idea = suggest_voice(report, average_spectrum(voice, task.part(0.0, 0.5)))
            found[lane.id] = fitted_to(voice, report, idea, task.part(0.5, 1.0))

    run.each(look, 0.8, 0.84)
    return {lane.id: found[lane.id] for lane in run.voices if found.get(lane.id)}
