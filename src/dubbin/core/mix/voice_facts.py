"""What the balance stands on, measured and kept: who speaks when, and how loud every voice is. Window, card, batch and export ask here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, Lane
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.loudness import Loudness
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_gains import VoiceFacts, loudness_and_power, measure_own, program_power
from dubbin.core.mix.lane_key import LaneKey, lane_key
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.sound.source import Source

# By which they are kept; to be changed with what `measure_own` and `program_power` do.
OWN, POWER = "own speech, 1", "power, 1"

Own = dict[str, NDArray[np.bool_]]  # by lane: marks, FRAMES_PER_S a second, of what the voice itself says
OwnKey = tuple[tuple[str, int, bool, LaneKey], ...]


@dataclass(frozen=True)
class _Power:
    """One lane's power in the program, (steps,)."""

    power: NDArray[np.float64]


@dataclass(frozen=True)
class _Own:
    """`Own` in a form that is kept."""

    marks: dict[str, NDArray[np.bool_]]


def own_key(episode: Episode, key_of: Callable[[Lane], LaneKey] | None = None) -> OwnKey:
    """What it depends on who speaks when: all voices' sound as recorded, and where it lies. key_of: the keys of lanes, where somebody has them at hand."""
    key_of = key_of or partial(lane_key, episode)
    return tuple((lane.id, lane.start_frame, lane.is_insert, key_of(lane).recorded) for lane in episode.voices)


def own_speech(episode: Episode, recorded: Mapping[str, Source], kept: KeptResults | None, task: Task) -> Own:
    """Who speaks when. recorded: by lane; where a voice is missing the rest is compared, and not kept."""
    known = kept.recall(OWN, own_key(episode), _Own) if kept is not None else None
    if known is None:
        there = [(lane, recorded[lane.id]) for lane in episode.voices if lane.id in recorded]
        known = _Own(measure_own(there, episode.rate, task))
        if kept is not None and len(there) == len(episode.voices):
            kept.keep(OWN, own_key(episode), known)
    return known.marks


def lane_power(treated: Source, key: LaneKey, kept: KeptResults | None, task: Task) -> NDArray[np.float64]:
    """How loud a lane is behind its treatments. key: the lane's."""
    known = kept.recall(POWER, key, _Power) if kept is not None else None
    if known is None:
        known = _Power(program_power(treated, task))
        if kept is not None:
            kept.keep(POWER, key, known)
    return known.power


def voice_loudness(sound: LaneSound, key: LaneKey, kept: KeptResults | None, task: Task) -> Loudness:
    """Loudness of a lane behind its voice treatments, without the true peak. How loud it is in the program, which the balance asks for next, is kept on the way.
    key: the lane's."""
    loudness, power = loudness_and_power(sound.voiced, task)
    if kept is not None:
        kept.keep(POWER, key.voiced, _Power(power))
    return loudness


def voice_facts(
    episode: Episode, sounds: Mapping[str, LaneSound], task: Task | None = None, kept: KeptResults | None = None
) -> dict[str, VoiceFacts]:
    """What the balance needs to know of every voice; looks through all of them, where that is not known yet."""
    task = task or Task()
    voices = [lane for lane in episode.voices if lane.id in sounds]
    own = own_speech(episode, {lane.id: sounds[lane.id].recorded for lane in voices}, kept, task.part(0.0, 0.5))
    power: dict[str, NDArray[np.float64]] = {}
    shares = dict(zip([lane.id for lane in voices], task.part(0.5, 1.0).shares(len(voices)), strict=True))

    def measure(lane: Lane) -> None:
        power[lane.id] = lane_power(sounds[lane.id].treated, lane_key(episode, lane), kept, shares[lane.id])

    in_parallel(measure, voices, task.part(0.5, 0.5))
    return {lane.id: VoiceFacts(power[lane.id], own[lane.id]) for lane in voices}
