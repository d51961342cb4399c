"""What a master says of itself, where its ends are changed, and what it is never written over."""

from __future__ import annotations

import hashlib
import re
import struct
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver.formats import WAV
from dubbin.core.deliver.master import ROOM_S, make_masters
from dubbin.core.deliver.publication import Chapter, Publication
from dubbin.core.deliver.riff import read_cues
from dubbin.core.deliver.targets import Target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise

TARGET = Target("own", "Own", -1.0, 0, 2, 24, 96, integrated_lufs=-20.0)


def talk(head_s: float = 0.5, tail_s: float = 0.5) -> Sound:
    """Two words with room tone around them."""
    hiss = [noise(s, -72.0, k) for k, s in enumerate((head_s, 1.0, tail_s))]
    word = noise(2.0, -25.0, 9)
    x = np.concatenate([hiss[0], word, hiss[1], word, hiss[2]])
    return Sound(np.stack([x, 0.9 * x]), RATE)


@pytest.mark.parametrize(("channels", "mode"), [(1, "mono"), (2, "stereo")])
def test_its_description_holds_what_was_measured_of_it(tmp_path, channels, mode):
    (master,) = make_masters(talk(), tmp_path, "a", [replace(TARGET, channels=channels)], [WAV], Tags(title="The slow ferry")).made
    data, loud = master.file.read_bytes(), master.proof.measured.loudness
    assert (master.proof.measured.sha256, master.proof.measured.bytes) == (hashlib.sha256(data).hexdigest(), len(data)), (
        "of the file as it is in the end"
    )
    body = data[data.index(b"bext") + 8 :]
    title, originator, date, time = (body[a:b].rstrip(b"\0").decode() for a, b in ((0, 256), (256, 288), (320, 330), (330, 338)))
    assert (title, originator) == ("The slow ferry", "Dubbin")
    assert re.fullmatch(r"20\d\d-[01]\d-[0-3]\d", date) and re.fullmatch(r"[0-2]\d:[0-5]\d:[0-5]\d", time)
    figures = loud.integrated_lufs, loud.range_lu, loud.true_peak_dbtp, loud.max_momentary_lufs, loud.max_short_term_lufs
    assert struct.unpack("<5h", body[412:422]) == tuple(0x7FFF if f is None else round(100 * f) for f in figures)
    assert body[602:].split(b"\r\n")[0].decode() == f"A=PCM,F=48000,W=24,M={mode},T=Dubbin"


def test_chapters_become_marks_at_frames_of_the_file(tmp_path):
    published = Publication(Tags(title="T"), chapters=(Chapter(0.0, 2.5, "One"), Chapter(2.5, 6.0, "Two")), duration_s=6.0)
    (master,) = make_masters(talk(), tmp_path, "a", [replace(TARGET, rate=44100)], [WAV], published).made
    assert [(c.frame, c.text) for c in read_cues(master.file)] == [(0, "One"), (round(2.5 * 44100), "Two")]


@pytest.mark.parametrize(
    ("head", "tail", "added_s", "before_s"),
    [
        ((0.5, 1.0), None, 0.0, 0.0), ((0.2, 0.5), None, 0.0, 0.0), (None, (0.5, 1.0), 0.0, 0.0), (None, (0.2, 0.5), 0.0, 0.0),
        ((1.0, 1.4), None, 0.5 + ROOM_S, 0.5 + ROOM_S), (None, (1.0, 1.4), 0.5 + ROOM_S, 0.0), ((0.1, 0.4), None, -0.1 - ROOM_S, -0.1 - ROOM_S),
    ],
)  # fmt: skip
def test_only_an_end_that_is_too_short_or_too_long_is_changed(tmp_path, head, tail, added_s, before_s):
    """At either border of what is asked it stays."""
    sound = talk()
    (master,) = make_masters(sound, tmp_path, "a", [replace(TARGET, head_s=head, tail_s=tail)], [WAV]).made
    assert sf.info(master.file).frames == sound.frames + round(added_s * RATE)
    assert master.head_s == pytest.approx(before_s)


def test_nothing_to_master_is_a_sentence_and_one_frame_is_something(tmp_path):
    with pytest.raises(UnusableSound, match="There is nothing to master: the program is empty"):
        make_masters(Sound(np.zeros((2, 0), np.float32), RATE), tmp_path, "a", [TARGET], [WAV])
    (master,) = make_masters(
        Sound(np.full((2, 1), 0.1, np.float32), RATE), tmp_path, "a", [replace(TARGET, integrated_lufs=None, keeps_level=True)], [WAV]
    ).made
    assert sf.info(master.file).frames == 1


def test_a_recording_that_bears_the_name_of_a_master_is_not_written_over(tmp_path):
    recording = tmp_path / "a.own.wav"
    recording.write_bytes(b"precious")
    with pytest.raises(CannotWrite, match="recording itself"):
        make_masters(talk(), tmp_path, "a", [TARGET], [WAV], recordings=[recording])
    assert recording.read_bytes() == b"precious" and list(tmp_path.iterdir()) == [recording]
