"""The sounds of an episode: recordings are read side by side, each once however many lanes it has; what can't be read is a sentence that names it."""

from __future__ import annotations

import threading
from dataclasses import replace

import pytest

from dubbin.core import jobs
from dubbin.core.episode.file import load_episode
from dubbin.core.errors import Cancelled, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.mix.render import episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import MemoryTileCache


@pytest.fixture
def episode(little_folder):
    return load_episode(little_folder / "little.dubbin")


class Watched(WorkingCopies):
    """Notes what is asked for; all that is asked for at once meets before it is read."""

    def __init__(self, folder, together: int) -> None:
        super().__init__(folder)
        self.asked, self._meeting = [], threading.Barrier(together, timeout=30)

    def obtain(self, path, *rest, **more):
        self.asked.append(path.name)
        self._meeting.wait()
        return super().obtain(path, *rest, **more)


@pytest.mark.skipif(jobs.CORES < 2, reason="one core works at one recording")
def test_recordings_are_read_side_by_side_and_each_once(episode, tmp_path):
    more = replace(episode, lanes=(*episode.lanes, replace(episode.lanes[0], id="again", voice="The host again")))
    copies, told = Watched(tmp_path / "copies", 2), []
    sounds = episode_sounds(more, copies, MemoryTileCache(), Task(told.append))
    assert sorted(copies.asked) == ["guest.wav", "host.wav"] and list(sounds) == [lane.id for lane in more.lanes]
    assert sounds["again"].recorded.frames == sounds[episode.lanes[0].id].recorded.frames
    assert all(0 <= a <= 1 for a in told) and max(told) > 0.5


def test_the_first_recording_that_is_gone_is_named(episode, tmp_path):
    gone = replace(episode, recordings=(episode.recordings[0], replace(episode.recordings[1], path=str(tmp_path / "nowhere.wav"))))
    with pytest.raises(UnusableSound, match=r"nowhere\.wav was not found"):
        episode_sounds(gone, WorkingCopies(tmp_path / "copies"), MemoryTileCache())


def test_whoever_gives_up_gets_no_sounds(episode, tmp_path):
    task = Task()
    task.cancel()
    with pytest.raises(Cancelled):
        episode_sounds(episode, WorkingCopies(tmp_path / "copies"), MemoryTileCache(), task)


def test_an_episode_without_lanes_has_no_sounds(episode, tmp_path):
    assert episode_sounds(replace(episode, lanes=()), WorkingCopies(tmp_path / "copies"), MemoryTileCache()) == {}
