"""Disks that are full or forbid writing, files that vanish, shrink or are still being written: a plain sentence, no half file, nothing left, nothing lost."""

from __future__ import annotations

import errno
import os
import shutil
import subprocess
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from dubbin.cli.main import main
from dubbin.core.batch.outcome import STATE
from dubbin.core.deliver.collecting import collect
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.errors import CannotWrite, DubbinError, UnusableSound
from dubbin.core.sound import working_copy
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import write_sound
from dubbin.core.treat.tiles import DiskTileCache, DiskTiles
from tests.conftest import RATE, noise
from tests.core.machine_episode import first_episode

SMALL_BYTES = 1_000_000


@pytest.fixture
def small_disk(tmp_path) -> Iterator[Path]:
    """A disk with next to no room."""
    folder = tmp_path / "disk"
    folder.mkdir()
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SMALL_BYTES}", "tmpfs", str(folder)], capture_output=True, check=False)
    if made.returncode:
        if os.environ.get("CI"):
            pytest.fail("no disk could be made: " + made.stderr.decode())
        pytest.skip("only who may mount can make a disk")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


def hidden(folder: Path) -> list[str]:
    return [p.name for p in folder.rglob("*") if p.name.startswith(".") or ".part" in p.name]


def talk(seconds: float, seed: int = 1) -> Sound:
    return Sound(noise(seconds, -25, seed)[None].astype(np.float32), RATE)


class TestFullDisk:
    def test_masters_are_said_and_none_is_half(self, small_disk):
        (small_disk / "kept.txt").write_text("before")
        try:
            made = make_masters(talk(20), small_disk, "ep", [find_target("podcast-mono")], [find_format("wav"), find_format("mp3")])
            said = [f.reason for f in made.failed]
        except CannotWrite as error:
            said = [str(error)]
        assert said and all(s.endswith(".") for s in said)
        assert hidden(small_disk) == [] and (small_disk / "kept.txt").read_text() == "before"
        for master in small_disk.glob("*.wav"):
            assert sf.info(master).duration == pytest.approx(20, abs=0.01)

    def test_an_episode_that_can_not_be_saved_is_still_there_as_it_was(self, small_disk):
        path = small_disk / "e.dubbin"
        save_episode(first_episode(), path)
        (small_disk / "rest").write_bytes(b"x" * (SMALL_BYTES - path.stat().st_size - 60_000))
        with pytest.raises(CannotWrite, match="could not be saved"):
            save_episode(replace(first_episode(), title="x" * 300_000), path)
        assert load_episode(path) == first_episode() and hidden(small_disk) == []

    def test_a_sound_is_whole_or_not_there(self, small_disk):
        with pytest.raises(CannotWrite, match="could not be written"):
            write_sound(talk(20), small_disk / "s.wav")
        assert list(small_disk.iterdir()) == []

    def test_a_working_copy_that_finds_no_room_is_said(self, small_disk, tmp_path):
        sf.write(tmp_path / "a.flac", noise(20, -25, 1), RATE)
        with pytest.raises(CannotWrite, match="working copy"):
            WorkingCopies(small_disk / "copies").obtain(tmp_path / "a.flac", 44100)
        assert hidden(small_disk) == [] and not list((small_disk / "copies").glob("*.f32"))

    def test_treated_sound_that_finds_no_room_is_said(self, small_disk):
        tiles = DiskTiles(small_disk / "stage")
        with pytest.raises(CannotWrite, match="Treated sound"):
            for k in range(20):
                tiles.put(k, talk(8, k).samples)
        assert hidden(small_disk) == []
        assert all(np.isfinite(tiles.get(k, 0, RATE)).all() for k in range(20) if tiles.has(k))

    def test_a_collection_is_whole_or_not_there(self, small_disk, tmp_path):
        sf.write(tmp_path / "a.wav", noise(20, -25, 1), RATE)
        taken = import_file(tmp_path / "a.wav", WorkingCopies(tmp_path / "copies"), RATE)
        episode = add_recordings(new_episode(), [taken.recording], taken.lanes).episode
        for out in (small_disk / "all", small_disk / "all.zip"):
            with pytest.raises(CannotWrite):
                collect(episode, out)
            assert list(small_disk.iterdir()) == []

    def test_a_batch_ends_with_a_sentence_and_goes_on_when_there_is_room(self, small_disk, tmp_path, monkeypatch, capsys):
        monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
        save_episode(
            replace(new_episode(), delivery=replace(new_episode().delivery, targets=("podcast-mono",), formats=("wav",), extras=())),
            tmp_path / "none.dubbin",
        )
        sf.write(tmp_path / "a.wav", noise(12, -25, 1), RATE)
        taken = import_file(tmp_path / "a.wav", WorkingCopies(tmp_path / "copies"), RATE)
        episode = add_recordings(load_episode(tmp_path / "none.dubbin"), [taken.recording], taken.lanes).episode
        save_episode(episode, tmp_path / "e.dubbin")
        command = ["batch", str(tmp_path / "e.dubbin"), "-o", str(small_disk), "--quiet", "--workers", "1"]
        assert main(command) == 1
        said = capsys.readouterr()
        assert "Traceback" not in said.err and "error of the program" not in said.err and "MB free" in said.err
        assert hidden(small_disk) == [] and not list(small_disk.glob("*.wav"))
        subprocess.run(["mount", "-o", "remount,size=50m", str(small_disk)], check=True)
        assert main(command) == 0 and len(list(small_disk.glob("*.wav"))) == 1 and (small_disk / STATE).exists()


class TestForbidden:
    """As somebody who may do everything may: by a disk that can only be read."""

    @pytest.fixture
    def read_only(self, small_disk) -> Path:
        save_episode(first_episode(), small_disk / "e.dubbin")
        subprocess.run(["mount", "-o", "remount,ro", str(small_disk)], check=True)
        return small_disk

    def test_what_can_only_be_read_is_read_and_the_rest_is_said(self, read_only, tmp_path):
        document = Document.opened(tmp_path / "journals", read_only / "e.dubbin")
        document.do(cut_stretch(document.episode, 0, RATE))
        with pytest.raises(CannotWrite):
            document.save()
        document.save(tmp_path / "elsewhere.dubbin")
        assert load_episode(tmp_path / "elsewhere.dubbin").cuts == document.episode.cuts
        document.close()
        with pytest.raises(CannotWrite):
            write_sound(talk(1), read_only / "s.wav")
        with pytest.raises(DubbinError):
            make_masters(talk(1), read_only, "ep", [find_target("podcast-mono")], [find_format("wav")])

    def test_journals_on_a_disk_that_can_only_be_read_are_said_and_the_work_goes_on(self, read_only):
        told: list[str] = []
        document = Document(read_only / "journals", first_episode())
        document.watch_trouble(told.append)
        assert document.do(cut_stretch(document.episode, 0, RATE)) and len(document.episode.cuts) == 1
        assert told and all("disk" in text for text in told)
        document.close()


class TestRecordings:
    @pytest.mark.parametrize("form", ["wav", "flac"])
    def test_one_that_vanishes_while_it_is_open_is_heard_on_or_said(self, tmp_path, form):
        path = tmp_path / f"a.{form}"
        sf.write(path, noise(4, -25, 1), RATE)
        copy = WorkingCopies(tmp_path / "copies").obtain(path, RATE)
        before = copy.read(0, RATE)
        path.unlink()
        np.testing.assert_array_equal(copy.read(0, RATE), before)
        with pytest.raises(UnusableSound, match="was not found"):
            WorkingCopies(tmp_path / "copies").obtain(path, RATE)

    def test_one_that_is_cut_short_or_written_over_meanwhile_is_said(self, tmp_path):
        path = tmp_path / "a.wav"
        sf.write(path, noise(4, -25, 1), RATE)
        copy = WorkingCopies(tmp_path / "copies").obtain(path, RATE)
        os.truncate(path, 1000)
        with pytest.raises(UnusableSound, match=r"changed since|shorter"):
            copy.read(2 * RATE, 3 * RATE)

    def test_one_that_is_still_being_written_is_taken_as_far_as_it_is(self, tmp_path):
        whole = tmp_path / "whole.wav"
        sf.write(whole, noise(4, -25, 1), RATE, subtype="PCM_16")
        path = tmp_path / "growing.wav"
        path.write_bytes(whole.read_bytes()[: 44 + 2 * 3 * RATE])
        copy = WorkingCopies(tmp_path / "copies").obtain(path, RATE)
        assert copy.frames in (3 * RATE, 4 * RATE) and np.isfinite(copy.read(0, copy.frames)).all()

    @pytest.mark.parametrize("function", ["fingerprint_of", "in_place"])
    def test_a_card_that_is_pulled_out_before_it_was_read_is_said(self, tmp_path, monkeypatch, function):
        sf.write(tmp_path / "a.wav", noise(1, -25, 1), RATE)
        monkeypatch.setattr(working_copy, function, gone)
        with pytest.raises(UnusableSound, match=r"a\.wav can't be read any more: Input/output error"):
            WorkingCopies(tmp_path / "copies").obtain(tmp_path / "a.wav", RATE)

    def test_a_cache_whose_disk_is_pulled_out_or_emptied_is_said(self, tmp_path, monkeypatch):
        sf.write(tmp_path / "a.flac", noise(1, -25, 1), RATE)
        copy = WorkingCopies(tmp_path / "copies").obtain(tmp_path / "a.flac", RATE)
        with monkeypatch.context() as patch:
            patch.setattr(os, "pread", gone)
            with pytest.raises(UnusableSound, match="copies can't be read any more: Input/output error"):
                copy.read(0, 100)
        (samples,) = (tmp_path / "copies").glob("*.f32")
        os.truncate(samples, 4 * 1000)
        assert copy.read(0, 1000).shape == (1, 1000)
        with pytest.raises(UnusableSound, match="has become shorter"):
            copy.read(0, 1001)
        assert WorkingCopies(tmp_path / "copies").obtain(tmp_path / "a.flac", RATE).frames == RATE, "it is made again"

    def test_a_folder_in_place_of_a_file_and_a_pipe_are_said(self, tmp_path):
        (tmp_path / "a.wav").mkdir()
        os.mkfifo(tmp_path / "b.wav")
        for name in ("a.wav", "b.wav"):
            with pytest.raises(UnusableSound):
                WorkingCopies(tmp_path / "copies").obtain(tmp_path / name, RATE)


def test_two_programs_on_one_episode_know_of_one_another(tmp_path):
    path = tmp_path / "e.dubbin"
    save_episode(first_episode(), path)
    one, two = (Document.opened(tmp_path / "journals", path) for _ in range(2))
    one.do(cut_stretch(one.episode, 0, RATE))
    two.do(cut_stretch(two.episode, 5 * RATE, 6 * RATE))
    assert not one.is_changed_elsewhere and not two.is_changed_elsewhere
    one.save()
    assert not one.is_changed_elsewhere and two.is_changed_elsewhere
    two.save(tmp_path / "two.dubbin")
    assert not two.is_changed_elsewhere and load_episode(path).cuts == one.episode.cuts
    path.unlink()
    assert not one.is_changed_elsewhere, "one that is gone was not changed"
    one.close()
    two.close()


def gone(*_: object, **__: object) -> None:
    raise OSError(errno.EIO, os.strerror(errno.EIO))


def test_where_no_tiles_can_be_kept_it_is_said_when_one_is_to_be(tmp_path):
    (tmp_path / "cache").write_text("no folder")
    tiles = DiskTileCache(tmp_path / "cache").tiles("key")
    assert not tiles.has(0) and tiles.get(0, 0, 1) is None
    with pytest.raises(CannotWrite, match="could not be kept"):
        tiles.put(0, noise(1, -20)[None])


def test_a_cache_that_is_cleared_while_it_is_used_fills_again(tmp_path):
    """By somebody in the preferences, or by hand."""
    x = noise(1, -20)[None]
    tiles = DiskTiles(tmp_path / "stage")
    tiles.put(0, x)
    shutil.rmtree(tmp_path / "stage")
    assert tiles.get(0, 0, x.shape[1]) is None and not tiles.has(0)
    tiles.put(0, x)
    np.testing.assert_allclose(tiles.get(0, 0, x.shape[1]), x, atol=2**-22)


@pytest.mark.parametrize("hours", [-5000, -1, 1, 5000])
def test_a_clock_that_is_set_loses_nothing(tmp_path, hours):
    """Saved at one time, worked on at what the clock says is another, and killed."""
    path = tmp_path / "e.dubbin"
    save_episode(first_episode(), path)
    document = Document.opened(tmp_path / "journals", path)
    document.do(cut_stretch(document.episode, 0, RATE))
    document.save()
    for file in (path, *(tmp_path / "journals").rglob("*.jsonl")):
        at = file.stat().st_mtime - hours * 3600
        os.utime(file, (at, at))
    document.do(cut_stretch(document.episode, 5 * RATE, 6 * RATE))
    before = document.episode
    document._journal.abandon()
    (found,) = left_over(tmp_path / "journals")
    again = Document.recovered(tmp_path / "journals", found)
    assert again.episode == before and len(again.history.done) == 2
    again.save()
    again.close()
    opened = Document.opened(tmp_path / "journals", path)
    assert opened.episode == before and len(opened.history.done) == 2, "closed in order, the steps can still be undone"
    opened.close()
