"""Recordings and episodes in a folder on a network that does not answer: the window opens, is used and closes all the same."""

from __future__ import annotations

import threading
from dataclasses import replace

import pytest
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from dubbin.core.episode import saving
from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.jobs import JobRunner
from dubbin.core.sound import working_copy
from dubbin.window.shell import saver
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
    assert window.files.saver.wait()
    assert len(load_episode(little).markers) == 1
    window.close()
    assert not window.isVisible()


def test_an_episode_that_was_open_there_is_not_offered_and_the_others_are(open_window, little, silent_folder, tmp_path):  # noqa: F811
    window = open_window()
    save_episode(replace(load_episode(little), title="Here"), tmp_path / "here.dubbin")
    window.preferences.set("recent", [str(silent_folder / "far.dubbin"), str(tmp_path / "here.dubbin")])
    window.welcome.refresh()
    assert window.welcome.list.count() == 1 and "here" in window.welcome.list.itemAt(0).widget().text()


@pytest.fixture
def window(little_window):
    return little_window


@pytest.fixture
def silent_disk(monkeypatch):
    """Whoever writes an episode waits until the event that is given is set."""
    answers, write = threading.Event(), saving.save_episode

    def slowly(*arguments):
        answers.wait(30)
        write(*arguments)

    monkeypatch.setattr(saving, "save_episode", slowly)
    yield answers
    answers.set()


def marked(window, text):
    window.session.do(add_marker(window.session.episode, 48000 * (1 + len(window.session.episode.markers)), text))


def texts_in(path):
    return [m.text for m in load_episode(path).markers]


def test_while_an_episode_is_saved_one_goes_on_and_what_came_later_is_not_taken_for_saved(window, little, silent_disk, qtbot):
    document = window.session.document
    marked(window, "first")
    window.actions_by_id["save"].run()
    qtbot.waitUntil(lambda: window.header.saved.text() == "saving …")
    assert document.has_changes
    marked(window, "second")
    window.grab()
    silent_disk.set()
    qtbot.waitUntil(lambda: not window.files.saver.is_busy)
    assert texts_in(little) == ["first"] and document.has_changes and "unsaved" in window.header.saved.text()
    document.undo()
    assert not document.has_changes and window.header.saved.text() == "saved"
    document.redo()
    assert window.files.save_now() and texts_in(little) == ["first", "second"]


def test_what_is_to_be_saved_while_something_is_saved_follows_it_the_last_only(open_window, little, silent_disk, qtbot, tmp_path):
    window = open_window(little)
    for text in ("first", "second", "third"):
        marked(window, text)
        window.actions_by_id["save"].run()
    ended = []
    window.files.saver.ended.connect(lambda: ended.append(texts_in(little)))
    silent_disk.set()
    assert window.files.saver.wait()
    assert ended == [["first", "second", "third"]] and not window.session.document.has_changes


def test_who_leaves_while_the_folder_is_silent_is_told_what_is_waited_for_and_may_stay(
    open_window, little, silent_disk, qtbot, monkeypatch
):
    monkeypatch.setattr(saver, "PATIENCE_MS", 50)
    window = open_window(little)
    marked(window, "mine")
    window.actions_by_id["save"].run()
    said = []

    def stay():
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        said.append(box.text())
        next(b for b in box.buttons() if b.text() == "Stay").click()

    QTimer.singleShot(300, stay)
    assert not window.close() and window.isVisible() and "takes long to answer" in said[0]
    QTimer.singleShot(300, silent_disk.set)
    assert window.close(), "the question goes by itself once it is saved"
    assert texts_in(little) == ["mine"]


def test_a_folder_that_refuses_leaves_the_changes_and_the_next_place_is_served(window, little, qtbot, monkeypatch, tmp_path):
    marked(window, "mine")
    window.files.saver.start(tmp_path / "nowhere" / "lost.dubbin", over=True)
    window.files.saver.start(tmp_path / "here.dubbin", over=True)
    assert window.files.saver.wait()
    assert window.session.document.path == tmp_path / "here.dubbin" and texts_in(tmp_path / "here.dubbin") == ["mine"]
    assert "nowhere" in window.notices.text.text() and texts_in(little) == []


def test_stopping_all_work_does_not_forget_what_is_on_its_way_to_the_disk(window, little, silent_disk, qtbot):
    marked(window, "mine")
    window.actions_by_id["save"].run()
    window.jobs.cancel_all()
    silent_disk.set()
    assert window.files.saver.wait()
    assert texts_in(little) == ["mine"] and not window.session.document.has_changes and not window.session.document.is_changed_elsewhere


def test_what_is_saved_late_is_noted_where_it_belongs(window, little, silent_disk, qtbot, tmp_path):
    first = window.session.document
    marked(window, "mine")
    window.actions_by_id["save"].run()
    window.set_document(Document(window.session.folders.journals))
    silent_disk.set()
    assert window.files.saver.wait()
    assert not first.has_changes and window.session.document.path is None and texts_in(little) == ["mine"]


def test_saving_by_itself_does_not_take_the_place_of_what_is_said(window, little, qtbot):
    marked(window, "mine")
    save_episode(add_marker(load_episode(little), 5, "theirs").episode, little)
    window.notices.say("Something else.")
    window.files.autosave()
    assert window.files.saver.wait() and window.notices.text.text() == "Something else." and texts_in(little) == ["theirs"]
    assert not window.files.save_now() and "changed by another program" in window.notices.text.text()


def test_who_leaves_all_the_same_is_offered_the_steps_at_the_next_start(open_window, little, silent_disk, folders, qtbot, monkeypatch):
    monkeypatch.setattr(saver, "PATIENCE_MS", 50)
    monkeypatch.setattr(JobRunner, "close", lambda runner, close=JobRunner.close: close(runner, 0.2))
    window = open_window(little)
    marked(window, "mine")
    window.actions_by_id["save"].run()

    def leave():
        next(b for b in QApplication.activeModalWidget().buttons() if b.text() == "Leave all the same").click()

    QTimer.singleShot(300, leave)
    assert window.close() and texts_in(little) == []
    (item,) = left_over(folders.journals)
    assert item.episode_path == little and item.steps == 1
