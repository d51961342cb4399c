"""Foreign sound files are decoded by a process of its own: what kills, stops or bloats a decoder is a sentence."""

from __future__ import annotations

import os
import struct
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from dubbin.core.errors import UnusableSound
from dubbin.core.sound import child_process
from dubbin.core.sound.apart import decode_apart, look
from dubbin.core.sound.child import HEAD
from dubbin.core.sound.reading import decode, probe
from dubbin.core.sound.wav_header import read_wav_header
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE, SOAK, noise
from tests.core.other_child import child_that, is_running

FORMS = [
    ("WAV", "PCM_16"),
    ("WAV", "PCM_U8"),
    ("WAV", "ULAW"),
    ("WAVEX", "PCM_24"),
    ("RF64", "FLOAT"),
    ("AIFF", "PCM_24"),
    ("FLAC", "PCM_16"),
]


def written(path: Path, container: str = "FLAC", subtype: str = "PCM_24", seconds: float = 1.5) -> Path:
    sf.write(path, np.stack([noise(seconds, -14, seed=k) for k in range(2)], 1), RATE, subtype=subtype, format=container)
    return path


@pytest.fixture
def decoder_that(monkeypatch, tmp_path):
    """Have another program decode: one that does as the test says."""
    return child_that(monkeypatch, tmp_path / "decoder.py", "dubbin.core.sound.decoder")


INFO = b'{"path": "x", "container": "flac", "codec": "flac", "rate": 48000, "channels": 1, "frames": 4}'
SAYS_INFO = f"out.write({HEAD.pack(b'i', len(INFO)) + INFO!r}); out.flush()\n"
GIVES_BLOCK = f"out.write({HEAD.pack(b's', 20) + struct.pack('<I4f', 1, 1, 2, 3, 4)!r}); out.flush()\n"


@pytest.mark.parametrize(("container", "subtype"), FORMS)
def test_what_comes_from_there_is_what_is_decoded_here(tmp_path, container, subtype):
    path = written(tmp_path / f"a.{container.lower()}", container, subtype)
    assert look(path) == probe(path)
    np.testing.assert_array_equal(np.concatenate(list(decode_apart(path)), axis=1), np.concatenate(list(decode(path)), axis=1))


def test_a_file_that_stands_as_it_did_is_not_looked_at_again(tmp_path, monkeypatch):
    path, copies = written(tmp_path / "a.flac"), WorkingCopies(tmp_path / "copies")
    first = copies.obtain(path, RATE)
    start = subprocess.Popen
    monkeypatch.setattr(subprocess, "Popen", lambda *_, **__: pytest.fail("a decoder was started"))
    assert copies.obtain(path, RATE) is first
    monkeypatch.setattr(subprocess, "Popen", start)
    written(path, seconds=1.0)
    assert copies.obtain(path, RATE).frames == RATE


@pytest.mark.parametrize("signal", ["SIGSEGV", "SIGABRT", "SIGKILL"])
def test_a_decoder_that_dies_at_once_is_a_sentence(decoder_that, tmp_path, signal):
    decoder_that(f"os.kill(os.getpid(), signal.{signal})")
    path = written(tmp_path / "a.flac")
    with pytest.raises(UnusableSound, match="breaks the decoder"):
        look(path)
    with pytest.raises(UnusableSound, match="breaks the decoder"):
        WorkingCopies(tmp_path / "copies").obtain(path, RATE)
    assert not any((tmp_path / "copies").glob("*.f32*")), "nothing half-made is left"


def test_a_decoder_that_dies_before_the_first_block_is_a_sentence(decoder_that, tmp_path):
    decoder_that(SAYS_INFO + "os.kill(os.getpid(), signal.SIGSEGV)")
    with pytest.raises(UnusableSound, match="breaks the decoder"):
        list(decode_apart(written(tmp_path / "a.flac")))


def test_what_came_before_a_decoder_died_counts(decoder_that, tmp_path):
    decoder_that(SAYS_INFO + GIVES_BLOCK + "out.write(b's'); out.flush(); os.kill(os.getpid(), signal.SIGSEGV)")
    assert [b.tolist() for b in decode_apart(written(tmp_path / "a.flac"))] == [[[1.0, 2.0, 3.0, 4.0]]]


def test_a_decoder_that_says_nothing_is_given_up(decoder_that, tmp_path, monkeypatch):
    monkeypatch.setattr(child_process, "PATIENCE_S", 0.2)
    decoder_that(SAYS_INFO + "time.sleep(600)")
    with pytest.raises(UnusableSound, match="nothing has come"):
        list(decode_apart(written(tmp_path / "a.flac")))
    assert not is_running(tmp_path / "decoder.py"), "it is gone, too"


def test_who_stops_reading_ends_the_decoder(decoder_that, tmp_path):
    decoder_that(SAYS_INFO + GIVES_BLOCK + "time.sleep(600)")
    blocks = decode_apart(written(tmp_path / "a.flac"))
    next(blocks)
    blocks.close()
    assert not is_running(tmp_path / "decoder.py")


def test_a_decoder_that_is_slow_to_go_is_seen_to_by_the_next(decoder_that, tmp_path, monkeypatch):
    process_type, hangs = subprocess.Popen, []
    decoder_that("time.sleep(60)")
    monkeypatch.setattr(child_process, "PATIENCE_S", 0.2)

    def hung(process, timeout=None):
        hangs.append(process)
        raise subprocess.TimeoutExpired(process.args, timeout)

    with monkeypatch.context() as patch, pytest.raises(UnusableSound, match="nothing has come of it"):
        patch.setattr(process_type, "wait", hung)
        look(written(tmp_path / "a.flac"))
    with pytest.raises(UnusableSound):
        look(written(tmp_path / "a.flac"))
    assert not child_process._dying and hangs[0].returncode == -9


def test_a_header_that_asks_for_all_memory_there_is_is_refused(tmp_path, monkeypatch):
    path = written(tmp_path / "a.flac")
    start = subprocess.Popen

    def with_little(command, **more):
        return start(["prlimit", f"--as={48 << 20}", *command], **more)

    monkeypatch.setattr(subprocess, "Popen", with_little)
    with pytest.raises(UnusableSound, match="breaks the decoder"):
        look(path)


@pytest.mark.parametrize(
    ("content", "said"), [(b"", "is empty"), (b"no sound at all" * 50, "not a sound file"), (b"RIFF\x24\0\0\0WAVEfmt ", "not a sound file")]
)
def test_what_is_no_sound_is_said_in_the_same_words(tmp_path, content, said):
    (tmp_path / "a.mp3").write_bytes(content)
    with pytest.raises(UnusableSound, match=said) as here:
        probe(tmp_path / "a.mp3")
    with pytest.raises(UnusableSound) as there:
        look(tmp_path / "a.mp3")
    assert str(there.value) == str(here.value)


def test_names_that_are_relative_odd_or_look_like_options_are_files(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    for name in ("-rf.flac", "look", "ü ß\n.flac", "..flac"):
        os.replace(written(tmp_path / "a.flac"), tmp_path / name)
        assert replace(look(Path(name)), path=Path()) == replace(probe(tmp_path / name), path=Path())


def test_nothing_that_lies_beside_a_recording_is_run(tmp_path, monkeypatch):
    path = written(tmp_path / "a.flac")
    for name in ("numpy.py", "soundfile.py", "dubbin.py"):
        (tmp_path / name).write_text("raise SystemExit('run')")
    monkeypatch.chdir(tmp_path)
    assert look(Path("a.flac")).frames == probe(path).frames


# -- the header of WAV files ------------------------------------------------------------


@pytest.mark.parametrize("container", ["WAV", "WAVEX", "RF64"])
@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "PCM_32", "FLOAT"])
@pytest.mark.parametrize("title", ["", "The ferry – slow"])
def test_a_header_says_what_a_library_reads_in_it(tmp_path, container, subtype, title):
    with sf.SoundFile(tmp_path / "a.wav", "w", RATE, 3, subtype=subtype, format=container) as f:
        if title:
            f.title = title
        f.write(np.zeros((1001, 3)))
    assert look(tmp_path / "a.wav") == probe(tmp_path / "a.wav")
    header = read_wav_header(tmp_path / "a.wav")
    assert header is not None and (header.container, header.encoding, header.frames) == (container, subtype, 1001)


@pytest.mark.parametrize("subtype", ["PCM_U8", "ULAW", "ALAW", "DOUBLE", "MS_ADPCM"])
def test_what_is_not_plain_is_left_to_the_decoder(tmp_path, subtype):
    assert read_wav_header(written(tmp_path / "a.wav", "WAV", subtype)) is None


def test_a_file_that_is_cut_off_is_left_to_the_decoder(tmp_path):
    path = written(tmp_path / "a.wav", "WAV", "PCM_24")
    path.write_bytes(path.read_bytes()[:-7])
    assert read_wav_header(path) is None and look(path) == probe(path)


CHANGES = {"places": st.lists(st.tuples(st.integers(0, 80), st.integers(0, 255)), max_size=6), "kept": st.integers(0, 300)}


def with_another_header(path: Path, places: list[tuple[int, int]], kept: int) -> int:
    """Write a small WAV file with some bytes of its header changed, cut off after so many; its length."""
    if not path.exists():
        written(path, "WAV", "PCM_16", 0.001)
        path.with_suffix(".whole").write_bytes(path.read_bytes())
    data = bytearray(path.with_suffix(".whole").read_bytes()[:kept])
    for at, value in places:
        data[at : at + 1] = bytes([value]) if at < len(data) else b""
    path.write_bytes(data)
    return len(data)


@given(**CHANGES)
@settings(max_examples=300, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_stands_in_a_header_it_is_read_or_left_alone(tmp_path, places, kept):
    """What is taken for plain lies within the file."""
    length = with_another_header(tmp_path / "a.wav", places, kept)
    header = read_wav_header(tmp_path / "a.wav")
    if header is not None:
        width = {"PCM_16": 2, "PCM_24": 3, "PCM_32": 4, "FLOAT": 4}[header.encoding] * header.channels
        assert header.frames > 0 and header.offset + header.frames * width <= length


@given(**CHANGES)
@settings(max_examples=12 * SOAK, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_stands_in_a_header_the_file_is_used_or_refused_in_a_sentence(tmp_path, places, kept):
    with_another_header(tmp_path / "a.wav", places, kept)
    try:
        copy = WorkingCopies(tmp_path / "copies").obtain(tmp_path / "a.wav")
        assert copy.read(0, copy.frames).shape == (copy.channels, copy.frames)
    except UnusableSound as error:
        assert "a.wav" in str(error)


@pytest.mark.parametrize("refusing", [sf.LibsndfileError(1), None])
def test_a_header_on_which_the_library_does_not_agree_is_left_to_the_decoder(tmp_path, monkeypatch, refusing):
    """One that it refuses, or in which it finds another rate: then the decoder's word counts."""
    path = written(tmp_path / "a.wav", "WAV", "PCM_16")

    class Other(sf.SoundFile):
        def __init__(self, *arguments, **more) -> None:
            if refusing is not None:
                raise refusing
            super().__init__(*arguments, **more)

        samplerate = 44100

    monkeypatch.setattr(sf, "SoundFile", Other)
    started, start = [], subprocess.Popen
    monkeypatch.setattr(subprocess, "Popen", lambda command, **more: started.append(command) or start(command, **more))
    assert look(path).rate == RATE and len(started) == 1
