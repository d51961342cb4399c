"""The Voice step in the real window: suggestions, the curve, starting points, one strength, matching."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from dubbin.core.mix.hear import Hear
from dubbin.window.pages.eq_plot import HANDLES
from dubbin.window.steps import Step
from tests.window.conftest import drag, settle


@pytest.fixture
def page(window, qtbot):
    window.go_step(Step.VOICE)
    window.resize(1280, 800)
    settle(qtbot, window)
    return window.pages[Step.VOICE]


def on(window) -> set[str]:
    return {u.name for u in window.desk.picked_lane.voicing if u.on}


def test_what_a_voice_asks_for_is_set_heard_measured_and_taken_back(window, page, qtbot):
    QTest.mouseClick(page.suggest, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert {"equalise", "compress"} <= on(window)
    assert page.cards["compress"].rows.value("turns down by up to").endswith("dB")
    page.panes.show_tab("figures")
    before, after = (page.panes.figures.item(2, k).text() for k in (1, 2))
    assert before.endswith("dB") and after.endswith("dB")
    x, _ = page.panes.history.data_of("compress")
    assert x is not None and len(x) > 100
    QTest.mouseClick(page.hears["compress"], Qt.MouseButton.LeftButton)
    assert window.desk.hear is Hear.RESIDUE and window.desk.taken_by == "compress"
    assert abs(window.desk.program().read(6 * 48000, 7 * 48000)).max() > 0
    page.strength.changed.emit(60.0)
    assert window.desk.picked_lane.voice_strength == 60 and page.percent.text() == "60 %"


def test_a_point_of_the_curve_is_dragged_typed_and_set_back(window, page, qtbot):
    eq = page.panes.eq
    point = eq.handle_point(next(h for h in HANDLES if h.mark == "3"))
    drag(eq, (point.x(), point.y()), (point.x() + 20, point.y() - 30))
    use = next(u for u in window.desk.picked_lane.voicing if u.name == "equalise")
    assert use.on and use.settings["bell3_db"] > 2 and use.settings["bell3_hz"] > 2600
    assert len([s for s in window.desk.document.history.done if s.title.startswith("EQ")]) == 1
    page.panes.typed["bell3_db"].setValue(-3.0)
    use = next(u for u in window.desk.picked_lane.voicing if u.name == "equalise")
    assert use.settings["bell3_db"] == -3.0
    eq.setFocus()
    QTest.keyClick(eq, Qt.Key.Key_Up)
    use = next(u for u in window.desk.picked_lane.voicing if u.name == "equalise")
    assert use.settings["bell3_db"] == -2.5
    settle(qtbot, window)


def test_starting_points_are_taken_kept_and_copied(window, page, qtbot, monkeypatch):
    page.points.activated.emit(2)
    assert on(window) == {"equalise", "expand", "deess", "compress"}
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Ines at her desk", True))
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    assert page.points.itemText(page.points.count() - 1) == "Ines at her desk"
    QTest.mouseClick(page.copy, Qt.MouseButton.LeftButton)
    first, second = window.desk.episode.lanes[:2]
    assert first.voicing == second.voicing
    settle(qtbot, window)


def test_a_voice_is_matched_to_another(window, page, qtbot):
    window.desk.pick_lane(window.desk.episode.lanes[1].id)
    settle(qtbot, window)
    window.desk.pick_lane(window.desk.episode.lanes[0].id)
    settle(qtbot, window)
    QTest.mouseClick(page.match, Qt.MouseButton.LeftButton)
    assert window.desk.document.history.done[-1].title == "Match Ines to Tobias" and "equalise" in on(window)
    settle(qtbot, window)
