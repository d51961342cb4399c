"""A recording is read for its fingerprint once while it stands on the disk as it did, and again wherever that might not be so."""

from __future__ import annotations

import os
import time

import pytest
import soundfile as sf

from dubbin.core.sound import working_copy
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE, noise


@pytest.fixture
def recording(tmp_path):
    """A file that was written an hour ago."""
    path = tmp_path / "voice.wav"
    put(path, noise(0.5, -20.0), -3600)
    return path


@pytest.fixture
def reads(monkeypatch):
    """How often files are read whole; all of them were changed long ago."""
    real, count = working_copy.fingerprint_of, []
    monkeypatch.setattr(working_copy, "fingerprint_of", lambda path, task=None: (count.append(path), real(path, task))[1])
    monkeypatch.setattr(working_copy, "MOMENT_S", -1.0)
    return count


def put(path, x, age_s):
    sf.write(path, x, RATE, subtype="PCM_16")
    then = time.time() + age_s
    os.utime(path, (then, then))


def test_a_file_that_was_written_again_is_another_also_of_the_same_size_and_time(recording, tmp_path, reads):
    copies = WorkingCopies(tmp_path / "cache")
    first, status = copies.obtain(recording), recording.stat()
    time.sleep(0.02)  # so that the system's clock has gone on
    with open(recording, "r+b") as f:
        f.seek(-2000, os.SEEK_END)
        f.write(bytes(1000))
    os.utime(recording, ns=(status.st_atime_ns, status.st_mtime_ns))
    assert recording.stat().st_size == status.st_size and recording.stat().st_mtime_ns == status.st_mtime_ns
    second = copies.obtain(recording)
    assert second.facts.fingerprint != first.facts.fingerprint and len(reads) == 2


def test_another_file_in_its_place_is_another(recording, tmp_path, reads):
    copies = WorkingCopies(tmp_path / "cache")
    first = copies.obtain(recording)
    put(tmp_path / "new.wav", noise(0.5, -20.0, seed=1), -3600)
    os.replace(tmp_path / "new.wav", recording)
    assert copies.obtain(recording).facts.fingerprint != first.facts.fingerprint and len(reads) == 2
