"""From an episode to its program, for export and the command line."""

from __future__ import annotations

from functools import partial

from dubbin.core.episode.importing import recording_source
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.jobs import Task, side_by_side
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_gains import Balance, find_balance
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_sound import LaneSound, lane_sound
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import Program, SessionMix, beds_under, lane_sources, program_over
from dubbin.core.mix.voice_facts import voice_facts
from dubbin.core.sound.source import Source
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import TileCache


def episode_sounds(episode: Episode, copies: WorkingCopies, tile_cache: TileCache, task: Task | None = None) -> dict[str, LaneSound]:
    """The sound of every lane; recordings that nobody has looked through yet are read side by side. Raises UnusableSound when one can't be read."""
    sources: dict[str, Source] = {}

    def read(id: str, task: Task) -> None:
        sources[id] = recording_source(episode.recording(id), copies, episode.rate, task)

    side_by_side([partial(read, id) for id in dict.fromkeys(lane.recording for lane in episode.lanes)], task or Task())
    return {lane.id: lane_sound(lane, sources[lane.recording], lane_key(episode, lane), tile_cache) for lane in episode.lanes}


def needs_facts(episode: Episode) -> bool:
    """Whether anything in the balance depends on who speaks when."""
    voices = any(lane.levelling.on or lane.bleed.on for lane in episode.voices)
    return voices or any(lane.ducking.on for lane in episode.beds)


def program_of(
    episode: Episode, sounds: dict[str, LaneSound], mode: MonitorMode = MonitorMode.TREATED, balance: Balance | None = None
) -> Program:
    """What the listener will hear; balance: from `find_balance`."""
    balance = balance or Balance()
    sources = lane_sources(sounds, mode)
    treated = mode is MonitorMode.TREATED
    mix = SessionMix(episode, sources, curves=balance.curves if treated else None)
    time_map = program_map(episode)
    under = beds_under(episode, time_map, sources, balance) if mode is not MonitorMode.REMOVED else []
    return program_over(episode, mix, time_map, under)


def balanced_program(episode: Episode, sounds: dict[str, LaneSound], task: Task | None = None, kept: KeptResults | None = None) -> Program:
    """What the listener will hear; what its balance depends on is measured now, where it is not kept."""
    balance = Balance()
    if needs_facts(episode):
        balance = find_balance(episode, voice_facts(episode, sounds, task, kept))
    elif any(lane.line for lane in episode.lanes):
        balance = find_balance(episode, {})
    return program_of(episode, sounds, balance=balance)
