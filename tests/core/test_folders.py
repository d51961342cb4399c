"""Where things are kept: the cache where somebody wants it, if it can be there."""

from __future__ import annotations

import json
import os
import threading

import pytest

from dubbin.cli.main import main
from dubbin.core.folders import user_folders
from dubbin.core.in_time import can_be_used


@pytest.fixture
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    (tmp_path / "home" / "state").mkdir(parents=True)
    return tmp_path / "home"


def prefer(home, **values) -> None:
    (home / "state" / "preferences.json").write_text(json.dumps(values))


def test_without_a_choice_all_lies_below_one_folder(home):
    folders = user_folders()
    assert (folders.cache, folders.state, folders.documents) == (home / "cache", home / "state", home / "documents")
    assert folders.unusable is None and folders.remark == ""


@pytest.mark.parametrize("is_made", [False, True])
def test_the_cache_lies_where_somebody_wants_it(home, tmp_path, is_made):
    disk = tmp_path / "disk"
    (disk / "dubbin-cache" if is_made else disk).mkdir(parents=True)
    prefer(home, cache_folder=str(disk / "dubbin-cache"))
    assert user_folders().cache == disk / "dubbin-cache" and user_folders().remark == ""


@pytest.mark.parametrize("value", ["cache", 7, None, ""])
def test_a_choice_that_is_no_place_is_none(home, value):
    prefer(home, cache_folder=value)
    assert user_folders().cache == home / "cache" and user_folders().remark == ""


def test_a_disk_that_is_not_plugged_in_is_said_and_nothing_is_made_in_its_place(home, tmp_path, capsys):
    wanted = tmp_path / "unplugged" / "dubbin-cache"
    prefer(home, cache_folder=str(wanted))
    folders = user_folders()
    assert folders.cache == home / "cache" and folders.unusable == wanted
    assert main(["targets"]) == 0
    assert capsys.readouterr().err == f"dubbin: The cache can't be kept in {wanted} now. This time it lies in {home / 'cache'}.\n"
    assert not wanted.parent.exists()


def test_a_file_in_the_place_of_the_cache_is_no_folder(tmp_path):
    (tmp_path / "file").write_text("x")
    assert not can_be_used(tmp_path / "file") and not can_be_used(tmp_path / "file" / "dubbin-cache")


def test_a_folder_that_may_not_be_written_to_cannot_be_used(tmp_path, monkeypatch):
    real = os.access
    monkeypatch.setattr(os, "access", lambda path, mode: not mode & os.W_OK and real(path, mode))
    assert not can_be_used(tmp_path)


def test_a_folder_that_does_not_answer_cannot_be_used(tmp_path, monkeypatch):
    answers = threading.Event()
    monkeypatch.setattr(os.path, "exists", lambda path: answers.wait(60))
    assert not can_be_used(tmp_path, 0.1)
    answers.set()
