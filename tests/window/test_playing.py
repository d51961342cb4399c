"""What plays after what, at which speed and how far: pairs before and after, loops, shuttle, and what plays read block by block."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtTest import QTest

from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.monitor import MonitorMode
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.player.cursor import Cursor
from dubbin.window.player.playing import BETWEEN_MS, PLACE_LEAD_S, PLACE_TAIL_S
from tests.conftest import RATE
from tests.window.conftest import put_down


class Ramp:
    """A program whose samples say which frame they are."""

    rate, channels = RATE, 2

    def __init__(self, frames: int) -> None:
        self.frames = frames
        self.map = TimeMap([(0, frames)])

    def read(self, start: int, stop: int) -> np.ndarray:
        return np.tile(np.arange(start, stop, dtype=np.float32), (2, 1))


class TestCursor:
    @settings(max_examples=40)
    @given(st.integers(0, 5000), st.integers(0, 5000), st.integers(1, 700))
    def test_at_its_own_speed_it_reads_every_frame_once(self, start, length, block):
        cursor, parts = Cursor(Ramp(20_000), start, start + length), [np.zeros((2, 0), np.float32)]
        while not cursor.is_at_end:
            parts.append(cursor.next(block))
        assert np.concatenate(parts, axis=1)[0].tolist() == list(range(start, start + length))

    @pytest.mark.parametrize(
        ("start", "stop", "speed"), [(0, 9600, 2.0), (100, 5000, 0.5), (9000, 0, -1.0), (9000, 1000, -3.0), (50, 50, 1.5)]
    )
    def test_it_ends_where_it_is_to_end_and_says_where_it_is(self, start, stop, speed):
        cursor, heard = Cursor(Ramp(9600), start, stop, speed), 0
        frames = [cursor.frame]
        while not cursor.is_at_end:
            heard += cursor.next(512).shape[1]
            frames.append(cursor.frame)
        assert cursor.frame == stop and heard == pytest.approx((stop - start) / speed, abs=2)
        assert frames == sorted(frames, reverse=speed < 0)


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    yield shared_window
    shared_window.playing.stop()


def heard_of(window, qtbot, seconds: float) -> np.ndarray:
    qtbot.waitUntil(lambda: window.player.sink.played() >= seconds * RATE, timeout=10_000)
    return window.player.sink.heard()


class TestPairs:
    def test_a_place_is_heard_as_recorded_and_then_as_treated(self, window, qtbot, monkeypatch):
        asked = []
        program = window.session.monitor.program
        monkeypatch.setattr(
            window.session.monitor,
            "program",
            lambda time_map=None, mode=None, **more: asked.append(mode) or program(time_map, mode, **more),
        )
        window.navigation.go(3 * RATE)
        window.playing.play_recorded_and_treated(20 * RATE, 20 * RATE)
        qtbot.waitUntil(lambda: len(asked) == 2, timeout=8000)
        assert asked == [MonitorMode.RECORDED, MonitorMode.TREATED]
        qtbot.waitUntil(lambda: not window.player.is_playing, timeout=8000)
        assert window.selection.head == 20 * RATE

    def test_a_cut_is_heard_in_place_and_then_gone(self, window, qtbot):
        window.session.do(cut_stretch(window.session.episode, 20 * RATE, 21 * RATE))
        window.playing.play_cut_before_and_after(20 * RATE, 21 * RATE)
        around = PLACE_LEAD_S + PLACE_TAIL_S
        first = heard_of(window, qtbot, around + 0.9)
        whole = window.session.monitor.program(TimeMap([(round((20 - PLACE_LEAD_S) * RATE), round((21 + PLACE_TAIL_S) * RATE))]))
        np.testing.assert_allclose(first[:, : 2 * RATE], whole.read(0, 2 * RATE), atol=1e-5)
        qtbot.waitUntil(lambda: not window.player.is_playing, timeout=8000)
        qtbot.waitUntil(lambda: window.player.is_playing, timeout=8000)
        assert window.player._program.frames == pytest.approx(around * RATE, abs=RATE * 0.02)

    @pytest.mark.parametrize("act", ["stop", "toggle", "shuttle"])
    def test_what_somebody_does_in_the_gap_is_not_overruled_by_the_second_half(self, window, qtbot, act):
        window.playing.play_recorded_and_treated(20 * RATE, 20 * RATE)
        qtbot.waitUntil(lambda: not window.player.is_playing, timeout=8000)
        {"stop": window.playing.stop, "toggle": window.playing.toggle, "shuttle": lambda: window.playing.shuttle(1)}[act]()
        program = window.player._program
        QTest.qWait(BETWEEN_MS + 150)
        assert window.player.is_playing is (act == "shuttle") and window.player._program is program

    def test_another_place_that_is_played_meanwhile_has_no_second_half(self, window, qtbot):
        window.playing.play_recorded_and_treated(20 * RATE, 20 * RATE)
        window.playing.play_place(30 * RATE, 30 * RATE)
        qtbot.waitUntil(lambda: not window.player.is_playing, timeout=8000)
        QTest.qWait(BETWEEN_MS + 150)
        assert not window.player.is_playing and window.selection.head == 30 * RATE


class TestHowFar:
    def test_a_looped_selection_stays_one_at_another_speed(self, window, qtbot):
        window.selection.select(10 * RATE, 11 * RATE)
        window.playing.toggle_loop()
        window.playing.play_from(10 * RATE)
        qtbot.waitUntil(lambda: window.selection.head > 10.2 * RATE)
        window.playing.set_speed(2.0)
        heads = []
        for _ in range(25):
            QTest.qWait(60)
            heads.append(window.selection.head / RATE)
        window.playing.toggle_loop()
        assert max(heads) <= 11.05 and any(b < a for a, b in itertools.pairwise(heads)), "round and round"

    def test_the_shuttle_leads_on_from_a_seam_that_is_heard(self, window, qtbot):
        window.session.do(cut_stretch(window.session.episode, 20 * RATE, 21 * RATE))
        window.navigation.go(19 * RATE)
        window.seam_walk.hear()
        qtbot.waitUntil(lambda: window.player.sink.played() > RATE // 4)
        window.playing.shuttle(1)
        assert window.player.speed == 1.5
        qtbot.waitUntil(lambda: window.selection.head > 22.5 * RATE, timeout=8000)
        window.playing.stop()
        assert window.selection.head > 22.5 * RATE, "one stays where the keys led"
