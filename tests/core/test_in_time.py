"""A folder that does not answer holds nobody up."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest

from dubbin.core.in_time import files_there


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
