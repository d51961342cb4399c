"""The sounds of an episode: recordings are read side by side, each once however many lanes it has; what can't be read is a sentence that names it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dubbin.core.episode.file import load_episode
from dubbin.core.errors import Cancelled, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.mix.render import episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import MemoryTileCache


@pytest.fixture
def episode(little_folder):
    return load_episode(little_folder / "little.dubbin")


def test_the_first_recording_that_is_gone_is_named(episode, tmp_path):
    gone = replace(episode, recordings=(episode.recordings[0], replace(episode.recordings[1], path=str(tmp_path / "nowhere.wav"))))
    with pytest.raises(UnusableSound, match=r"nowhere\.wav was not found"):
        episode_sounds(gone, WorkingCopies(tmp_path / "copies"), MemoryTileCache())


def test_whoever_gives_up_gets_no_sounds(episode, tmp_path):
    task = Task()
    task.cancel()
    with pytest.raises(Cancelled):
        episode_sounds(episode, WorkingCopies(tmp_path / "copies"), MemoryTileCache(), task)
