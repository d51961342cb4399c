"""An episode collected into one place: opens elsewhere, sounds the same, says what is missing, and appears whole or not at all."""

from __future__ import annotations

import json
import shutil
import zipfile
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from PIL import Image

from dubbin.cli.main import main
from dubbin.core.deliver import collecting
from dubbin.core.deliver.collecting import collect
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE


@pytest.fixture
def scattered(tmp_path):
    """An episode whose two recordings have the same name in two folders, and whose cover lies in a third."""
    copies = WorkingCopies(tmp_path / "cache")
    taken = []
    for k, folder in enumerate(("card A", "card B")):
        (tmp_path / folder).mkdir()
        path = tmp_path / folder / "REC_001.wav"
        sf.write(path, (0.1 * np.random.default_rng(k).standard_normal(RATE)).astype(np.float32), RATE)
        taken.append(import_file(path, copies, RATE))
    Image.new("RGB", (20, 20)).save(tmp_path / "picture.PNG")
    episode = add_recordings(new_episode("A far talk"), [t.recording for t in taken], [t.lanes[0] for t in taken]).episode
    return replace(episode, delivery=replace(episode.delivery, cover=str(tmp_path / "picture.PNG")))


def sounds(episode):
    return [sf.read(r.path)[0] for r in episode.recordings]


def test_a_collected_episode_opens_elsewhere_without_the_files_it_came_from(scattered, tmp_path):
    before = sounds(scattered)
    done = collect(scattered, tmp_path / "project")
    assert done.files == 3 and not done.remarks and done.episode == tmp_path / "project" / "a-far-talk.dubbin"
    elsewhere = tmp_path / "another machine"
    shutil.move(tmp_path / "project", elsewhere)
    for folder in ("card A", "card B"):
        shutil.rmtree(tmp_path / folder)
    episode = load_episode(elsewhere / "a-far-talk.dubbin")
    assert all(np.array_equal(a, b) for a, b in zip(sounds(episode), before, strict=True))
    with Image.open(episode.delivery.cover) as cover:
        assert cover.size == (20, 20) and episode.delivery.cover.startswith(str(elsewhere))
    assert replace(episode, recordings=(), delivery=scattered.delivery) == replace(scattered, recordings=())
    assert str(tmp_path) not in (elsewhere / "a-far-talk.dubbin").read_text(), "its paths are relative"


def test_an_archive_holds_the_same(scattered, tmp_path):
    done = collect(scattered, tmp_path / "talk.zip")
    assert done.episode == tmp_path / "talk.zip"
    with zipfile.ZipFile(done.episode) as packed:
        assert packed.testzip() is None
        packed.extractall(tmp_path / "unpacked")
    episode = load_episode(tmp_path / "unpacked" / "a-far-talk" / "a-far-talk.dubbin")
    assert all(np.array_equal(a, b) for a, b in zip(sounds(episode), sounds(scattered), strict=True))


def test_what_is_missing_or_changed_is_said_and_the_rest_is_there(scattered, tmp_path):
    (tmp_path / "card A" / "REC_001.wav").unlink()
    sf.write(tmp_path / "card B" / "REC_001.wav", np.zeros(RATE, np.float32), RATE)
    (tmp_path / "picture.PNG").unlink()
    done = collect(scattered, tmp_path / "project")
    assert done.files == 1 and [("is missing" in r, "was changed" in r) for r in done.remarks] == [
        (True, False),
        (False, True),
        (True, False),
    ]
    assert load_episode(done.episode).recordings[0].path == scattered.recordings[0].path


def test_a_folder_with_something_in_it_is_left_alone(scattered, tmp_path):
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "letter.txt").write_text("mine")
    with pytest.raises(CannotWrite, match="not empty"):
        collect(scattered, tmp_path / "full")
    (tmp_path / "empty").mkdir()
    assert collect(scattered, tmp_path / "empty").files == 3


@pytest.mark.parametrize("out", ["project", "talk.zip"])
def test_broken_off_nothing_is_left(scattered, tmp_path, monkeypatch, out):
    before = {p.name for p in tmp_path.iterdir()}

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(collecting, "save_episode", full)
    with pytest.raises(CannotWrite, match="No space left"):
        collect(scattered, tmp_path / out, Task())
    assert {p.name for p in tmp_path.iterdir()} == before


@pytest.mark.parametrize("out", ["project", "talk.zip"])
def test_a_recording_that_can_not_be_read_is_what_is_told_of(scattered, tmp_path, out):
    """Not the folder for the copy, where somebody would look for the fault in vain."""
    path = tmp_path / "card B" / "REC_001.wav"
    path.unlink()
    path.symlink_to("/proc/self/mem")  # every read of its beginning fails, as on a card that is worn out
    with pytest.raises(CannotWrite, match=r"card B/REC_001\.wav could not be read: Input/output error\.$"):
        collect(scattered, tmp_path / out)
    assert not (tmp_path / out).exists()


def test_too_little_room_is_said_before_anything_is_copied(scattered, tmp_path, monkeypatch):
    monkeypatch.setattr(collecting.shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10, 9, 1))
    with pytest.raises(CannotWrite, match="free; the copy needs"):
        collect(scattered, tmp_path / "project")


def test_the_command_says_what_it_made(scattered, tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    save_episode(scattered, tmp_path / "talk.dubbin")
    assert main(["collect", str(tmp_path / "talk.dubbin"), "-o", str(tmp_path / "p1"), "--json", "--quiet"]) == 0
    assert json.loads(capsys.readouterr().out)["files"] == 3
    (tmp_path / "card A" / "REC_001.wav").unlink()
    assert main(["collect", str(tmp_path / "talk.dubbin"), "-o", str(tmp_path / "p2.zip"), "--quiet"]) == 1
    assert "missing" in capsys.readouterr().err and (tmp_path / "p2.zip").is_file()
