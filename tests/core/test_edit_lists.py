"""The edit as lists for other programs: read by somebody else, they come to the same program."""

from __future__ import annotations

import csv
import io
import shutil
from dataclasses import replace
from itertools import pairwise
from urllib.parse import unquote, urlparse

import av
import numpy as np
import opentimelineio as otio
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.deliver.edit_lists import as_csv, as_edl, as_otio, videos_of, write_edit_list
from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.episode.balance_settings import Bed, Ducking
from dubbin.core.episode.commands.arrangement import insert_break
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import CannotWrite
from dubbin.core.mix.render import episode_sounds, program_of
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, noise

SECONDS = 12


def blocks(seed: int) -> np.ndarray:
    """Noise with half a second of silence in every second: where it is cut, nothing has to fade."""
    x = noise(SECONDS, -26, seed)
    x.reshape(SECONDS * 2, -1)[1::2] = 0.0
    return x


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """Two voices, and music under them that begins with the third second; cuts in silence and a break: (episode, folders' base)."""
    base = tmp_path_factory.mktemp("lists")
    for name, x in (("ines", blocks(1)), ("tobias", blocks(2)), ("music", noise(5, -40, 3))):
        sf.write(base / f"{name}.wav", x, RATE, subtype="FLOAT")
    taken = [import_file(base / f"{name}.wav", WorkingCopies(base / "copies"), RATE) for name in ("ines", "tobias", "music")]
    lanes = [replace(item.lanes[0], role=Role.VOICE) for item in taken[:2]]
    lanes.append(replace(taken[2].lanes[0], role=Role.MUSIC, start_frame=2 * RATE, bed=Bed(RATE // 2), ducking=Ducking(False)))
    episode = add_recordings(new_episode(), [item.recording for item in taken], lanes).episode
    for start_s, end_s in ((0.75, 1.75), (5.75, 8.75)):
        episode = cut_stretch(episode, round(start_s * RATE), round(end_s * RATE)).episode
    episode = insert_break(episode, round(9.75 * RATE), RATE, "break", "Advertisement", False).episode
    yield episode, base
    shutil.rmtree(base / "copies")


def rendered(episode, base) -> np.ndarray:
    sounds = episode_sounds(episode, WorkingCopies(base / "copies"), DiskTileCache(base / "tiles"))
    program = program_of(episode, sounds)
    return program.read(0, program.frames)


def heard_by_a_reader(text: str, frames: int) -> np.ndarray:
    """What a timeline comes to in the hands of somebody who knows nothing of episodes: all clips, where they lie, added up."""
    timeline, out = otio.adapters.read_from_string(text, "otio_json"), np.zeros(frames)
    for track in timeline.tracks:
        for clip in track.find_clips():
            x, _ = sf.read(unquote(urlparse(clip.media_reference.target_url).path))
            at = round(clip.range_in_parent().start_time.value)
            start, length = round(clip.source_range.start_time.value), round(clip.source_range.duration.value)
            out[at : at + length] += x[start : start + length]
    return out


def test_a_timeline_read_by_another_program_is_the_program_to_the_sample(made):
    episode, base = made
    program = rendered(episode, base)
    np.testing.assert_allclose(heard_by_a_reader(as_otio(episode), program.shape[1]), program[0], atol=1e-6)


def test_a_recording_that_lies_nowhere_in_particular_has_a_place_all_the_same(made, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    episode, _ = made
    lost = replace(episode, recordings=tuple(replace(r, path="lost.wav") for r in episode.recordings))
    assert (tmp_path / "lost.wav").as_uri() in as_otio(lost)


def test_a_table_names_the_same_stretches(made):
    episode, base = made
    program = rendered(episode, base)
    out = np.zeros(program.shape[1])
    for row in csv.DictReader(io.StringIO(as_csv(episode))):
        x, _ = sf.read(base / row["recording"])
        a, b, c, d = (round(float(row[name]) * RATE) for name in ("source_start_s", "source_end_s", "program_start_s", "program_end_s"))
        assert b - a == d - c
        out[c:d] += x[a:b]
    np.testing.assert_allclose(out, program[0], atol=1e-6)


def test_music_under_the_program_is_not_cut_with_it(made):
    episode, _ = made
    rows = [r for r in csv.DictReader(io.StringIO(as_csv(episode))) if r["recording"] == "music.wav"]
    assert [(float(r["source_start_s"]), float(r["program_start_s"])) for r in rows] == [(0.5, 1.0)]


def test_repeated_music_is_a_stretch_a_round(made):
    episode, _ = made
    lanes = tuple(replace(lane, bed=Bed(loop=True)) if lane.bed else lane for lane in episode.lanes)
    rows = [r for r in csv.DictReader(io.StringIO(as_csv(replace(episode, lanes=lanes)))) if r["recording"] == "music.wav"]
    ends = [float(r["program_end_s"]) for r in rows]
    assert len(rows) == 2 and [float(r["program_start_s"]) for r in rows[1:]] == ends[:-1]
    assert ends[-1] == pytest.approx(program_map(episode).program_frames / RATE) and all(float(r["source_start_s"]) == 0 for r in rows)


def edl_events(text: str) -> list[list[str]]:
    return [line.split() for line in text.splitlines() if line[:3].isdigit()]


@pytest.mark.parametrize("fps", [23.976, 24, 25, 29.97, 30, 50, 59.94])
def test_an_edl_has_no_hole_and_black_where_the_break_is(made, fps):
    episode, _ = made
    rows = edl_events(as_edl(episode, fps))
    assert [int(r[0]) for r in rows] == list(range(1, len(rows) + 1))
    assert all(before[7] == after[6] for before, after in pairwise(rows))
    picture = frame_rate(fps)
    assert rows[0][6] == picture.timecode(0) and [r[1] for r in rows].count("BL") == 1
    at_s = (9.75 - 1.0 - 3.0, 10.75 - 1.0 - 3.0)
    black = next(r for r in rows if r[1] == "BL")
    assert black[6:] == [picture.timecode(picture.frame(s)) for s in at_s]


def test_an_edl_says_whether_numbers_are_dropped(made):
    episode, _ = made
    assert "FCM: DROP FRAME" in as_edl(episode, 29.97) and "FCM: NON-DROP FRAME" in as_edl(episode, 25)


@pytest.mark.parametrize(
    ("fps", "frame", "code"),
    [
        (25, 90_000, "01:00:00:00"),
        (23.976, 86_400, "01:00:00:00"),
        (29.97, 1799, "00:00:59;29"),
        (29.97, 1800, "00:01:00;02"),
        (29.97, 17_982, "00:10:00;00"),
        (29.97, 107_892, "01:00:00;00"),
        (59.94, 3600, "00:01:00;04"),
        (59.94, 215_784, "01:00:00;00"),
    ],
)
def test_time_code_is_that_of_the_standard(fps, frame, code):
    assert frame_rate(fps).timecode(frame) == code


@given(st.integers(0, 10**6), st.sampled_from([23.976, 24, 25, 29.97, 30, 59.94]))
def test_every_frame_has_a_number_of_its_own_that_grows(frame, fps):
    rate = frame_rate(fps)
    if frame + 1 < 24 * 3600 * rate.fps:
        assert rate.timecode(frame) < rate.timecode(frame + 1)


@given(st.floats(0.0, 80_000.0))
def test_dropped_numbers_keep_up_with_the_clock(seconds):
    """To two frames around a minute, and to the 0.09 s that the standard itself loses in a day."""
    rate = frame_rate(29.97)
    hours, minutes, rest = rate.timecode(rate.frame(seconds)).replace(";", ":").split(":", 2)
    whole, frames = rest.split(":")
    assert 3600 * int(hours) + 60 * int(minutes) + int(whole) + int(frames) / 30 == pytest.approx(seconds, abs=0.2)


@pytest.mark.parametrize("fps", [0, -5, float("nan"), float("inf"), 1000])
def test_a_rate_that_no_picture_has_is_refused_and_nothing_is_written(made, fps, tmp_path):
    episode, _ = made
    with pytest.raises(CannotWrite, match="frames a second"):
        write_edit_list(episode, tmp_path / "a.edl", fps)
    assert not (tmp_path / "a.edl").exists()


@pytest.fixture(scope="module")
def filmed(made, tmp_path_factory):
    """The same episode with the first voice's sound in a film, and the other in a file that is called a film and is none."""
    episode, _ = made
    film = tmp_path_factory.mktemp("film") / "ines.mp4"
    with av.open(str(film), "w") as out:
        picture, sound = out.add_stream("mpeg4", rate=25), out.add_stream("aac", rate=RATE)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound.layout = "mono"
        for k in range(SECONDS * 25):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), k % 255, np.uint8), format="rgb24")
            out.mux(picture.encode(frame))
        out.mux(picture.encode(None))
        for k in range(0, SECONDS * RATE, 1024):
            part = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
            part.sample_rate, part.pts = RATE, k
            out.mux(sound.encode(part))
        out.mux(sound.encode(None))
    (film.parent / "tobias.mp4").write_bytes(b"no film")
    first, second, *rest = episode.recordings
    recordings = (replace(first, path=str(film)), replace(second, path=str(film.parent / "tobias.mp4")), *rest)
    return replace(episode, recordings=recordings)


class TestVideo:
    def test_only_what_has_a_picture_is_a_video(self, filmed):
        assert set(videos_of(filmed)) == {filmed.recordings[0].id}

    def test_a_timeline_has_the_picture_below_cut_as_the_sound_is(self, filmed, tmp_path):
        write_edit_list(filmed, tmp_path / "a.otio")
        timeline = otio.adapters.read_from_file(str(tmp_path / "a.otio"))
        kinds = [track.kind for track in timeline.tracks]
        assert kinds[0] == otio.schema.TrackKind.Video and kinds.count(otio.schema.TrackKind.Video) == 1 and len(kinds) == 4

        def places(track) -> list[tuple[float, float, float]]:
            return [
                (c.range_in_parent().start_time.value, c.source_range.start_time.value, c.source_range.duration.value)
                for c in track.find_clips()
            ]

        assert places(timeline.tracks[0]) == places(timeline.tracks[1]) != []

    def test_events_cut_sound_and_picture_together_on_the_reel_of_the_film(self, filmed, tmp_path):
        write_edit_list(filmed, tmp_path / "a.edl", 25)
        events = [line.split() for line in (tmp_path / "a.edl").read_text().splitlines() if line[:3].isdigit()]
        assert {e[2] for e in events} == {"B"} and {e[1] for e in events} == {"INES", "BL"}
        assert all(line.split()[2] == "AA/V" for line in as_edl(filmed).splitlines() if line[:3].isdigit())
