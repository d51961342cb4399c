"""WAV files that are read where they stand: the same samples as decoding them gives, and what happens when they change."""

from __future__ import annotations

import os
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE, noise

FORMS = [(c, s) for c in ("WAV", "WAVEX", "RF64") for s in ("PCM_16", "PCM_24", "PCM_32", "FLOAT")]


def written(path: Path, container: str = "WAV", subtype: str = "PCM_24", channels: int = 2, seconds: float = 1.5) -> Path:
    x = np.stack([noise(seconds, -14, seed=k) for k in range(channels)], 1)
    x[:100] *= 20.0  # over full scale, too
    sf.write(path, x, RATE, subtype=subtype, format=container)
    return path


@pytest.fixture
def copies(tmp_path):
    return WorkingCopies(tmp_path / "copies")


@pytest.mark.parametrize(("container", "subtype"), FORMS)
@pytest.mark.parametrize("channels", [1, 2, 5])
def test_a_wav_file_is_read_where_it_stands_as_if_it_were_decoded(tmp_path, copies, container, subtype, channels):
    path = written(tmp_path / "a.wav", container, subtype, channels)
    expected = sf.read(path, dtype="float32", always_2d=True)[0].T
    copy = copies.obtain(path, RATE)
    assert np.array_equal(copy.read(0, copy.frames), expected)
    assert np.array_equal(copy.read(777, 40_001), expected[:, 777:40_001]) and copy.read(5, 5).shape == (channels, 0)
    assert not list((tmp_path / "copies").glob("*.f32"))
    again = WorkingCopies(tmp_path / "copies").obtain(path, RATE)
    assert np.array_equal(again.read(0, again.frames), expected)


@pytest.mark.parametrize("case", ["unsigned 8 bit", "flac", "another rate", "drift", "nan"])
def test_what_can_not_be_read_in_place_is_decoded_into_the_cache(tmp_path, copies, case):
    path = tmp_path / ("a.flac" if case == "flac" else "a.wav")
    x = noise(1, -20)
    if case == "nan":
        x[50] = np.nan
    sf.write(path, x, RATE, subtype={"unsigned 8 bit": "PCM_U8", "nan": "FLOAT"}.get(case, "PCM_16"))
    rate, drift = (44100 if case == "another rate" else RATE), (80.0 if case == "drift" else 0.0)
    copy = copies.obtain(path, rate, drift_ppm=drift)
    assert len(list((tmp_path / "copies").glob("*.f32"))) == 1
    assert copy.frames == pytest.approx(rate, abs=30) and np.isfinite(copy.read(0, copy.frames)).all()


def test_a_file_that_was_cut_off_is_read_as_far_as_it_goes(tmp_path, copies):
    path = written(tmp_path / "a.wav", subtype="PCM_16", channels=1)
    expected = sf.read(path, dtype="float32")[0]
    path.write_bytes(path.read_bytes()[: RATE + 1])  # in the middle of a sample
    copy = copies.obtain(path, RATE)
    assert RATE // 2 - 100 < copy.frames <= RATE // 2 and np.array_equal(copy.read(0, copy.frames)[0], expected[: copy.frames])


def test_chunks_before_the_samples_are_passed_over(tmp_path, copies):
    path = written(tmp_path / "a.wav", channels=1)
    expected = sf.read(path, dtype="float32", always_2d=True)[0].T
    data = path.read_bytes()
    extra = b"JUNK" + struct.pack("<I", 33) + bytes(34) + b"bext" + struct.pack("<I", 602) + bytes(602)
    path.write_bytes(data[:4] + struct.pack("<I", len(data) - 8 + len(extra)) + data[8:12] + extra + data[12:])
    copy = copies.obtain(path, RATE)
    assert np.array_equal(copy.read(0, copy.frames), expected) and not list((tmp_path / "copies").glob("*.f32"))


def test_a_file_that_was_replaced_or_deleted_is_still_there_for_who_has_it_open(tmp_path, copies):
    path = written(tmp_path / "a.wav")
    copy = copies.obtain(path, RATE)
    expected = copy.read(0, copy.frames)
    other = written(tmp_path / "b.wav", channels=1, seconds=1)
    os.replace(other, path)
    assert np.array_equal(copy.read(0, copy.frames), expected)
    path.unlink()
    assert np.array_equal(copy.read(0, copy.frames), expected)


@pytest.mark.parametrize("change", ["written over", "cut off"])
def test_a_file_that_is_changed_while_it_is_open_is_not_read_on(tmp_path, copies, change):
    path = written(tmp_path / "a.wav")
    copy = copies.obtain(path, RATE)
    with open(path, "r+b") as f:
        if change == "cut off":
            f.truncate(5000)
        else:
            f.seek(5000)
            f.write(bytes(100))
    os.utime(path, (1, 1))
    with pytest.raises(UnusableSound, match=r"a\.wav has been changed since it was opened\. Open the episode again\."):
        copy.read(0, 1000)
    again = WorkingCopies(tmp_path / "copies").obtain(path, RATE)  # what it holds now
    assert np.array_equal(again.read(0, again.frames), sf.read(path, dtype="float32", always_2d=True)[0].T)


def test_a_working_copy_that_somebody_deleted_is_made_again(tmp_path, copies):
    path = tmp_path / "a.flac"
    sf.write(path, noise(1, -20), RATE)
    expected = copies.obtain(path, RATE).read(0, RATE)
    for part in ("f32", "peaks"):
        next((tmp_path / "copies").glob(f"*.{part}")).unlink()
        assert np.array_equal(WorkingCopies(tmp_path / "copies").obtain(path, RATE).read(0, RATE), expected)
