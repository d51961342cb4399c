"""How frames become pixels: what is under the pointer stays there, and the view never leaves the episode."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Cut, CutKind, Lane, Recording
from dubbin.window.lanes.viewport import CLOSEST, Viewport

RATE, FRAMES, WIDTH = 48_000, 480_000, 1000


class OpenEpisode(QObject):
    """As much of a session as a viewport looks at."""

    episode_changed = pyqtSignal(object, object)

    def __init__(self, cuts=()) -> None:
        super().__init__()
        recording = Recording("r", "talk.wav", "0" * 8, FRAMES, RATE, 1)
        lane = Lane("l", "r", (0,), "Ines")
        self.episode = replace(new_episode(), rate=RATE, recordings=(recording,), lanes=(lane,), cuts=tuple(cuts))

    def change(self, **fields) -> None:
        before, self.episode = self.episode, replace(self.episode, **fields)
        self.episode_changed.emit(before, self.episode)


CUT = Cut(100_000, 200_000, CutKind.HAND)


def viewport(*cuts: Cut) -> Viewport:
    view = Viewport(OpenEpisode(cuts))
    view.set_width(WIDTH)
    return view


def test_a_view_that_was_zoomed_keeps_its_scale_when_the_window_grows():
    view = viewport()
    view.show_range(100_000, 200_000)
    view.set_width(2000)
    assert view.per_pixel == 100.0 and view.start == 100_000


@given(st.floats(0.01, 100.0), st.floats(0.0, WIDTH - 1), st.floats(0.0, FRAMES - 50_000.0))
def test_zooming_never_leaves_the_episode(factor, x, start):
    view = viewport()
    view.show_range(start, start + 50_000)
    view.zoom(factor, x)
    assert view.start >= 0 and view.stop <= FRAMES * (1 + 1e-9) + 1
    assert CLOSEST <= view.per_pixel <= FRAMES / WIDTH


@given(st.floats(0.02, 1.0), st.floats(0.0, WIDTH - 1), st.floats(100_000.0, 300_000.0))
def test_what_is_under_the_pointer_stays_there_when_one_looks_closer(factor, x, start):
    view = viewport()
    view.show_range(start, start + 50_000)
    under = view.start + x * view.per_pixel
    view.zoom(factor, x)
    assert view.x_of_display(under) == pytest.approx(x, abs=1e-3)


@given(st.integers(-10_000, 10_000))
def test_scrolling_stops_at_both_ends(pixels):
    view = viewport()
    view.show_range(200_000, 210_000)
    view.scroll(pixels)
    assert 0 <= view.start <= FRAMES - WIDTH * view.per_pixel


def test_folding_keeps_the_middle_in_the_middle():
    view = viewport(CUT)
    view.show_range(280_000, 320_000)
    middle = view.session_at(WIDTH / 2)
    view.set_folded(True)
    assert view.x_of(middle) == pytest.approx(WIDTH / 2, abs=1)
    view.set_folded(False)
    assert view.x_of(middle) == pytest.approx(WIDTH / 2, abs=1)


def test_a_frame_out_of_sight_is_revealed_and_one_in_sight_moves_nothing():
    view = viewport()
    view.show_range(100_000, 110_000)
    view.reveal(105_000)
    assert view.start == 100_000
    view.reveal(300_000)
    assert 0 <= view.x_of(300_000) < WIDTH and view.per_pixel == 10.0
    view.reveal(FRAMES - 1)
    assert view.x_of(FRAMES - 1) < WIDTH


def test_the_view_follows_an_episode_that_becomes_shorter():
    view = viewport()
    view.set_folded(True)
    view.show_range(400_000, 480_000)
    told = []
    view.changed.connect(lambda: told.append(True))
    view._session.change(cuts=(Cut(50_000, 400_000, CutKind.HAND),))
    assert view.frames == 130_000 and view.stop <= 130_000 and told
