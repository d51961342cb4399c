"""Recordings of one session find their place by sound, drifting clocks included."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.episode.commands.lanes import split_channels
from dubbin.core.episode.commands.markers import add_marker, note_marker, remove_marker
from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.episode.model import Cut, Episode, FrameRange, Lane, Marker, Recording
from dubbin.core.measure.alignment import align
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.demo.episode import FILES
from tests.conftest import RATE, at_length, noise


@pytest.fixture(scope="module")
def microphones(demo_folder):
    return tuple(sf.read(demo_folder / FILES[voice], 100 * RATE, dtype="float32")[0] for voice in ("ines", "tobias"))


@pytest.mark.parametrize(("offset_s", "drift_ppm"), [(12.5, 80.0), (-4.2, -30.0), *at_length((3.2471, 0.0))])
def test_two_microphones_that_hear_each_other(microphones, offset_s, drift_ppm):
    first, second = microphones
    shift = round(offset_s * RATE)
    moved = second[shift:] if shift >= 0 else np.concatenate([np.zeros(-shift, np.float32), second])
    fast = soxr.resample(moved.astype(np.float64), RATE, RATE * (1 + drift_ppm * 1e-6), "VHQ").astype(np.float32)
    found = align(Sound(first[None], RATE), Sound(fast[None], RATE))
    assert found is not None
    assert found.offset_s == pytest.approx(offset_s, abs=0.001)
    assert found.drift_ppm == pytest.approx(drift_ppm, abs=1.5)


def test_unrelated_recordings_are_not_lined_up(microphones):
    assert align(Sound(microphones[0][None], RATE), Sound(noise(60, -20, 3)[None], RATE)) is None


def test_a_drifting_recording_is_resampled_to_its_true_length(tmp_path):
    n = np.arange(30 * RATE)
    sf.write(tmp_path / "fast.wav", 0.3 * np.sin(2 * np.pi * 1000.1 * n / RATE), RATE, subtype="FLOAT")
    copy = WorkingCopies(tmp_path / "cache").obtain(tmp_path / "fast.wav", RATE, drift_ppm=100.0)
    assert copy.frames == pytest.approx(len(n) / 1.0001, abs=2)
    y = copy.read(RATE, 29 * RATE)[0]
    truth = 0.3 * np.sin(2 * np.pi * 1000.2 * np.arange(RATE, 29 * RATE) / RATE)
    assert np.max(np.abs(y[:1000] - truth[:1000])) < 0.02


def episode(start: int = 1000) -> Episode:
    recordings = tuple(Recording(r, f"/{r}.wav", r, 48000, 48000, 2) for r in ("a", "b"))
    lanes = (Lane("1", "a", (0, 1), "A"), Lane("2", "b", (0, 1), "B", start_frame=start))
    return Episode("e", recordings=recordings, lanes=lanes, cuts=(Cut(100, 200),), markers=(Marker(500, "here"),),
                   kept_pauses=(FrameRange(700, 800),))  # fmt: skip


@given(st.integers(-5000, 5000))
@settings(max_examples=30, deadline=None)
def test_moving_a_recording_keeps_what_is_anchored_in_the_session(frames):
    before = episode()
    after = nudge(before, "2", frames).episode
    assert min(lane.start_frame for lane in after.lanes) >= 0
    assert after.lane("2").start_frame - after.lane("1").start_frame == 1000 + frames
    shift = after.lane("1").start_frame
    assert after.markers == (Marker(500 + shift, "here"),) and after.cuts[0].start_frame == 100 + shift


def test_channels_become_lanes_and_markers_keep_their_order():
    split = split_channels(episode(), "1", ["x", "y"]).episode
    assert [(lane.id, lane.channels, lane.voice) for lane in split.lanes[:2]] == [("x", (0,), "A 1"), ("y", (1,), "A 2")]
    marked = add_marker(add_marker(split, 900).episode, 20, "early").episode
    assert [m.frame for m in marked.markers] == [20, 500, 900]
    noted = note_marker(marked, marked.markers[2], "why not").episode
    assert noted.markers[2] == Marker(900, "why not")
    assert remove_marker(noted, noted.markers[0]).episode.markers[0].frame == 500
