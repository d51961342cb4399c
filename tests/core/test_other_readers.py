"""What is written for other programs, read back by libraries that know nothing of this one."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import opentimelineio as otio
import pytest
import soundfile as sf
import timecode
import webvtt
from hypothesis import example, given
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from dubbin.cli.main import main
from dubbin.core.deliver.captions import SpokenWord, caption_file, captions, transcript_json
from dubbin.core.deliver.companions import write_companions
from dubbin.core.deliver.conforming import conform, is_uncut
from dubbin.core.deliver.delivery import write_stems
from dubbin.core.deliver.edit_lists import as_edl, videos_of
from dubbin.core.deliver.picture import Picture, picture_of
from dubbin.core.deliver.publication import Chapter, Publication
from dubbin.core.deliver.targets import find_target
from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.deliver.web_vtt import escaped, web_vtt
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Episode, Role
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.mix.render import episode_sounds, program_of
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.align_text import read_text
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, at_length, noise

SECONDS = 8
TEXT = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=12)


# -- time code ---------------------------------------------------------------------------


@given(
    st.integers(0, 2_500_000),
    st.sampled_from([("23.976", 23.976, False), ("25", 25, False), ("29.97", 29.97, True), ("30", 30, False), ("59.94", 59.94, True)]),
)
@example(1800, ("29.97", 29.97, True))
@example(17_982, ("29.97", 29.97, True))
@example(3596, ("59.94", 59.94, True))
def test_time_code_is_what_two_other_libraries_say(frame, rate):
    name, fps, dropped = rate
    if frame >= 24 * 3600 * fps - 1:
        return
    ours = frame_rate(fps)
    assert ours.timecode(frame) == str(timecode.Timecode(name, frames=frame + 1)), "a library whose frames count from 1"
    exact = {23.976: 24000 / 1001, 29.97: 30000 / 1001, 59.94: 60000 / 1001}.get(fps, fps)
    theirs = otio.opentime.to_timecode(otio.opentime.RationalTime(frame, exact), exact, dropped)
    assert ours.timecode(frame) == theirs
    assert ours.frame_of(ours.timecode(frame)) == frame


@pytest.mark.parametrize("code", ["", "1:2:3:4", "00:00:00", "aa:bb:cc:dd", "00:00:00:00:00"])
def test_what_is_no_time_code_is_refused(code):
    with pytest.raises(ValueError, match="no time code"):
        frame_rate(25).frame_of(code)


# -- timed text --------------------------------------------------------------------------


def spoken(texts: list[str], speakers: int = 1) -> list[SpokenWord]:
    return [SpokenWord(t, 0.5 * k, 0.5 * k + 0.4, f"Voice {k % speakers}") for k, t in enumerate(texts)]


@given(st.lists(TEXT, min_size=1, max_size=20))
@example(["<b>", "-->", "&amp;", "<v", "Ines>"])
def test_captions_are_read_word_for_word_whatever_is_said(texts):
    words = spoken(texts)
    cues = captions(words)
    read = list(webvtt.from_string(caption_file(words, "vtt")))
    assert [c.start_in_seconds + 0 for c in read] == pytest.approx([round(c[0], 3) for c in cues], abs=1.0)
    assert [re.sub(r"\s+", " ", c.raw_text) for c in read] == [re.sub(r"\s+", " ", escaped(text)) for _, _, _, text in cues]
    assert not any("<" in c.raw_text or "-->" in c.raw_text for c in read)


def test_what_is_written_as_vtt_comes_back_as_the_same_words(tmp_path):
    texts = ["Tom", "&", "Jerry", "a<b", "Q&A;", "&lt;"]
    (tmp_path / "a.vtt").write_text(caption_file(spoken(texts), "vtt"))
    assert " ".join(w.text for w in read_text(tmp_path / "a.vtt")) == " ".join(texts)


def test_empty_and_backward_cues_harm_nobody():
    read = list(webvtt.from_string(web_vtt([(5.0, 4.0, "one\n\ntwo"), (6.0, 7.0, " \n "), (3600.0, 3600.0, "hour")])))
    assert [(c.start, c.end, c.raw_text) for c in read] == [
        ("00:00:05.000", "00:00:05.001", "one\ntwo"),
        ("01:00:00.000", "01:00:00.001", "hour"),
    ]
    assert web_vtt([]) == "WEBVTT\n"


def test_words_as_json_have_speakers_and_times_as_the_podcast_namespace_has_them():
    words = [*spoken(["Hello,", "“you”"], 2), SpokenWord("breath", 3.0, 3.2, "Voice 0", WordKind.SOUND)]
    found = json.loads(transcript_json(words))
    assert found["version"] == "1.0.0" and found["segments"] == [
        {"speaker": "Voice 0", "startTime": 0.0, "endTime": 0.4, "body": "Hello,"}, {"speaker": "Voice 1", "startTime": 0.5, "endTime": 0.9, "body": "“you”"},
    ]  # fmt: skip


def test_chapters_are_written_for_players_too(tmp_path):
    publication = Publication(chapters=(Chapter(0.0, 61.5, "One & <two>"), Chapter(61.5, 3700.0, "Three")))
    files = {p.name: p for p in write_companions(publication, tmp_path, "ep", "Title", ("chapters",))}
    read = list(webvtt.read(str(files["ep.chapters.vtt"])))
    assert [(c.start, c.end, c.raw_text) for c in read] == [
        ("00:00:00.000", "00:01:01.500", "One &amp; &lt;two&gt;"), ("00:01:01.500", "01:01:40.000", "Three"),
    ]  # fmt: skip
    assert [c["startTime"] for c in json.loads(files["ep.chapters.json"].read_text())["chapters"]] == [0.0, 61.5]


# -- stems -------------------------------------------------------------------------------


def test_stems_are_broadcast_waves_with_their_place_on_one_clock(tmp_path):
    (tmp_path / "out").mkdir()
    files = write_stems({"Ines": Sound(noise(2, -30, 1)[None].astype(np.float32), RATE)}, tmp_path / "out", "ep")
    info = WavInfoReader(str(files[0]))
    assert info.fmt.sample_rate == RATE and info.fmt.bits_per_sample == 24 and info.data.frame_count == 2 * RATE
    assert info.bext is not None and info.bext.time_reference == 0 and "Dubbin" in info.bext.originator


# -- the picture -------------------------------------------------------------------------


def film(path: Path, fps: str = "25", code: str | None = None) -> Path:
    """A film with a sound of blocks and silences, and perhaps a time code that it begins with."""
    from fractions import Fraction

    rate = {"29.97": Fraction(30000, 1001), "23.976": Fraction(24000, 1001)}.get(fps) or Fraction(fps)
    x = noise(SECONDS, -20, 4)
    x.reshape(SECONDS * 2, -1)[1::2] = 0.0
    with av.open(str(path), "w") as out:
        picture, sound = out.add_stream("mpeg4", rate=rate), out.add_stream("aac", rate=RATE)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound.layout = "mono"
        if code:
            picture.metadata["timecode"] = code
        for k in range(int(SECONDS * rate)):
            out.mux(picture.encode(av.VideoFrame.from_ndarray(np.full((48, 64, 3), k % 255, np.uint8), format="rgb24")))
        out.mux(picture.encode(None))
        for k in range(0, SECONDS * RATE, 1024):
            part = av.AudioFrame.from_ndarray(np.ascontiguousarray(x[None, k : k + 1024], np.float32), format="fltp", layout="mono")
            part.sample_rate, part.pts = RATE, k
            out.mux(sound.encode(part))
        out.mux(sound.encode(None))
    return path


def filmed(path: Path, base: Path) -> Episode:
    taken = import_file(path, WorkingCopies(base / "copies"), RATE)
    return add_recordings(new_episode(), [taken.recording], [replace(taken.lanes[0], role=Role.VOICE)]).episode


def program(episode: Episode, base: Path):
    return program_of(episode, episode_sounds(episode, WorkingCopies(base / "copies"), DiskTileCache(base / "tiles")))


@pytest.mark.parametrize(
    ("fps", "code", "start_s"), [("25", None, 0.0), ("25", "01:00:00:00", 3600.0), ("29.97", "01:00:00;00", 3600.0), ("23.976", None, 0.0)]
)
def test_a_picture_tells_its_rate_and_its_time_code(tmp_path, fps, code, start_s):
    found = picture_of(film(tmp_path / "a.mov", fps, code))
    assert found is not None and found.fps == pytest.approx(float(fps), abs=0.003) and found.start_s == pytest.approx(start_s, abs=0.05)


def test_what_has_no_picture_tells_nothing(tmp_path):
    sf.write(tmp_path / "a.wav", noise(1, -30, 1), RATE)
    (tmp_path / "b.mp4").write_bytes(b"no film")
    assert picture_of(tmp_path / "a.wav") is None and picture_of(tmp_path / "b.mp4") is None and picture_of(tmp_path / "c.mp4") is None


def test_of_an_uncut_program_the_finished_sound_goes_under_the_picture(tmp_path):
    episode = filmed(film(tmp_path / "talk.mp4"), tmp_path)
    words = Transcript(episode.lanes[0].id, (Word("Hello.", 0, RATE // 2),))
    episode = replace(episode, transcripts=(words,))
    out = tmp_path / "out"
    out.mkdir()
    assert is_uncut(episode, episode.recordings[0])
    made = conform(program(episode, tmp_path), episode, episode.recordings[0], out, "ep", find_target("podcast-mono"))
    assert made.is_video and made.proof.passes and [p.name for p in made.files] == ["ep.podcast-mono.mp4", "ep.srt", "ep.vtt"]
    assert sorted(p.name for p in out.iterdir()) == sorted(p.name for p in made.files)
    with av.open(str(made.files[0])) as container:
        assert container.streams.video[0].frames == SECONDS * 25 and container.duration / 1e6 == pytest.approx(SECONDS, abs=0.1)


@pytest.mark.parametrize(("fps", "code"), [("25", "10:00:00:00"), ("29.97", "01:00:00;00"), *at_length(("23.976", None))])
def test_of_a_cut_program_another_reader_cuts_the_picture_to_the_sound(tmp_path, fps, code):
    episode = filmed(film(tmp_path / "talk.mov", fps, code), tmp_path)
    for start_s, end_s in ((0.75, 1.75), (4.75, 6.25)):
        episode = cut_stretch(episode, round(start_s * RATE), round(end_s * RATE)).episode
    out = tmp_path / "out"
    out.mkdir()
    made = conform(program(episode, tmp_path), episode, episode.recordings[0], out, "ep", find_target("podcast-mono"))
    sound, edl, timeline = made.files
    assert not made.is_video and (sound.name, edl.name, timeline.name) == ("ep.podcast-mono.wav", "ep.picture.edl", "ep.picture.otio")
    length = sf.info(sound).duration
    assert length == pytest.approx(SECONDS - 2.5, abs=0.01)

    rate = frame_rate(float(fps))
    first = rate.frame_of(code) if code else 0
    read = otio.adapters.read_from_string(edl.read_text(), "cmx_3600", rate=rate.fps)
    video = next(t for t in read.tracks if t.kind == otio.schema.TrackKind.Video)
    clips = list(video.find_clips())
    begins = [(c.source_range.start_time.value - first) / rate.fps for c in clips]
    assert begins == pytest.approx([0.0, 1.75, 6.25], abs=0.6 / rate.fps)
    assert sum(c.source_range.duration.value for c in clips) / rate.fps == pytest.approx(length, abs=1.1 / rate.fps)
    assert [t.kind for t in read.tracks].count(otio.schema.TrackKind.Audio) >= 1

    whole = otio.adapters.read_from_file(str(timeline))
    assert [(t.kind, len(list(t.find_clips()))) for t in whole.tracks] == [("Video", 3), ("Audio", 1)]
    cuts = [c.source_range.start_time.value / RATE - (first / rate.fps) for c in whole.tracks[0].find_clips()]
    assert cuts == pytest.approx([0.0, 1.75, 6.25], abs=1e-3)
    media = next(iter(whole.tracks[0].find_clips())).media_reference
    assert media.available_range.start_time.value / RATE == pytest.approx(first / rate.fps, abs=1e-3)
    (mix,) = whole.tracks[1].find_clips()
    assert mix.media_reference.target_url == sound.as_uri() and mix.duration().value / RATE == pytest.approx(length, abs=1e-3)


def test_a_conform_never_writes_over_a_recording_and_says_what_has_no_picture(tmp_path):
    episode = filmed(film(tmp_path / "ep.podcast-mono.mp4"), tmp_path)
    before = (tmp_path / "ep.podcast-mono.mp4").read_bytes()
    with pytest.raises(CannotWrite, match="recording itself"):
        conform(program(episode, tmp_path), episode, episode.recordings[0], tmp_path, "ep", find_target("podcast-mono"))
    assert (tmp_path / "ep.podcast-mono.mp4").read_bytes() == before
    with pytest.raises(CannotWrite, match="frames a second"):
        conform(program(episode, tmp_path), episode, episode.recordings[0], tmp_path, "x", find_target("podcast-mono"), fps=0.5)
    without = replace(episode, recordings=(replace(episode.recordings[0], path=str(tmp_path / "gone.mp4")),))
    with pytest.raises(UnusableSound, match="no picture"):
        conform(program(episode, tmp_path), without, without.recordings[0], tmp_path, "x", find_target("podcast-mono"))
    assert not list(tmp_path.glob("x.*"))


def test_the_edit_list_of_a_film_counts_from_its_own_time_code(tmp_path):
    episode = filmed(film(tmp_path / "talk.mov"), tmp_path)
    assert list(videos_of(episode).values()) == [Picture(25.0, 0.0)]
    text = as_edl(episode, 25, {episode.recordings[0].id: Picture(25.0, 3600.0)})
    assert "01:00:00:00 01:00:08:00 00:00:00:00 00:00:08:00" in text


def test_the_command_makes_what_the_picture_needs(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    episode = filmed(film(tmp_path / "talk.mp4"), tmp_path)
    episode = cut_stretch(episode, RATE, 2 * RATE).episode
    save_episode(replace(episode, delivery=replace(episode.delivery, targets=("podcast-mono",))), tmp_path / "ep.dubbin")
    assert main(["video", str(tmp_path / "ep.dubbin"), "-o", str(tmp_path / "out"), "--json", "--quiet"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert not found["is_video"] and [Path(f).suffix for f in found["files"]] == [".wav", ".edl", ".otio"] and found["proof"]["pass"]
    assert main(["video", str(tmp_path / "ep.dubbin"), "-o", str(tmp_path / "out"), "--film", "other.mp4"]) == 1
    assert "no video of that name" in capsys.readouterr().err
    plain = load_episode(tmp_path / "ep.dubbin")
    sf.write(tmp_path / "a.wav", noise(2, -30, 1), RATE)
    save_episode(replace(plain, recordings=(replace(plain.recordings[0], path=str(tmp_path / "a.wav")),)), tmp_path / "b.dubbin")
    assert main(["video", str(tmp_path / "b.dubbin"), "-o", str(tmp_path / "out")]) == 1
    assert "None of the recordings" in capsys.readouterr().err
