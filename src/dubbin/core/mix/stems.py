"""The program in parts that add up to it: a voice each, music and effects apart."""

from __future__ import annotations

from dubbin.core.episode.model import Episode, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.mix.lane_gains import Balance
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import Program, SessionMix, audible_lanes, beds_under, lane_sources
from dubbin.core.mix.render import program_of
from dubbin.core.texts import tr

MUSIC, EFFECTS = tr("Music"), tr("Effects")


def stem_groups(episode: Episode) -> dict[str, list[str]]:
    """Lanes by the name of their stem; lanes of one voice go together. Only what is heard."""
    out: dict[str, list[str]] = {}
    for lane in audible_lanes(episode.lanes):
        name = lane.voice if lane.role is Role.VOICE else MUSIC if lane.role is Role.MUSIC else EFFECTS
        out.setdefault(name, []).append(lane.id)
    return out


def stem_programs(episode: Episode, sounds: dict[str, LaneSound], balance: Balance) -> dict[str, Program]:
    """A program for every stem; cue tones are in none of them."""
    whole, time_map, sources = (
        program_of(episode, sounds, MonitorMode.TREATED, balance),
        program_map(episode),
        lane_sources(sounds, MonitorMode.TREATED),
    )
    out = {}
    for name, ids in stem_groups(episode).items():
        part = {id: sources[id] for id in ids if id in sources}
        mix = SessionMix(episode, part, curves=balance.curves, cues=False)
        under = beds_under(episode, time_map, sources, balance, set(ids))
        out[name] = Program(mix, time_map, None, under=under, joined_like=whole)
    return out
