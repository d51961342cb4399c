"""What is cut, looked up for many frames at once, is what looking up each finds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.cut_union import CutUnion, cut_union
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut, Episode, Lane, Recording
from dubbin.core.episode.stretches import union as as_one
from dubbin.core.episode.time_map import program_map

FRAMES = 400
CUTS = st.lists(st.tuples(st.integers(0, FRAMES - 1), st.integers(1, 60)).map(lambda p: Cut(p[0], p[0] + p[1])), max_size=12)


def episode_with(cuts) -> Episode:
    recording = Recording("r", "/r.wav", "f", FRAMES, 48000, 1)
    return replace(
        new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "V"),), cuts=tuple(sorted(cuts, key=lambda c: c.start_frame))
    )


@given(CUTS)
def test_a_frame_is_cut_where_a_cut_covers_it(cuts):
    episode = episode_with(cuts)
    union, everywhere = cut_union(episode), np.arange(FRAMES + 70)
    expected = [episode.cut_at(frame) is not None for frame in everywhere]
    assert union.covers(everywhere).tolist() == expected
    assert union.frames == sum(expected) == sum(b - a for a, b in union.stretches)
    assert union.covers([]).tolist() == []
    assert union.stretches == as_one((c.start_frame, c.end_frame) for c in cuts)


def test_cuts_that_touch_are_one_stretch():
    assert CutUnion([Cut(10, 20), Cut(20, 25), Cut(26, 30), Cut(0, 5)]).stretches == [(0, 5), (10, 25), (26, 30)]


@given(CUTS)
def test_seams_have_what_lies_on_both_their_sides(cuts):
    time_map = program_map(episode_with(cuts))
    assert time_map.seam_pairs == [time_map.seam_frames(seam) for seam in time_map.seams()]
    assert all(after > before for before, after in time_map.seam_pairs), "of cuts alone"
    time_map.seams().clear()
    time_map.seam_pairs.clear()
    assert len(time_map.seams()) == len(time_map.seam_pairs) == max(len(time_map.spans) - 1, 0), "what is asked for is one's own"


def test_what_is_parked_beyond_all_sessions_does_not_count_as_cut_time():
    assert CutUnion([Cut(10, 20), Cut(PARKED_FROM_FRAME, PARKED_FROM_FRAME + 1000)]).frames == 10
