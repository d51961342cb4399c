"""Recordings and episodes in a folder on a network that does not answer: the window opens, is used and closes all the same."""

from __future__ import annotations

import threading
from dataclasses import replace

import pytest

from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.jobs import JobRunner
from dubbin.core.sound import working_copy
from dubbin.window.shell.step import Step
from tests.core.test_in_time import silent_folder  # noqa: F401


@pytest.fixture
def silent_recordings(monkeypatch):
    """No recording is ever read: whoever asks for one waits."""
    answers, asked = threading.Event(), threading.Event()

    def look(path):
        asked.set()
        answers.wait(60)
        raise OSError("gone")

    monkeypatch.setattr(working_copy, "look", look)
    before = set(threading.enumerate())
    yield asked
    answers.set()
    for thread in set(threading.enumerate()) - before:  # before the window goes, of which they hold parts
        thread.join(20)


def test_an_episode_whose_recordings_do_not_come_is_edited_saved_and_closed(open_window, little, qtbot, monkeypatch, silent_recordings):
    monkeypatch.setattr(JobRunner, "close", lambda runner, close=JobRunner.close: close(runner, 0.2))
    window = open_window(little, settles=False)
    qtbot.waitUntil(silent_recordings.is_set)
    for step in Step:
        window.go_step(step)
        window.grab()
    window.navigation.go(48000)
    window.actions_by_id["mark-place"].run()
    assert len(window.session.episode.markers) == 1
    window.actions_by_id["save"].run()
    assert len(load_episode(little).markers) == 1
    window.close()
    assert not window.isVisible()


def test_an_episode_that_was_open_there_is_not_offered_and_the_others_are(open_window, little, silent_folder, tmp_path):  # noqa: F811
    window = open_window()
    save_episode(replace(load_episode(little), title="Here"), tmp_path / "here.dubbin")
    window.preferences.set("recent", [str(silent_folder / "far.dubbin"), str(tmp_path / "here.dubbin")])
    window.welcome.refresh()
    assert window.welcome.list.count() == 1 and "here" in window.welcome.list.itemAt(0).widget().text()
