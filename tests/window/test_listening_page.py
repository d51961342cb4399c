"""The listening page from the window, and comments that are dropped on it: listed, walked, answered, ticked off."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QFileDialog

from dubbin.window.intake.marker_list import ANSWER, DONE, FROM, NOTE, REMOVE, TIME
from dubbin.window.shell.step import Step
from tests.window.conftest import put_down, settle


@pytest.fixture
def small(qtbot, shared_window, little):
    put_down(qtbot, shared_window, little)
    settle(qtbot, shared_window)
    return shared_window


@pytest.fixture
def comments(small, tmp_path):
    """A file of two comments."""

    def written(by: str = "Ada", name: str = "comments.json"):
        items = [{"at_s": 2.0, "session_s": 2.0, "text": "Louder here."}, {"at_s": 9.0, "session_s": 9.0, "text": "A cough."}]
        path = tmp_path / name
        path.write_text(
            json.dumps({"format": "dubbin-comments", "version": 1, "episode": small.session.episode.id, "by": by, "comments": items})
        )
        return path

    return written


def markers_of(window):
    return [(m.author, m.text, m.answer, m.is_done) for m in window.session.episode.markers]


def test_the_page_is_written_in_the_background(small, qtbot, tmp_path, monkeypatch):
    out = tmp_path / "page"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(out), ""))
    small.pages[Step.MASTER].review.click()
    settle(qtbot, small)
    page = out.with_suffix(".html")
    assert page.stat().st_size > 50_000 and "drop here" in small.notices.text.text()


def test_a_place_that_can_not_be_written_is_said_at_once(small, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "no" / "page.html"), ""))
    small.pages[Step.MASTER].review.click()
    assert "no" in small.notices.text.text() and not small.jobs.live


def test_comments_that_are_dropped_become_markers_and_are_taken_once(small, comments):
    small.files.take([comments(), comments("Ben", "ben.json")])
    assert [(m[0], m[1]) for m in markers_of(small)] == [
        ("Ada", "Louder here."),
        ("Ben", "Louder here."),
        ("Ada", "A cough."),
        ("Ben", "A cough."),
    ]
    small.files.take([comments()])
    assert len(markers_of(small)) == 4 and "already" in small.notices.text.text()
    small.actions_by_id["undo"].run()
    assert len(markers_of(small)) == 2


def test_another_json_file_is_still_taken_for_a_recipe(small, tmp_path):
    path = tmp_path / "other.json"
    path.write_text('{"format": "something"}')
    small.files.take([path])
    assert "recipe" in small.notices.text.text() and not markers_of(small)


def test_comments_are_heard_answered_ticked_off_and_taken_away(small, comments, qtbot, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: ([str(comments())], ""))
    small.pages[Step.MASTER].comments.click()
    small.go_step(Step.INTAKE)
    page = small.pages[Step.INTAKE]
    page.choice._choose("markers")
    table = page.markers
    assert [table.item(0, c).text() for c in (TIME, FROM, NOTE)] == ["0:02.00", "Ada", "Louder here."]
    heard = []
    monkeypatch.setattr(small.playing, "play_place", lambda a, b: heard.append(a))
    table.cellClicked.emit(1, NOTE)
    assert heard == [9 * 48000]
    answer = table.cellWidget(0, ANSWER)
    answer.setFocus()
    QTest.keyClicks(answer, "Up by 3 dB")
    QTest.keyClick(answer, Qt.Key.Key_Return)
    assert markers_of(small)[0] == ("Ada", "Louder here.", "Up by 3 dB", False)
    table.cellWidget(0, DONE).findChild(QCheckBox).click()
    assert markers_of(small)[0][3] and table.cellWidget(0, ANSWER).text() == "Up by 3 dB"
    assert [a for a, _ in page.places.all()].count(2 * 48000) == 0 and (9 * 48000, 9 * 48000) in page.places.all()
    small.lanes.grab()
    table.cellWidget(0, REMOVE).click()
    assert [m[1] for m in markers_of(small)] == ["A cough."] and table.rowCount() == 1


def test_a_thousand_markers_are_listed_and_one_more_fills_one_row(small, monkeypatch):
    from dubbin.core.episode.commands.comments import Comment, take_comments
    from dubbin.window.intake.marker_list import MarkerList

    small.go_step(Step.INTAKE)
    small.session.do(take_comments(small.session.episode, [Comment(100 * k, f"c{k}", "Ada") for k in range(1000)], "Take"))
    filled, fill = [], MarkerList._fill
    monkeypatch.setattr(MarkerList, "_fill", lambda self, row, marker: (filled.append(row), fill(self, row, marker)))
    small.session.do(take_comments(small.session.episode, [Comment(10**6, "last", "Ben")], "Take"))
    assert small.pages[Step.INTAKE].markers.rowCount() == 1001 and filled == [1000]


@pytest.mark.parametrize(("kind", "name"), [("New folder (*)", "project"), ("Archive (*.zip)", "project.zip")])
def test_an_episode_is_collected_in_the_background(small, qtbot, tmp_path, monkeypatch, kind, name):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "project"), kind))
    small.actions_by_id["collect"].run()
    settle(qtbot, small)
    assert (tmp_path / name).exists() and "2 files" in small.notices.text.text()
