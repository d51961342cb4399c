"""A folder that does not answer holds nobody up."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest

from dubbin.core.in_time import can_be_used, files_there


@pytest.fixture
def silent_folder(tmp_path, monkeypatch):
    """A folder on a network that has gone: who looks into it waits until the test is over."""
    folder, answers, real = tmp_path / "silent", threading.Event(), os.stat
    folder.mkdir()

    def stat(path, *more, **named):
        if isinstance(path, str | os.PathLike) and os.fspath(path).startswith(str(folder)):
            answers.wait(60)
        return real(path, *more, **named)

    monkeypatch.setattr(os, "stat", stat)
    yield folder
    answers.set()


def test_files_are_told_in_their_order_with_their_times(tmp_path):
    paths = [tmp_path / name for name in ("b", "a", "gone", "folder")]
    for path in paths[:2]:
        path.write_text("x")
    paths[3].mkdir()
    os.utime(paths[0], (5, 7))
    found = files_there([*paths, Path("with\0nul")], 10.0)
    assert list(found) == paths[:2] and found[paths[0]] == 7.0


def test_what_does_not_answer_is_not_there_and_the_others_are(silent_folder, tmp_path):
    (tmp_path / "here").write_text("x")
    found = files_there([silent_folder / "far", tmp_path / "here"], 0.2)
    assert list(found) == [tmp_path / "here"]


@pytest.mark.parametrize(
    ("name", "usable"),
    [("there", True), ("there/new", True), ("gone/new", False), ("file", False), ("file/new", False), ("locked/new", False)],
)
def test_a_folder_can_be_used_where_it_can_be_written_to_or_made(tmp_path, monkeypatch, name, usable):
    (tmp_path / "there").mkdir()
    (tmp_path / "locked").mkdir()
    (tmp_path / "file").write_text("x")
    real = os.access
    monkeypatch.setattr(os, "access", lambda path, mode: real(path, mode) and os.path.basename(path) != "locked")
    before = sorted(tmp_path.rglob("*"))
    assert can_be_used(tmp_path / name, 10.0) is usable
    assert sorted(tmp_path.rglob("*")) == before, "nothing is made by asking"


def test_to_be_used_a_folder_must_be_entered_and_written_to(tmp_path, monkeypatch):
    asked = []
    monkeypatch.setattr(os, "access", lambda path, mode: asked.append(mode) or True)
    assert can_be_used(tmp_path, 10.0) and asked == [os.W_OK | os.X_OK]


def test_a_folder_that_does_not_answer_can_not_be_used(silent_folder):
    assert not can_be_used(silent_folder / "cache", 0.1)
