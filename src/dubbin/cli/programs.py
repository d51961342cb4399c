"""The sound that a command delivers: of an episode, or a file as it is."""

from __future__ import annotations

from pathlib import Path

from dubbin.core.episode.file import SUFFIX, load_episode
from dubbin.core.episode.model import Episode
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.sound.source import Source
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache, prune


def read_program(path: Path, folders: Folders, task: Task) -> tuple[Source, Episode | None, list[Path]]:
    """The program of an episode file, treated and balanced, with the episode and its recordings; of any other file its sound. Raises DubbinError."""
    copies = WorkingCopies(folders.copies)
    if path.suffix.lower() != SUFFIX:
        return copies.obtain(path, None, task), None, [path]
    episode = load_episode(path)
    return program_of_episode(episode, folders, task), episode, [Path(r.path) for r in episode.recordings]


def program_of_episode(episode: Episode, folders: Folders, task: Task) -> Source:
    """What an episode sounds like in the end, with all of it computed."""
    prune(folders.tiles, folders.most_tile_bytes)
    sounds = episode_sounds(episode, WorkingCopies(folders.copies), DiskTileCache(folders.tiles), task.part(0.0, 0.3))
    for k, sound in enumerate(sounds.values()):
        part = task.part(0.3 + 0.6 * k / len(sounds), 0.3 + 0.6 * (k + 1) / len(sounds))
        sound.repaired.prepare(part.part(0.0, 0.8))
        sound.voiced.prepare(part.part(0.8, 1.0))
    return balanced_program(episode, sounds, task.part(0.9, 1.0), KeptResults(folders.results))
