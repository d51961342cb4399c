"""A long MP3 is encoded in parts: what comes out is one stream, and nobody can tell where the parts meet."""

from __future__ import annotations

import itertools

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core import jobs
from dubbin.core.deliver import encode_parts
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.encode_parts import parts_of
from dubbin.core.deliver.formats import MP3
from dubbin.core.deliver.mp3_frames import SAMPLES, fits, joined, read_frame
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, tone

SECONDS = 9.0


@pytest.fixture(autouse=True)
def short_parts(monkeypatch):
    monkeypatch.setattr(encode_parts, "PART_S", 3.0)
    monkeypatch.setattr(encode_parts, "SEEK_S", 1.0)


@pytest.fixture(scope="module")
def talk(request):
    x = request.getfixturevalue("speech")[: int(SECONDS * RATE)]
    return Sound(np.stack([x, np.roll(x, 50) * np.float32(0.7)]), RATE)


def written(source, path, kbps=96, *, vbr=False):
    encode(source, path, MP3, bits=16, kbps=kbps, vbr=vbr)
    with av.open(str(path)) as f:
        decoded = np.concatenate([frame.to_ndarray() for frame in f.decode(audio=0)], axis=1)
    return decoded, path.read_bytes()


def as_one(source, path, monkeypatch, kbps=96, *, vbr=False):
    with monkeypatch.context() as patch:
        patch.setattr(encode_parts, "PART_S", 1e6)
        return written(source, path, kbps, vbr=vbr)


@pytest.fixture(scope="module")
def in_parts(talk, tmp_path_factory) -> bytes:
    """The talk with all the threads there are."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(encode_parts, "PART_S", 3.0)
        patch.setattr(encode_parts, "SEEK_S", 1.0)
        return written(talk, tmp_path_factory.mktemp("parts") / "parts.mp3")[1]


def error_db(x, y):
    return 10 * np.log10(np.mean((x - y) ** 2) + 1e-20)


def borders(source):
    return [part.border * SAMPLES for part in parts_of(source)[:-1]]


@pytest.mark.parametrize(("kbps", "vbr"), [(64, False), (96, True)])
def test_parts_make_a_stream_as_long_as_one_and_as_close_to_the_sound(talk, tmp_path, monkeypatch, kbps, vbr):
    parts, data = written(talk, tmp_path / "parts.mp3", kbps, vbr=vbr)
    whole, one = as_one(talk, tmp_path / "whole.mp3", monkeypatch, kbps, vbr=vbr)
    assert len(borders(talk)) == 2
    assert parts.shape == whole.shape == talk.samples.shape
    assert abs(len(data) - len(one)) <= 0.02 * len(one)
    assert error_db(parts, talk.samples) < error_db(whole, talk.samples) + 0.3
    for border in borders(talk):
        around = np.s_[:, border - 4000 : border + 4000]
        assert error_db(parts[around], talk.samples[around]) < error_db(whole[around], talk.samples[around]) + 1.5


def test_a_tone_goes_through_the_borders_without_a_step(tmp_path, monkeypatch):
    source = tone(997, SECONDS, -6.0)
    parts, _ = written(source, tmp_path / "tone.mp3", 128)
    assert len(borders(source)) == 2
    error = np.abs(parts - source.samples)[0]
    elsewhere = error[RATE : 2 * RATE].max()
    for border in borders(source):
        assert error[border - 4000 : border + 4000].max() < 2 * elsewhere + 1e-4


def test_a_border_lies_in_the_pause_near_its_even_place():
    x = tone(300, SECONDS).samples[0]
    x[int(3.4 * RATE) : int(4.4 * RATE)] *= 0.001  # one part of three ends at 3 s
    found = borders(Sound(x[None], RATE))[0]
    assert 3.4 * RATE < found < 4.4 * RATE


def test_the_bytes_do_not_depend_on_how_many_threads_there_are(talk, in_parts, tmp_path, monkeypatch):
    monkeypatch.setattr(jobs, "CORES", 1)
    _, one = written(talk, tmp_path / "one.mp3")
    assert one == in_parts


def test_where_nothing_fits_the_whole_is_encoded_at_once(talk, tmp_path, monkeypatch):
    whole, data = as_one(talk, tmp_path / "whole.mp3", monkeypatch)
    monkeypatch.setattr(encode_parts, "fits", lambda *_: False)
    again, found = written(talk, tmp_path / "again.mp3")
    assert found == data and np.array_equal(whole, again)


@pytest.mark.parametrize("rate", [22050, 24000])
def test_rates_with_frames_of_another_kind_are_encoded_at_once(rate):
    assert len(parts_of(Sound(np.zeros((1, 20 * rate), np.float32), rate))) == 1


@given(st.floats(0.1, 40.0), st.sampled_from([32000, 44100, 48000]))
@settings(max_examples=30, deadline=None)
def test_parts_cover_everything_and_overlap(seconds, rate):
    source = Sound(np.zeros((1, round(seconds * rate)), np.float32), rate)
    parts = parts_of(source)
    assert parts[0].start == 0 and parts[-1].stop == source.frames
    for one, other in itertools.pairwise(parts):
        assert other.start < one.border * SAMPLES < one.stop <= other.stop
        assert other.start % SAMPLES == 0 and other.border != one.border


def made_up(back, opens=0, closes=0, size=208, fill=0):
    """A frame of one channel with so many bytes of its data before it."""
    side = f"{back:09b}{0:05b}{0:04b}"
    for kind in (opens, closes):
        side += f"{0:033b}{1 if kind else 0:b}{kind:02b}{0:023b}"
    head = bytes([0xFF, 0xFB, 0x90, 0xC0])
    data = head + int(side.ljust(136, "0"), 2).to_bytes(17, "big")
    return data + bytes([fill]) * (size - len(data))


def test_what_a_border_asks_of_a_frame_is_read_from_it():
    frame = read_frame(made_up(300, opens=1, closes=3))
    assert (frame.main, frame.back, frame.opens, frame.closes) == (21, 300, (1,), (3,))
    with pytest.raises(ValueError, match="MPEG-1"):
        read_frame(b"\xff\xf3\x90\xc0" + bytes(100))


@pytest.mark.parametrize(
    ("closes", "opens", "may"),
    [(0, 0, True), (0, 1, True), (3, 0, True), (1, 2, True), (2, 3, True), (0, 2, False), (2, 0, False), (1, 1, False)],
)
def test_long_and_short_blocks_do_not_meet(closes, opens, may):
    ended, begun = [made_up(0, closes=closes), made_up(9)], [made_up(0), made_up(0, opens=opens)]
    assert fits(ended, 1, begun, 1) is may


def test_a_part_begins_only_where_there_is_room_for_what_it_needs():
    ended = [made_up(0), made_up(100)]
    assert fits(ended, 1, [made_up(0), made_up(100)], 1)
    assert not fits(ended, 1, [made_up(0), made_up(101)], 1)


def test_data_before_a_border_is_put_where_the_frame_behind_it_looks_for_it():
    ended = [made_up(0, fill=1), made_up(0, fill=2), made_up(0, fill=3), made_up(300)]
    begun = [made_up(0, fill=7), made_up(0, fill=8), made_up(250)]
    out = joined(ended, 3, begun, 2)
    assert [len(frame) for frame in out] == [208, 208, 208] and out[0] == ended[0]
    stream = b"".join(frame[21:] for frame in out)
    assert stream[-250:] == bytes([7]) * 63 + bytes([8]) * 187  # what `begun` had there
    assert stream[-300:-250] == bytes(50) and stream[:-300] == bytes([1]) * 187 + bytes([2]) * 74
