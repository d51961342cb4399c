"""Reading while the window lives on: what is read, what fails, what takes long, and what nobody waits for any more."""

from __future__ import annotations

import threading

import pytest
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QProgressDialog

from dubbin.core.episode import document
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.errors import BadEpisode
from dubbin.window.shell import files
from dubbin.window.shell import read_apart as module
from dubbin.window.shell.read_apart import read_apart


@pytest.fixture
def answers():
    """What is read comes once this is set."""
    event = threading.Event()
    yield event
    event.set()
    for thread in threading.enumerate():
        if thread.name == "read":
            thread.join(20)


def shown() -> QProgressDialog | None:
    return next((w for w in QApplication.topLevelWidgets() if isinstance(w, QProgressDialog) and w.isVisible()), None)


def test_the_result_comes_back_and_an_error_is_raised_where_it_was_asked_for(qtbot):
    thread = []
    assert read_apart(None, "Reading", lambda: thread.append(threading.current_thread()) or 7) == 7
    assert thread[0] is not threading.main_thread()

    def fail():
        raise BadEpisode("no episode")

    with pytest.raises(BadEpisode, match="no episode"):
        read_apart(None, "Reading", fail)


def test_what_takes_long_is_told_and_ends_by_itself(qtbot, answers, monkeypatch):
    monkeypatch.setattr(module, "PATIENCE_MS", 20)
    seen, beats = [], []
    beat = QTimer()
    beat.timeout.connect(lambda: beats.append(1))
    beat.start(5)

    def look():
        if shown() is None:
            QTimer.singleShot(20, look)
            return
        seen.append(shown().labelText())
        answers.set()

    QTimer.singleShot(0, look)
    assert read_apart(None, "Reading a slow file", lambda: answers.wait(20)) is True
    assert seen == ["Reading a slow file"] and shown() is None
    assert len(beats) >= 2, "the window lived on"


def test_who_does_not_wait_gets_nothing_and_the_late_result_is_let_go_of(qtbot, answers, monkeypatch):
    monkeypatch.setattr(module, "PATIENCE_MS", 20)
    let_go = []

    def read():
        answers.wait(20)
        return "late"

    def cancel():
        shown().cancel() if shown() is not None else QTimer.singleShot(20, cancel)

    QTimer.singleShot(0, cancel)
    assert read_apart(None, "Reading", read, let_go.append) is None
    assert let_go == []
    answers.set()
    qtbot.waitUntil(lambda: let_go == ["late"])


def test_an_episode_in_a_folder_that_does_not_answer_is_given_up_and_the_present_one_stays(
    open_window, little, qtbot, answers, monkeypatch, tmp_path
):
    monkeypatch.setattr(module, "PATIENCE_MS", 20)
    window = open_window(little)
    before, read = window.session.document, document.read_episode

    def slowly(path):
        answers.wait(20)
        return read(path)

    monkeypatch.setattr(document, "read_episode", slowly)

    def cancel():
        shown().cancel() if shown() is not None else QTimer.singleShot(20, cancel)

    QTimer.singleShot(0, cancel)
    window.files.open(little)
    assert window.session.document is before
    answers.set()
    qtbot.waitUntil(lambda: not any(t.name == "read" for t in threading.enumerate()))
    monkeypatch.undo()
    window.files.open(little)
    assert window.session.document is not before and window.session.episode == load_episode(little)
    assert left_over(window.session.folders.journals) == [], "what came too late left nothing behind"


@pytest.mark.parametrize("what", ["a recording", "a folder"])
def test_what_is_dropped_from_a_folder_that_does_not_answer_holds_nobody_and_is_given_up(
    open_window, little, qtbot, answers, monkeypatch, tmp_path, what
):
    monkeypatch.setattr(module, "PATIENCE_MS", 20)
    window, said = open_window(little), []
    (tmp_path / "far").mkdir()
    there, names = files.is_folder_there, files.recordings_in
    waiting = "is_folder_there" if what == "a recording" else "recordings_in"

    def slowly(path):
        answers.wait(20)
        return (there if what == "a recording" else names)(path)

    monkeypatch.setattr(files, waiting, slowly)

    def cancel():
        if shown() is None:
            QTimer.singleShot(20, cancel)
            return
        said.append(shown().labelText())
        shown().cancel()

    QTimer.singleShot(0, cancel)
    before = window.session.episode
    window.files.take([tmp_path / "far" / "talk.wav"] if what == "a recording" else [tmp_path / "far"])
    assert said == ["Looking at what was dropped …" if what == "a recording" else "Reading far …"]
    assert window.session.episode is before and not window.jobs.live
    answers.set()
    qtbot.waitUntil(lambda: not any(t.name == "read" for t in threading.enumerate()))


def test_what_can_not_be_opened_is_said_and_the_present_one_stays(open_window, little, tmp_path):
    window = open_window(little)
    before = window.session.document
    (tmp_path / "broken.dubbin").write_bytes(b"\xff\xfe no episode")
    window.files.open(tmp_path / "broken.dubbin")
    assert window.session.document is before and window.notices.isVisibleTo(window)
