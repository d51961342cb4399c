"""Sound goes back into a video, whose picture is copied; whatever the file is or does to the process that takes it apart, there is a sentence and no half file."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import soundfile

from dubbin.core.deliver import video as module
from dubbin.core.deliver.video import check_uncut, put_into_video
from dubbin.core.deliver.video_writer import SHARE, WANTED
from dubbin.core.episode.model import Cut, Episode, Lane, Recording
from dubbin.core.errors import Cancelled, CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound import child_process
from dubbin.core.sound.child import HEAD
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, SOAK, noise, tone
from tests.core.other_child import child_that, is_running
from tests.core.videos import made_video, pictures_of, sound_of

TONE = tone(1000, 4.0, -14.0)


@pytest.fixture(scope="module")
def video(tmp_path_factory):
    return made_video(tmp_path_factory.mktemp("video") / "in.mp4")


@pytest.fixture
def out(tmp_path):
    (tmp_path / "out").mkdir()
    return tmp_path / "out" / "out.mp4"


@pytest.fixture
def writer_that(monkeypatch, tmp_path):
    """Have another program write: one that does as the test says; what looks at the file stays as it is."""
    return child_that(monkeypatch, tmp_path / "writer.py", "dubbin.core.deliver.video_writer")


def says(kind: bytes, body: bytes = b"") -> str:
    return f"out.write({HEAD.pack(kind, len(body)) + body!r}); out.flush()\n"


@pytest.mark.parametrize("ending", [".mp4", ".mov", ".mkv"])
def test_the_treated_sound_goes_into_a_video_whose_picture_is_copied(video, tmp_path, ending):
    told: list[float] = []
    put_into_video(TONE, video, 24000, tmp_path / f"out{ending}", Task(told.append))
    assert pictures_of(tmp_path / f"out{ending}") == pictures_of(video)
    (x,) = sound_of(tmp_path / f"out{ending}")
    assert len(x) / RATE == pytest.approx(3.0, abs=0.1)
    assert np.argmax(np.abs(np.fft.rfft(x[24000:72000]))) == pytest.approx(1000, abs=2)
    assert np.sqrt(np.mean(x[24000:72000] ** 2)) == pytest.approx(10 ** (-14 / 20) / np.sqrt(2), rel=0.02)
    assert told == sorted(told) and 0.5 < told[-1] <= 1.0


def test_both_channels_come_where_they_belong_and_beyond_the_sound_is_silence(video, out):
    left, right = tone(500, 1.5, -20.0).samples[0], tone(2000, 1.5, -20.0).samples[0]
    put_into_video(Sound(np.stack([left, right]), RATE), video, 0, out)
    x = sound_of(out)
    assert [np.argmax(np.abs(np.fft.rfft(c[4800:52800]))) for c in x] == [pytest.approx(500, abs=2), pytest.approx(2000, abs=2)]
    assert np.abs(x[:, 2 * RATE : 2 * RATE + RATE // 2]).max() < 1e-4


def test_what_can_not_be_is_a_sentence(video, out, tmp_path):
    with pytest.raises(CannotWrite, match="recording itself"):
        put_into_video(TONE, video, 0, video)
    with pytest.raises(CannotWrite, match=r"must end in \.mp4"):
        put_into_video(TONE, video, 0, out.with_suffix(".avi"))
    with pytest.raises(CannotWrite, match="44100 Hz"):
        put_into_video(tone(500, 1.0, rate=44100), video, 0, out)
    plain = tmp_path / "plain.wav"
    soundfile.write(plain, TONE.samples[0], RATE)
    with pytest.raises(UnusableSound, match="has no picture"):
        put_into_video(TONE, plain, 0, out)
    assert not list(out.parent.iterdir())


def test_a_video_whose_sound_was_cut_is_refused_with_a_reason():
    recording = Recording("a", "/a.mp4", "f", 10 * RATE, RATE, 1)
    episode = Episode("e", recordings=(recording,), lanes=(Lane("a", "a", (0,), "A"),))
    assert check_uncut(episode, recording) == 0
    with pytest.raises(CannotWrite, match="nothing was cut"):
        check_uncut(replace(episode, cuts=(Cut(RATE, 2 * RATE),)), recording)


@pytest.mark.parametrize(
    "body",
    [
        "os.kill(os.getpid(), signal.SIGSEGV)",
        says(b"s", WANTED.pack(0, 4096)) + "given.read(16384)\nos._exit(1)",
        "out.write(b'p'); out.flush()",
    ],
    ids=["at once", "after sound", "within a message"],
)
def test_a_video_that_breaks_its_reader_is_a_sentence_and_leaves_nothing(writer_that, video, out, body):
    writer_that(body)
    with pytest.raises(UnusableSound, match=r"in\.mp4 can't be read: it breaks"):
        put_into_video(TONE, video, 0, out)
    assert not list(out.parent.iterdir())


def test_a_reader_that_says_nothing_is_given_up(writer_that, video, out, monkeypatch, tmp_path):
    writer_that("time.sleep(600)")
    looked = module.look(video)
    monkeypatch.setattr(module, "look", lambda path: looked)
    monkeypatch.setattr(child_process, "PATIENCE_S", 0.2)
    with pytest.raises(UnusableSound, match="nothing has come"):
        put_into_video(TONE, video, 0, out)
    assert not list(out.parent.iterdir()) and not is_running(tmp_path / "writer.py")


def test_why_it_can_not_be_written_is_told(writer_that, video, out):
    writer_that(says(b"w", b"no space left") + says(b"e"))
    with pytest.raises(CannotWrite, match=r"out\.mp4 could not be written: no space left"):
        put_into_video(TONE, video, 0, out)
    assert not list(out.parent.iterdir())


def test_who_asks_for_sound_and_goes_is_no_error_of_the_program(writer_that, video, out):
    """It ends before it has taken what it asked for."""
    writer_that(says(b"s", WANTED.pack(0, 4096)) * 40 + "out.close(); given.close(); os._exit(0)")
    with pytest.raises(UnusableSound, match="breaks"):
        put_into_video(TONE, video, 0, out)


def test_it_can_be_given_up_half_way(writer_that, video, out, tmp_path):
    writer_that(says(b"p", SHARE.pack(0.5)) + "time.sleep(600)")

    def enough(share: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        put_into_video(TONE, video, 0, out, Task(enough))
    assert not list(out.parent.iterdir()) and not is_running(tmp_path / "writer.py")


@pytest.mark.parametrize("seed", range(6 * SOAK))
def test_damaged_videos_are_used_or_refused_in_a_sentence(video, tmp_path, seed):
    rng = np.random.default_rng(seed)
    data = bytearray(video.read_bytes())
    for at in rng.integers(0, len(data), 1 + 12 * (seed % 3)):
        data[at] = int(rng.integers(256))
    damaged, out = tmp_path / "damaged.mp4", tmp_path / "out.mp4"
    damaged.write_bytes(data[: int(rng.integers(len(data) // 2, len(data)))] if seed % 2 else data)
    try:
        put_into_video(Sound(noise(1.0, -20, 1)[None], RATE), damaged, 0, out)
        assert out.stat().st_size > 0
    except (UnusableSound, CannotWrite):
        assert not out.exists()
    assert {p.name for p in tmp_path.iterdir()} <= {"damaged.mp4", "out.mp4"}
