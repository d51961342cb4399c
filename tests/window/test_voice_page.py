"""The Voice step in the real window: suggestions, the curve, starting points, one strength, matching."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from dubbin.core.mix.monitor import MonitorMode
from dubbin.window.shell.step import Step
from dubbin.window.voice.eq_plot import HANDLES
from tests.window.conftest import LONG_MS, drag, settle


@pytest.fixture
def page(window, qtbot):
    window.go_step(Step.VOICE)
    window.resize(1280, 800)
    settle(qtbot, window)
    return window.pages[Step.VOICE]


def on(window) -> set[str]:
    return {u.name for u in window.session.picked_lane.voice_chain if u.on}


def test_what_a_voice_asks_for_is_set_heard_measured_and_taken_back(window, page, qtbot):
    QTest.mouseClick(page.suggest, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert {"equalise", "compress"} <= on(window)
    assert page.sections["compress"].card.rows.value("highest reduction").endswith("dB")
    page.panes.show_tab("figures")
    before, after = (page.panes.figures.item(2, k).text() for k in (1, 2))
    assert before.endswith("dB") and after.endswith("dB")
    x, _ = page.panes.history.data_of("compress")
    assert x is not None and len(x) > 100
    QTest.mouseClick(page.hears["compress"], Qt.MouseButton.LeftButton)
    assert window.session.monitor.mode is MonitorMode.REMOVED and window.session.monitor.delta == "compress"
    assert abs(window.session.monitor.program().read(6 * 48000, 7 * 48000)).max() > 0
    page.strength.changed.emit(60.0)
    assert window.session.picked_lane.voice_strength == 60 and page.percent.text() == "60 %"


def test_a_suggestion_that_is_asked_for_too_early_follows_when_it_is_known(window, page, qtbot):
    said: list[str] = []
    window.session.said.connect(said.append)
    page.voices._fitted._known.clear()
    QTest.mouseClick(page.suggest, Qt.MouseButton.LeftButton)
    window.session.said.disconnect(said.append)
    assert not on(window) and len(said) == 1 and "the settings follow" in said[0]
    page.refresh()  # which looks for it
    qtbot.waitUntil(lambda: {"equalise", "compress"} <= on(window), timeout=LONG_MS)
    steps = len(window.session.document.history.done)
    settle(qtbot, window)
    page.voices.changed.emit()
    assert len(window.session.document.history.done) == steps  # once asked for, once taken


def test_a_suggestion_that_is_no_longer_awaited_is_not_taken(window, page, qtbot):
    page.voices._fitted._known.clear()
    QTest.mouseClick(page.suggest, Qt.MouseButton.LeftButton)
    window.go_step(Step.INTAKE)
    window.go_step(Step.VOICE)
    settle(qtbot, window)
    assert page.voices.suggested(window.session.picked_lane) and not on(window)


def test_a_point_of_the_curve_is_dragged_typed_and_set_back(window, page, qtbot):
    eq = page.panes.eq
    point = eq.handle_point(next(h for h in HANDLES if h.mark == "3"))
    drag(eq, (point.x(), point.y()), (point.x() + 20, point.y() - 30))
    use = next(u for u in window.session.picked_lane.voice_chain if u.name == "equalise")
    assert use.on and use.settings["bell3_db"] > 2 and use.settings["bell3_hz"] > 2600
    assert len([s for s in window.session.document.history.done if s.title.startswith("EQ")]) == 1
    page.panes.typed["bell3_db"].setValue(-3.0)
    use = next(u for u in window.session.picked_lane.voice_chain if u.name == "equalise")
    assert use.settings["bell3_db"] == -3.0
    eq.setFocus()
    QTest.keyClick(eq, Qt.Key.Key_Up)
    use = next(u for u in window.session.picked_lane.voice_chain if u.name == "equalise")
    assert use.settings["bell3_db"] == -2.5


def test_starting_points_are_taken_kept_and_copied(window, page, qtbot, monkeypatch):
    page.points.activated.emit(2)
    assert on(window) == {"equalise", "expand", "deess", "compress"}
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Ines at her session", True))
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    assert page.points.itemText(page.points.count() - 1) == "Ines at her session"
    QTest.mouseClick(page.copy, Qt.MouseButton.LeftButton)
    first, second = window.session.episode.lanes[:2]
    assert first.voice_chain == second.voice_chain


def test_a_voice_is_matched_to_another(window, page, qtbot):
    window.session.pick_lane(window.session.episode.lanes[1].id)
    settle(qtbot, window)
    window.session.pick_lane(window.session.episode.lanes[0].id)
    settle(qtbot, window)
    QTest.mouseClick(page.match, Qt.MouseButton.LeftButton)
    assert window.session.document.history.done[-1].title == "Match Ines to Tobias" and "equalise" in on(window)
