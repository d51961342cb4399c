"""Balance in the real window: set up from the suggestion, changed by hand, measured in what is rendered."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from dubbin.core.episode.model import Role
from dubbin.core.measure.live import Reading
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.mix.monitor import MonitorMode
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.shell.step import Step
from tests.window.conftest import drag, put_down, settle

RATE = 48000


@pytest.fixture
def balance(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    shared_window.go_step(Step.BALANCE)
    settle(qtbot, shared_window)
    return shared_window


def lanes(window):
    return window.session.episode.lanes


def rect_of(window, index):
    return next(rect for lane, rect in window.lanes.lane_rects() if lane.id == lanes(window)[index].id)


def test_the_suggested_balance_brings_the_voices_together_and_can_be_taken_back(qtbot, balance):
    page, before = balance.pages[Step.BALANCE], balance.session.episode
    page.suggest.click()
    settle(qtbot, balance)
    report = balance.session.balancing.report(balance.session.episode)
    assert report.apart_after_lu is not None and report.apart_after_lu < 1.0
    program = balance.session.monitor.program(mode=MonitorMode.TREATED)
    loudness = measure_loudness(program)
    assert loudness.range_lu is not None and loudness.range_lu <= 6.0
    assert abs(loudness.integrated_lufs - -21.0) < 1.5
    assert page.panes.table.rowCount() == 2 and "LU" in page.figures.value("level difference")
    assert page.status().text == "2 of 2 voices levelled"
    # The music is softer under speech than before the first word.
    music = next(lane for lane in lanes(balance) if lane.role is Role.MUSIC)
    track = balance.session.monitor.bed_track(music)
    assert track.ducking is not None and track.ducking.db.min() == pytest.approx(-14.0, abs=0.1) and track.ducking.db[0] > -1.0
    balance.session.document.undo()
    assert balance.session.episode.lanes == before.lanes


def test_pan_polarity_and_levels_are_heard(balance):
    page, first = balance.pages[Step.BALANCE], lanes(balance)[0]
    card = page.cards[first.id]
    for lane in lanes(balance)[1:]:
        page.cards[lane.id].mute.click()
    drag(card.pan, (card.pan.width() / 2, 10), (8, 10))
    card.polarity.click()
    assert lanes(balance)[0].pan == -100.0 and lanes(balance)[0].invert
    y = balance.session.monitor.program(mode=MonitorMode.RECORDED).read(10 * RATE, 12 * RATE)
    x = balance.session.analyses.sound(lanes(balance)[0]).recorded.read(10 * RATE, 12 * RATE)
    assert np.allclose(y[0], -np.sqrt(2.0) * x[0], atol=1e-5) and not y[1].any()


def test_a_point_pulled_off_the_line_is_heard_and_taken_off_by_a_double_click(balance):
    rect = rect_of(balance, 0)
    x, middle = 300.0, rect.center().y()
    drag(balance.lanes, (x, middle), (x, middle - rect.height() / 6))
    (point,) = lanes(balance)[0].line
    assert point.db == pytest.approx(6.0, abs=1.2)
    assert point.frame == pytest.approx(balance.view.session_at(x), abs=2 * balance.view.per_pixel)
    assert balance.session.balancing.now(balance.session.episode).gains[lanes(balance)[0].id].level_db.max() == pytest.approx(point.db)
    QTest.mouseDClick(balance.lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(middle - point.db / 18 * rect.height() / 2)))
    assert lanes(balance)[0].line == ()


def test_fades_are_pulled_at_the_corners_of_a_lane(balance):
    rect = rect_of(balance, 1)
    drag(balance.lanes, (1, rect.top() + 5), (101, rect.top() + 5))
    fade = lanes(balance)[1].fade_in_frames
    assert fade == pytest.approx(101 * balance.view.per_pixel, rel=0.05)
    y = balance.session.analyses.sound(lanes(balance)[1]).recorded.read(0, 10)
    assert np.all(np.abs(balance.session.monitor.program(mode=MonitorMode.RECORDED).mix.read(0, 10)) <= np.abs(y).max() + 1)


def test_music_lies_under_the_program_and_is_set_on_its_card(qtbot, balance):
    page, music = balance.pages[Step.BALANCE], lanes(balance)[2]
    balance.session.pick_lane(music.id)
    assert not page.parts["ducking"].isHidden() and page.parts["bleed"].isHidden()
    page.place.fields["in"].setValue(2.0)
    page.place.fields["length"].setValue(5.0)
    page.place.loop.click()
    page.parts["ducking"].form.fields["depth_db"].setValue(20.0)
    changed = lanes(balance)[2]
    assert changed.fade_in_frames == 2 * RATE and changed.bed.frames == 5 * RATE and changed.bed.loop and changed.ducking.depth_db == 20.0
    balance.selection.set_head(20 * RATE)
    page.place.here.click()
    assert balance.session.monitor.bed_track(lanes(balance)[2]).start == 20 * RATE
    page.place.under.click()
    assert lanes(balance)[2].bed is None


def test_clipped_peaks_stay_marked_until_the_meters_are_reset(qtbot, balance):
    meters = balance.pages[Step.BALANCE].panes.meters
    meters.show_reading(Reading(-20.0, -21.0, -22.0, (-3.0, -9.0), 0.4, 3.0, (0.4, -2.0), (-0.1, -2.2), 0.8))
    assert meters.is_over
    meters.grab()
    with qtbot.waitSignal(meters.reset_wanted):
        QTest.mouseClick(meters, Qt.MouseButton.LeftButton)
    assert not meters.is_over
