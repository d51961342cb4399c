"""The card's repairs: what the findings of each voice ask for, no further than the voice allows, and an echo that shows only behind the noise."""

from __future__ import annotations

from collections.abc import Mapping

from dubbin.core.card.entry import CardStep, Entry, RepairSwitch
from dubbin.core.card.plan import PlanKind
from dubbin.core.card.state import CardRun, Step
from dubbin.core.episode.commands.treatments import change_use
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.jobs import Task
from dubbin.core.measure.report import RecordingReport
from dubbin.core.memory import give_back
from dubbin.core.mix.lane_results import Measured, guard_of, measure_recorded, measure_repaired
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.texts import tr
from dubbin.core.treat import deep_filter
from dubbin.core.treat.chain import Stage
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import REPAIRS, TREATMENTS

NAMES = [t.name for t in REPAIRS]
Strengths = dict[str, dict[str, int]]  # in per cent, by lane id and name of the treatment
Reports = Mapping[str, RecordingReport]  # by lane id


def measure(run: CardRun) -> dict[str, Measured]:
    """What is known of every voice as it was recorded, by lane id."""
    sounds, found = run.sounds(), dict[str, Measured]()

    def look(lane: Lane, task: Task) -> None:
        found[lane.id] = measure_recorded(sounds[lane.id].recorded, run.key_of(lane), run.resources.kept, task)

    run.each(look, 0.0, 0.08)
    return found


def repair(run: CardRun, reports: Reports) -> dict[str, RecordingReport]:
    """Treat every voice as its report asks; reports on the voices after it."""
    wanted = {lane.id: _asked_for(run, lane, reports[lane.id]) for lane in run.voices}
    trial = _tried(run.episode, wanted)
    sounds = run.sounds(trial)
    _treat(run, sounds, reports, wanted, run.voices, 0.08, 0.47)
    if hidden := _hidden_echoes(run, sounds, reports, wanted):
        for lane_id, strength in hidden.items():
            wanted[lane_id]["dereverb"] = strength
        sounds = run.sounds(_tried(trial, {lane_id: {"dereverb": strength} for lane_id, strength in hidden.items()}))
        _treat(run, sounds, reports, wanted, [lane for lane in run.voices if lane.id in hidden], 0.48, 0.5)
    for lane_id, strengths in wanted.items():
        for name, strength in strengths.items():
            run.do(_use(lane_id, name, strength))
    deep_filter.release()  # measuring takes its place, and the speech model later on
    give_back()
    after = _measured_again(run, reports)
    for lane in run.voices:
        for name, strength in wanted[lane.id].items():
            figure = TREATMENTS[name].figures[0]
            was, now = (figure.text(r) for r in (reports[lane.id], after[lane.id]))
            title = f"{TREATMENTS[name].title} {strength} % · {lane.voice}"
            run.entries.append(Entry(CardStep.REPAIR, title, RepairSwitch(lane.id, name), was, now))
    return after


def _asked_for(run: CardRun, lane: Lane, report: RecordingReport) -> dict[str, int]:
    """The strengths of what a report suggests, in the order of the chain; what somebody has set is left as it is."""
    suggested = {s.treatment: s.strength for s in report.suggested}
    on = {use.name for use in lane.repairs if use.on}
    return {n: suggested[n] for n in NAMES if n in suggested and n not in on and run.wants(PlanKind.REPAIR, lane.id, n)}


def _tried(episode: Episode, wanted: Strengths) -> Episode:
    """An episode with treatments at full measure, before anybody has heard what they take of the voice."""
    for lane_id, strengths in wanted.items():
        for name, strength in strengths.items():
            episode = change_use(episode, lane_id, name, "", on=True, strength=strength).episode
    return episode


def _treat(
    run: CardRun, sounds: Mapping[str, LaneSound], reports: Reports, wanted: Strengths, lanes: list[Lane], low: float, high: float
) -> None:
    """Compute the repairs of voices, and hold those back that take some of the voice along."""

    def treat(lane: Lane, task: Task) -> None:
        chain, strengths = sounds[lane.id].repaired, wanted[lane.id]
        names = [stage.treatment.name for stage in chain.stages]

        def tell(fraction: float) -> None:
            for k, name in enumerate(names):
                run.tell(PlanKind.REPAIR, fraction * len(names) - k, lane.id, name)

        def hold_back(stage: Stage) -> None:
            name = stage.treatment.name
            if name in strengths:
                strengths[name] = min(strengths[name], int(100 * guard_of(stage, run.resources.kept).highest_strength))

        chain.prepare(task.watched(tell), reports[lane.id], then=hold_back)
        tell(1.0)

    run.each(treat, low, high, lanes)


def _hidden_echoes(run: CardRun, sounds: Mapping[str, LaneSound], reports: Reports, wanted: Strengths) -> dict[str, int]:
    """The strengths, by lane id, at which the echo is to be treated that noise had hidden."""
    found: dict[str, int] = {}

    def look(lane: Lane, task: Task) -> None:
        if "denoise" not in wanted[lane.id] or not run.wants(PlanKind.REPAIR, lane.id, "dereverb"):
            return
        if (use := hidden_echo(sounds[lane.id].repaired, reports[lane.id], task)) is not None:
            found[lane.id] = round(100 * use.strength)

    run.each(look, 0.47, 0.48)
    return found


def _measured_again(run: CardRun, reports: Reports) -> dict[str, RecordingReport]:
    sounds, after = run.sounds(), dict[str, RecordingReport]()

    def look(lane: Lane, task: Task) -> None:
        after[lane.id] = measure_repaired(sounds[lane.id], run.key_of(lane), reports[lane.id], run.resources.kept, task)

    run.each(look, 0.5, 0.56)
    return after


def _use(lane_id: str, name: str, strength: int) -> Step:
    return lambda e: change_use(
        e,
        lane_id,
        name,
        tr("{title} {strength} % for {voice}").format(title=TREATMENTS[name].title, strength=strength, voice=e.lane(lane_id).voice),
        on=True,
        strength=strength,
    )
