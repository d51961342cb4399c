"""A recording that stands as it did is known at the next start without being read or looked at; any other is read."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.sound import known_files, working_copy
from dubbin.core.sound.known_files import PLACE_BYTES, PLACES, KnownFile, KnownFiles, sample_of
from dubbin.core.sound.reading import SoundInfo
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE, noise

STANDING = (1, 2, 3, 4, 5)


@pytest.fixture
def asked(monkeypatch):
    """What files are looked at and read for their fingerprints; all of them were changed long ago."""
    told: list[tuple[str, str]] = []

    def counted(name):
        real = getattr(working_copy, name)
        monkeypatch.setattr(working_copy, name, lambda path, *more: (told.append((name, path.name)), real(path, *more))[1])

    counted("look")
    counted("fingerprint_of")
    monkeypatch.setattr(working_copy, "MOMENT_S", -1.0)
    return told


@pytest.fixture(params=["wav", "flac", "mp3"])
def recording(request, tmp_path) -> Path:
    path = tmp_path / f"voice.{request.param}"
    sf.write(path, noise(2.0, -20.0), RATE)
    return path


def test_at_the_next_start_it_is_known_and_sounds_the_same(recording, tmp_path, asked):
    first = WorkingCopies(tmp_path / "cache").obtain(recording, RATE)
    assert [name for name, _ in asked] == ["look", "fingerprint_of"]
    again = WorkingCopies(tmp_path / "cache").obtain(recording, RATE)
    assert len(asked) == 2 and again.facts == first.facts
    np.testing.assert_array_equal(again.read(0, again.frames), first.read(0, first.frames))


def test_one_that_was_written_again_is_read_again(recording, tmp_path, asked):
    first = WorkingCopies(tmp_path / "cache").obtain(recording)
    time.sleep(0.02)  # so that the system's clock has gone on
    sf.write(recording, noise(2.0, -20.0, 1), RATE)
    second = WorkingCopies(tmp_path / "cache").obtain(recording)
    assert len(asked) == 4 and second.facts.fingerprint != first.facts.fingerprint


@pytest.mark.parametrize("place", range(PLACES))
def test_where_the_disk_tells_of_no_change_the_bytes_do(tmp_path, asked, monkeypatch, place):
    monkeypatch.setattr(working_copy, "_standing", lambda path: (STANDING, 0.0))
    path = tmp_path / "voice.wav"
    sf.write(path, noise(10.0, -20.0), RATE)
    first = WorkingCopies(tmp_path / "cache").obtain(path)
    last = path.stat().st_size - PLACE_BYTES
    with open(path, "r+b") as f:
        f.seek(last * place // (PLACES - 1) + PLACE_BYTES - 2)
        f.write(b"\x01\x02")
    assert WorkingCopies(tmp_path / "cache").obtain(path).facts.fingerprint != first.facts.fingerprint and len(asked) == 4


def test_another_file_of_the_same_sound_is_read(recording, tmp_path, asked):
    WorkingCopies(tmp_path / "cache").obtain(recording)
    other = recording.with_stem("other")
    other.write_bytes(recording.read_bytes())
    WorkingCopies(tmp_path / "cache").obtain(other)
    assert asked[2:] == [("look", other.name), ("fingerprint_of", other.name)]


@pytest.mark.parametrize("recording", ["wav"], indirect=True)
def test_one_that_changes_while_it_is_read_is_not_kept(recording, tmp_path, asked, monkeypatch):
    counted = working_copy.fingerprint_of

    def read_and_touch(path, *more):
        found = counted(path, *more)
        os.utime(path, (1, 1))
        return found

    monkeypatch.setattr(working_copy, "fingerprint_of", read_and_touch)
    WorkingCopies(tmp_path / "cache").obtain(recording)
    assert not (tmp_path / "cache" / "files").exists()


@pytest.mark.parametrize("recording", ["wav"], indirect=True)
def test_where_nothing_can_be_kept_all_goes_on(recording, tmp_path, asked):
    (tmp_path / "cache").mkdir()
    (tmp_path / "cache" / "files").write_text("a file, no folder")
    for _ in range(2):
        assert WorkingCopies(tmp_path / "cache").obtain(recording).frames >= 2 * RATE
    assert len(asked) == 4


def known(path: Path, name: str = "f") -> KnownFile:
    return KnownFile(SoundInfo(path, "WAV", "sndfile:PCM_16", RATE, 1, 99, title="A <talk>", fps=23.976, timecode="01:00:00:00"), name)


def a_file(path: Path, data: bytes = b"sound") -> Path:
    path.write_bytes(data)
    return path


def test_what_is_kept_comes_back_under_its_own_name_alone(tmp_path):
    files, path = KnownFiles(tmp_path / "files"), a_file(tmp_path / "käse\udcff.wav")
    files.put(path, STANDING, known(path))
    assert files.get(path, STANDING) == known(path)
    assert files.get(path, STANDING[:4]) is None and files.get(path, (1, 2, 3, 4, 6)) is None
    assert files.get(a_file(tmp_path / "other.wav"), STANDING) is None


def test_a_file_that_is_gone_is_not_known(tmp_path):
    files, path = KnownFiles(tmp_path / "files"), a_file(tmp_path / "voice.wav")
    files.put(path, STANDING, known(path))
    path.unlink()
    assert files.get(path, STANDING) is None
    files.put(path, STANDING, known(path))  # nor is anything kept of it, or said


@given(st.binary(max_size=200) | st.sampled_from([b"{}", b"null", b"[]", b'{"standing": [1, 2, 3, 4, 5], "sample": 3, "known": {}}']))
def test_what_is_damaged_is_not_known(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("known")
    files, path = KnownFiles(folder / "files"), a_file(folder / "voice.wav")
    files.put(path, STANDING, known(path))
    (entry,) = (folder / "files").iterdir()
    entry.write_bytes(data)
    assert files.get(path, STANDING) is None


def test_there_are_never_more_than_wanted_and_the_latest_stay(tmp_path, monkeypatch):
    monkeypatch.setattr(known_files, "MOST", 8)
    files = KnownFiles(tmp_path / "files")
    paths = [a_file(tmp_path / f"{k}.wav") for k in range(11)]
    for k, path in enumerate(paths):
        files.put(path, STANDING, known(path))
        for entry in (tmp_path / "files").iterdir():
            if entry.stat().st_mtime > 1e6:
                os.utime(entry, (k, k))
    assert len(list((tmp_path / "files").iterdir())) == 7
    assert [files.get(path, STANDING) is not None for path in paths] == [False] * 4 + [True] * 7


@given(st.binary(max_size=300))
def test_of_a_short_file_every_byte_counts(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("sample")
    path = a_file(folder / "a", data)
    first = sample_of(path)
    for k in (0, len(data) // 2, len(data) - 1):
        if data:
            changed = bytearray(data)
            changed[k] ^= 1
            assert sample_of(a_file(folder / "b", bytes(changed))) != first
    assert sample_of(a_file(folder / "c", data)) == first


def test_what_another_program_takes_away_meanwhile_is_no_trouble(tmp_path, monkeypatch):
    monkeypatch.setattr(known_files, "MOST", 3)
    files = KnownFiles(tmp_path / "files")
    paths = [a_file(tmp_path / f"{k}.wav") for k in range(4)]
    for path in paths[:3]:
        files.put(path, STANDING, known(path))
    real = os.listdir
    monkeypatch.setattr(os, "listdir", lambda folder: [*real(folder), "gone.json"])
    files.put(paths[3], STANDING, known(paths[3]))
    assert files.get(paths[3], STANDING) is not None and len(real(tmp_path / "files")) == 2
