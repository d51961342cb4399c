"""Files in and out: every format, every kind of damage."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import FORMATS
from dubbin.core.episode.importing import import_file
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound.peaks import BASE_FRAMES, peaks_of
from dubbin.core.sound.reading import probe
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import check_output, write_sound
from tests.conftest import RATE, noise, tone


@pytest.fixture
def copies(tmp_path):
    return WorkingCopies(tmp_path / "copies")


@pytest.mark.parametrize("format", list(FORMATS.values()))
def test_every_format_comes_back_as_long_and_as_loud(tmp_path, copies, format):
    path = tmp_path / f"a.{format.name}"
    encode(tone(440, 2.0, -12, channels=2), path, format, bits=24, kbps=128)
    copy = copies.obtain(path)
    assert copy.channels == 2 and copy.rate == RATE
    assert abs(copy.frames - 2 * RATE) < 0.06 * RATE
    middle = copy.read(RATE // 2, RATE)
    assert np.max(np.abs(middle)) == pytest.approx(10 ** (-12 / 20), rel=0.05)


def test_the_sound_of_a_video_is_taken(tmp_path, copies):
    path = tmp_path / "talk.mp4"
    with av.open(str(path), "w") as out:
        picture = out.add_stream("mpeg4", rate=10)
        picture.width = picture.height = 64
        audio = out.add_stream("aac", rate=RATE)
        audio.layout = "mono"
        for k in range(10):
            frame = av.VideoFrame.from_ndarray(np.full((64, 64, 3), k * 20, np.uint8), format="rgb24")
            out.mux(picture.encode(frame))
        x = tone(300, 1.0, -6).samples
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x), format="fltp", layout="mono")
        frame.sample_rate = RATE
        out.mux(audio.encode(frame))
        out.mux(audio.encode(None))
        out.mux(picture.encode(None))
    assert probe(path).has_video
    assert copies.obtain(path).frames >= 0.95 * RATE


def write_bad(kind: str, folder: Path) -> Path:
    path = folder / f"{kind}.wav"
    if kind == "empty":
        path.touch()
    elif kind == "text":
        path.write_text("this is no sound at all\n" * 40)
    elif kind == "header":
        sf.write(path, np.zeros((0, 1)), RATE)
    elif kind == "folder":
        path.mkdir()
    elif kind == "random":
        path.write_bytes(np.random.default_rng(0).bytes(5000))
    return path


@pytest.mark.parametrize("kind", ["missing", "empty", "text", "header", "folder", "random"])
def test_what_is_no_sound_is_said_in_a_sentence(tmp_path, copies, kind):
    with pytest.raises(UnusableSound) as error:
        copies.obtain(write_bad(kind, tmp_path))
    text = str(error.value)
    assert f"{kind}.wav" in text and text.endswith(".") and "\n" not in text
    assert not list((tmp_path / "copies").glob("*")) if (tmp_path / "copies").exists() else True


def test_an_address_is_not_opened(copies):
    with pytest.raises(UnusableSound, match="address"):
        copies.obtain(Path("http://localhost/a.wav"))


def test_a_playlist_is_not_followed(tmp_path, copies):
    write_sound(tone(440, 1), tmp_path / "secret.wav")
    (tmp_path / "list.m3u8").write_text(f"#EXTM3U\n#EXTINF:1,\nfile://{tmp_path}/secret.wav\n")
    with pytest.raises(UnusableSound):
        copies.obtain(tmp_path / "list.m3u8")


def test_a_truncated_file_is_read_as_far_as_it_goes(tmp_path, copies):
    write_sound(tone(440, 2.0), tmp_path / "a.wav")
    data = (tmp_path / "a.wav").read_bytes()
    (tmp_path / "b.wav").write_bytes(data[: len(data) // 2])
    taken = import_file(tmp_path / "b.wav", copies, RATE)
    assert 0.9 * RATE < taken.recording.frames < 1.1 * RATE


def test_samples_that_are_not_numbers_are_silence_and_are_said(tmp_path, copies):
    x = noise(1, -20)
    x[100:120] = np.nan
    x[200] = np.inf
    sf.write(tmp_path / "a.wav", x, RATE, subtype="FLOAT")
    taken = import_file(tmp_path / "a.wav", copies, RATE)
    assert "21 samples" in taken.remarks[0]
    assert np.isfinite(copies.obtain(tmp_path / "a.wav", RATE).read(0, RATE)).all()


def test_eight_channels_become_eight_lanes(tmp_path, copies):
    sf.write(tmp_path / "a.wav", np.stack([noise(0.5, -20, k) for k in range(8)], 1), RATE)
    taken = import_file(tmp_path / "a.wav", copies, RATE)
    assert [lane.channels for lane in taken.lanes] == [(k,) for k in range(8)]


@pytest.mark.parametrize("rate", [8000, 192000])
def test_extreme_rates_and_very_short_files_are_taken(tmp_path, copies, rate):
    write_sound(tone(440, 0.02, rate=rate), tmp_path / "a.wav")
    taken = import_file(tmp_path / "a.wav", copies, RATE)
    assert taken.recording.frames == pytest.approx(0.02 * RATE, abs=3)
    assert "only" in taken.remarks[-1]


def test_cancelled_reading_leaves_nothing_behind(tmp_path, copies):
    write_sound(tone(440, 5.0), tmp_path / "a.wav")
    task = Task()
    task.cancel()
    with pytest.raises(BaseException):  # noqa: B017
        copies.obtain(tmp_path / "a.wav", RATE, task)
    assert not (tmp_path / "copies").exists() or not list((tmp_path / "copies").iterdir())


HARMS = {"emptied": lambda _: b"", "cut off": lambda x: x[:-8], "no array": lambda x: b"?" + x[1:], "no object": lambda _: b"[3]"}


@pytest.mark.parametrize("rate", [RATE, RATE // 2], ids=["read where it stands", "decoded"])
@pytest.mark.parametrize("harm", HARMS)
@pytest.mark.parametrize("which", [".json", ".peaks"])
def test_a_working_copy_that_was_damaged_is_made_again(tmp_path, which, harm, rate):
    write_sound(tone(440, 1.5), tmp_path / "a.wav")
    expect_made_again(tmp_path, which, rate, HARMS[harm])


@pytest.mark.parametrize("which", [".json", ".peaks", ".f32"])
def test_what_was_kept_of_another_sound_is_not_taken_for_it(tmp_path, which):
    write_sound(tone(440, 1.5), tmp_path / "a.wav")
    write_sound(Sound(np.stack([noise(0.9, -20)] * 2), RATE), tmp_path / "b.wav")
    WorkingCopies(tmp_path / "others").obtain(tmp_path / "b.wav", RATE // 2)
    (other,) = (tmp_path / "others").glob(f"*{which}")
    expect_made_again(tmp_path, which, RATE // 2, lambda _: other.read_bytes())


def expect_made_again(folder, which, rate, harm):
    """Harm one file of the working copy of a.wav; the next program has the same as before."""
    first = WorkingCopies(folder / "copies").obtain(folder / "a.wav", rate)
    samples = first.read(0, first.frames).tobytes()
    (kept,) = (folder / "copies").glob(f"*{which}")
    kept.write_bytes(harm(kept.read_bytes()))
    again = WorkingCopies(folder / "copies").obtain(folder / "a.wav", rate)
    assert (again.facts, again.peaks.levels[0].tobytes()) == (first.facts, first.peaks.levels[0].tobytes())
    assert again.read(0, again.frames).tobytes() == samples


def test_a_recording_is_never_an_output(tmp_path):
    write_sound(tone(440, 0.1), tmp_path / "a.wav")
    (tmp_path / "link.wav").symlink_to(tmp_path / "a.wav")
    with pytest.raises(CannotWrite, match="never written over"):
        check_output(tmp_path / "link.wav", (tmp_path / "a.wav",))


def test_peaks_hold_every_sample_at_every_level():
    x = noise(3, -20)[None]
    pyramid = peaks_of(Sound(x, RATE))
    for per_column in (BASE_FRAMES, 1000.0, 5000.5, 40000.0):
        count = int(x.shape[1] / per_column)
        columns = pyramid.columns(0, 0.0, per_column, count)
        for k in range(count):
            part = x[0, int(k * per_column) : int((k + 1) * per_column)]
            assert columns[k, 0] <= part.min() and columns[k, 1] >= part.max()
