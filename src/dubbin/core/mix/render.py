"""From an episode to its program, for export and the command line."""

from __future__ import annotations

from dubbin.core.episode.intake import recording_source
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.jobs import Task
from dubbin.core.mix.hear import Hear
from dubbin.core.mix.lane_sound import LaneSound, lane_sound
from dubbin.core.mix.program import Program, SessionMix, lane_sources, program_over
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import TileKeeper


def episode_sounds(
    episode: Episode, copies: WorkingCopies, keeper: TileKeeper, task: Task | None = None
) -> dict[str, LaneSound]:
    """The sound of every lane. Raises UnusableSound when a recording can't be read."""
    task = task or Task()
    out = {}
    for k, lane in enumerate(episode.lanes):
        part = task.part(k / len(episode.lanes), (k + 1) / len(episode.lanes))
        recording = episode.recording(lane.recording)
        source = recording_source(recording, copies, episode.rate, part)
        out[lane.id] = lane_sound(lane, source, recording.fingerprint, keeper)
    return out


def program_of(episode: Episode, sounds: dict[str, LaneSound], hear: Hear = Hear.TREATED) -> Program:
    """What the listener will hear."""
    mix = SessionMix(episode, lane_sources(sounds, hear))
    return program_over(episode, mix, program_map(episode))
