"""Whose voice a recording holds: told by the voices that somebody remembered, where neither a table nor the recipe names it.

A machine that works along tells what the voices sound like; only the one that asks compares that with those that are remembered, which never leave it.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from dubbin.core.deliver.recipe import Recipe, apply_recipe
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_results import measure_recorded
from dubbin.core.mix.render import episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.speech.known_voices import KnownVoices, Point, spans_of_marks, voice_point
from dubbin.core.speech.turns import own_speech
from dubbin.core.treat.tiles import MemoryTileCache


def has_remembered(state: Path) -> bool:
    """Whether anybody is remembered on this computer."""
    return bool(KnownVoices(state).names)


def points_of(episode: Episode, copies: WorkingCopies, kept: KeptResults | None, task: Task | None = None) -> dict[str, Point]:
    """What the voices sound like, by lane; those that say enough to tell."""
    task = task or Task()
    lanes, sounds = list(episode.session_voices), episode_sounds(episode, copies, MemoryTileCache())
    activities = [measure_recorded(sounds[lane.id].recorded, lane_key(episode, lane), kept, task.part(0.0, 0.5)).activity for lane in lanes]
    own = own_speech([(lane.start_frame / episode.rate, activity) for lane, activity in zip(lanes, activities, strict=True)])
    found = {}
    for k, (lane, marks) in enumerate(zip(lanes, own, strict=True)):
        part = task.part(0.5 + 0.5 * k / len(lanes), 0.5 + 0.5 * (k + 1) / len(lanes))
        point = voice_point(sounds[lane.id].recorded, spans_of_marks(marks, FRAMES_PER_S), part)
        if point is not None:
            found[lane.id] = point
    return found


def with_names(
    episode: Episode, points: Mapping[str, Point], state: Path, recipe: Recipe | None, given: tuple[str, ...]
) -> tuple[Episode, tuple[str, ...]]:
    """The episode with the names of the voices that are clearly remembered ones, under the recipe's settings for them; and the names. given: names that a table gave,
    which stand."""
    lanes = [lane for lane in episode.session_voices if lane.voice not in given]
    if recipe is not None:
        lanes = [lane for lane in lanes if not any(v.voice == lane.voice for v in recipe.voices)]
    taken = {lane.voice for lane in episode.lanes}
    named = []
    for lane, name in zip(lanes, KnownVoices(state).names_of([points.get(lane.id) for lane in lanes]), strict=True):
        if name is not None and name not in taken:
            episode = name_voice(episode, lane.id, name).episode
            named.append(name)
    if named and recipe is not None:
        episode = apply_recipe(episode, recipe).episode
    return episode, tuple(named)
