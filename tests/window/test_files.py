"""Ways from one episode to another and onto the disk: nothing is lost without a question, and what can't be done is said."""

from __future__ import annotations

import shutil
import threading
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QPushButton

from dubbin.core.episode.backups import backups
from dubbin.core.episode.commands.lanes import remove_lane
from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.episode.commands.treatments import change_use, find_use
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.errors import DubbinError
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.window.shell.recovery import RecoveryDialog
from dubbin.window.shell.step import Step
from tests.conftest import RATE, noise
from tests.window.conftest import settle

ANSWERS = QMessageBox.StandardButton


@pytest.fixture
def files(window):
    return window.files


@pytest.fixture
def answers(monkeypatch):
    """What the person answers to the question about unsaved changes; the questions that were asked."""
    asked: list[str] = []

    def answer_with(answer: QMessageBox.StandardButton) -> list[str]:
        monkeypatch.setattr(QMessageBox, "exec", lambda box: (asked.append(box.text()), answer)[1])
        return asked

    return answer_with


def chosen(monkeypatch, path: Path | None) -> None:
    """The person picks a path in the next file dialog, or none."""
    for name in ("getSaveFileName", "getOpenFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *args: (str(path) if path else "", ""))


def marked(window, text: str = "here") -> None:
    episode = window.session.episode
    window.session.do(add_marker(episode, 48000 * (1 + len(episode.markers)), text))


def test_an_episode_that_another_program_has_written_is_not_saved_over_without_a_question(window, files, tmp_path, monkeypatch):
    path = window.session.document.path
    marked(window, "mine")
    other = load_episode(path)
    save_episode(add_marker(other, 5, "theirs").episode, path)
    assert window.session.document.is_changed_elsewhere
    assert not files.save_now() and window.notices.isVisible() and "changed by another program" in window.notices.text.text()
    assert [m.text for m in load_episode(path).markers][-1:] != ["mine"]
    window.notices.hide()
    files.autosave()
    assert files.saver.wait() and window.notices.isVisible() and "theirs" in [m.text for m in load_episode(path).markers], "nor by itself"
    chosen(monkeypatch, tmp_path / "elsewhere.dubbin")
    buttons = {
        window.notices.buttons.itemAt(k).widget().text(): window.notices.buttons.itemAt(k).widget()
        for k in range(window.notices.buttons.count())
    }
    buttons["Save as …"].click()
    assert files.saver.wait()
    assert "mine" in [m.text for m in load_episode(tmp_path / "elsewhere.dubbin").markers] and "theirs" in [
        m.text for m in load_episode(path).markers
    ]


def test_saving_over_another_programs_work_keeps_it_as_a_backup(window, files):
    path = window.session.document.path
    marked(window, "mine")
    save_episode(add_marker(load_episode(path), 5, "theirs").episode, path)
    assert not files.save_now()
    buttons = {
        window.notices.buttons.itemAt(k).widget().text(): window.notices.buttons.itemAt(k).widget()
        for k in range(window.notices.buttons.count())
    }
    buttons["Save over it"].click()
    assert files.saver.wait()
    assert "mine" in [m.text for m in load_episode(path).markers] and not window.session.document.is_changed_elsewhere
    kept = [load_episode(backup.path) for backup in backups(files._backup_folder())]
    assert any("theirs" in [m.text for m in episode.markers] for episode in kept)
    assert files.save_now(), "and now it is ours"


@pytest.mark.parametrize(
    ("answer", "left", "saved"), [(ANSWERS.Save, True, True), (ANSWERS.Discard, True, False), (ANSWERS.Cancel, False, False)]
)
def test_leaving_changes_asks_and_does_what_is_answered(window, files, answers, answer, left, saved):
    asked, path = answers(answer), window.session.document.path
    marked(window, "left behind")
    assert files.may_leave() == left
    assert window.session.episode.title in asked[0]
    assert any(m.text == "left behind" for m in load_episode(path).markers) == saved


def test_who_stays_keeps_the_episode(window, files, answers, monkeypatch):
    answers(ANSWERS.Cancel)
    marked(window)
    before = window.session.document
    files.new()
    chosen(monkeypatch, window.session.document.path)
    files.choose()
    files.open_demo()
    assert window.session.document is before and not window.jobs.live


def test_a_new_episode_is_empty_and_begins_with_intake(window, files):
    window.go_step(Step.EDIT)
    files.new()
    assert window.session.episode.lanes == () and window.session.document.path is None
    assert window.steps.current is Step.INTAKE


def test_what_is_no_episode_is_said_and_the_open_one_stays(window, files, tmp_path):
    before = window.session.document
    for name, text in (("torn.dubbin", '{"version": 4, "title"'), ("list.dubbin", "[]"), ("sound.dubbin", "RIFF")):
        (tmp_path / name).write_text(text)
        files.open(tmp_path / name)
        assert name in window.notices.text.text() and window.session.document is before
    files.open(tmp_path / "nowhere.dubbin")
    assert window.session.document is before


def test_a_dropped_episode_is_opened_and_not_imported(window, files, demo, tmp_path, qtbot):
    other = tmp_path / "other"
    shutil.copytree(demo.parent, other)
    files.take([other / "noise.txt", other / demo.name])
    settle(qtbot, window)
    assert window.session.document.path == other / demo.name
    assert len(window.session.episode.recordings) == len(load_episode(demo).recordings)
    files.take([])
    assert window.session.document.path == other / demo.name


def test_saving_a_new_episode_asks_for_a_place_once(window, files, tmp_path, monkeypatch, answers):
    files.new()
    marked(window)
    chosen(monkeypatch, None)
    assert not files.save_now() and window.session.document.has_changes
    chosen(monkeypatch, tmp_path / "ferry")
    assert files.save_now() and window.session.document.path == tmp_path / "ferry.dubbin"
    marked(window, "second")
    chosen(monkeypatch, tmp_path / "never")
    assert files.save_now() and len(load_episode(tmp_path / "ferry.dubbin").markers) == 2
    assert not (tmp_path / "never.dubbin").exists()


def test_a_place_that_can_not_be_written_is_said_and_nothing_is_lost(window, files, tmp_path, monkeypatch):
    (tmp_path / "file").write_text("in the way")
    marked(window)
    chosen(monkeypatch, tmp_path / "file" / "ferry.dubbin")
    assert files.save_as() and files.saver.wait()
    assert window.session.document.has_changes and window.notices.isVisible()


def test_masters_that_are_being_made_are_not_stopped_unasked(window, answers, qtbot):
    session, begun, go_on = window.session, threading.Event(), threading.Event()
    session.document._saved = session.episode  # nothing else to ask about

    def make(task):
        task.step(0.25)
        begun.set()
        while not go_on.wait(0.01):
            task.step(0.25)

    session.jobs.start("master", "Making 3 masters", make, lambda _: None)
    assert begun.wait(10)
    asked = answers(ANSWERS.No)
    assert not window.files.may_leave() and asked == ["Making 3 masters: 25 % done."] and session.jobs.is_busy("master")
    answers(ANSWERS.Yes)
    assert window.files.may_leave()
    go_on.set()
    settle(qtbot, window)
    count = len(asked)
    assert window.files.may_leave() and len(asked) == count, "nothing is being made any more"


@pytest.fixture
def crashed(folders, tmp_path):
    """A saved episode with one unsaved step, whose program ended without warning."""
    path = tmp_path / "crashed.dubbin"
    base = Document(folders.journals)
    save_episode(base.episode, path)
    base.close()
    document = Document.opened(folders.journals, path)
    document.do(add_marker(document.episode, 4800, "unsaved"))
    document._journal.abandon()
    return path


def pressed(window, caption: str) -> None:
    next(b for b in window.notices.findChildren(QPushButton) if b.text() == caption).click()


def folder_of_two(tmp_path, speech):
    session = tmp_path / "The night ferry"
    session.mkdir()
    x = speech[: 19 * RATE]
    sf.write(session / "ines voice.wav", x + noise(19, -60, 1), RATE)
    sf.write(session / "guest voice.wav", np.concatenate([np.zeros(RATE // 2, np.float32), 0.4 * x]) + noise(19.5, -60, 2), RATE)
    return session


def test_a_dropped_folder_becomes_one_episode_lined_up(shared_window, speech, tmp_path, qtbot, answers):
    files, session = shared_window.files, shared_window.session
    shared_window.set_document(Document(session.folders.journals))
    files.take([folder_of_two(tmp_path, speech)])
    settle(qtbot, shared_window)
    assert session.episode.title == "The night ferry" and len(session.document.history.done) == 1
    starts = {lane.voice: lane.start_frame for lane in session.episode.lanes}
    assert starts["Ines Voice"] - starts["Guest Voice"] == pytest.approx(RATE // 2, abs=RATE // 500)
    assert "begins" in shared_window.notices.text.text()
    asked = answers(ANSWERS.Cancel)
    files.take([tmp_path / "The night ferry"])
    assert len(asked) == 1 and len(session.episode.recordings) == 2, "the episode that is open is not mixed with another"
    (tmp_path / "empty").mkdir()
    files.take([tmp_path / "empty"])
    assert "holds no recordings" in shared_window.notices.text.text()
    session.document.save(tmp_path / "done.dubbin")


def test_a_recording_that_is_added_again_is_offered_what_was_done_to_it(window, files, qtbot):
    session = window.session
    lane = session.episode.session_voices[0]
    path = Path(session.episode.recording(lane.recording).path)
    session.do(change_use(session.episode, lane.id, "dehum", "", on=True, strength=55))
    session.do(set_transcript(session.episode, Transcript(lane.id, (Word("hello", 0, RATE),))))
    session.do(remove_lane(session.episode, lane.id))
    session.recordings.add_files([path])
    settle(qtbot, window)
    assert "was in this episode before" in window.notices.text.text()
    next(b for b in window.notices.findChildren(QPushButton) if b.text() == "Restore them").click()
    again = next(x for x in session.episode.lanes if x.voice == lane.voice)
    assert again.id != lane.id and find_use(again, "dehum").strength == 55 and session.episode.transcript(again.id) is not None
    window.notices.say("")
    session.recordings.add_files([path])
    settle(qtbot, window)
    assert "was in this episode before" not in window.notices.text.text(), "it is still there, and wanted twice"


def test_what_a_crash_left_is_offered_and_taken_up_again(open_window, crashed, qtbot):
    window = open_window()
    window.files.offer_left_over()
    assert "is kept up to" in window.notices.text.text() and "1 step not" in window.notices.text.text()
    pressed(window, "Recover")
    settle(qtbot, window)
    assert [m.text for m in window.session.episode.markers] == ["unsaved"]
    assert window.session.document.path == crashed and window.session.document.has_changes
    assert load_episode(crashed).markers == ()


def test_what_a_crash_left_is_only_discarded_after_a_question(open_window, crashed, monkeypatch):
    window = open_window()
    answers = iter((QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Discard))
    monkeypatch.setattr(QMessageBox, "question", lambda *_: next(answers))
    window.files.offer_left_over()
    pressed(window, "Discard …")
    window.files.offer_left_over()
    assert "is kept up to" in window.notices.text.text(), "somebody said no"
    pressed(window, "Discard …")
    window.notices.text.setText("")
    window.files.offer_left_over()
    assert window.notices.text.text() == "" and load_episode(crashed).markers == ()


@pytest.mark.parametrize("what", ["Recover", "Discard …"])
def test_what_another_program_has_taken_up_meanwhile_is_left_to_it(open_window, crashed, monkeypatch, qtbot, what):
    window = open_window()
    journals = window.session.folders.journals
    monkeypatch.setattr(QMessageBox, "question", lambda *_: ANSWERS.Discard)
    window.files.offer_left_over()
    dialog = RecoveryDialog(journals, window.files.recover, window)
    (item,) = left_over(journals)
    other = Document.recovered(journals, item)
    pressed(window, what)
    settle(qtbot, window)
    assert "taken up in another window" in window.notices.text.text() and item.journal.exists()
    dialog._discard(item)
    assert "taken up in another window" in dialog._told.text() and item.journal.exists()
    other.close()


def test_a_left_journal_that_can_not_be_taken_up_is_said(open_window, crashed, monkeypatch):
    window = open_window()
    before = window.session.document

    def fail(*args):
        raise DubbinError("The journal can't be read.")

    monkeypatch.setattr(Document, "recovered", fail)
    window.files.offer_left_over()
    pressed(window, "Recover")
    assert window.notices.text.text() == "The journal can't be read." and window.session.document is before
