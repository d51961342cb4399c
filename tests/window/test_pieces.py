"""Small pieces of the window on their own: figures that are typed, rows that wrap, names at curves, words under the waves, what is suggested."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QValidator
from PyQt6.QtTest import QTest

from dubbin.core.card.entry import BalancePart, BalanceSwitch, CardStep, CutSwitch, Entry, RepairSwitch
from dubbin.core.episode.commands.lanes import remove_lane
from dubbin.core.episode.commands.treatments import find_use, set_repairs
from dubbin.core.episode.model import CutKind, Lane
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.figures import clock, clock_seconds
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.core.speech.word_table import WordTable
from dubbin.window.lanes.words_strip import words_to_show
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.parts.figure_box import FigureBox
from dubbin.window.parts.plot import Plot
from dubbin.window.parts.segments import Segments
from dubbin.window.repair.suggesting import Suggesting
from dubbin.window.words.words_view import empty_text

RATE = 48000


class TestFigures:
    @given(value=st.floats(-90, 90), digits=st.integers(0, 2))
    def test_what_is_shown_is_what_is_read_back(self, qapp, value, digits):
        box = FigureBox()
        box.setDecimals(digits)
        box.setRange(-100, 100)
        box.setSuffix(" dB")
        text = box.textFromValue(round(value, digits))
        assert "-" not in text and box.valueFromText(f"{text} dB") == pytest.approx(round(value, digits))
        assert box.validate(f"{text} dB", 0)[0] == QValidator.State.Acceptable

    @pytest.mark.parametrize(("typed", "value"), [("-3,5", -3.5), ("−3.5 dB", -3.5), ("7", 7.0), (" 2.25 ", 2.25)])
    def test_hyphen_minus_point_and_comma_all_do(self, qtbot, typed, value):
        box = FigureBox()
        qtbot.addWidget(box)
        box.setRange(-10, 10)
        box.setSuffix(" dB")
        assert box.validate(typed, 0)[0] == QValidator.State.Acceptable and box.valueFromText(typed) == value

    @pytest.mark.parametrize(("typed", "state"), [("x", "Invalid"), ("", "Intermediate"), ("-", "Intermediate"), ("99", "Intermediate")])
    def test_what_is_no_figure_is_not_taken(self, qtbot, typed, state):
        box = FigureBox()
        qtbot.addWidget(box)
        box.setRange(-10, 10)
        box.setValue(4)
        assert box.validate(typed, 0)[0] == QValidator.State[state]
        assert typed != "x" or box.valueFromText(typed) == 4

    @given(st.integers(0, 10 * 3600))
    def test_a_time_that_is_shown_can_be_typed(self, seconds):
        assert clock_seconds(clock(seconds)) == seconds


class TestSegments:
    CHOICES = tuple((name, name.title(), "") for name in ("words", "pauses", "fillers", "retakes"))

    def test_a_row_that_has_no_room_becomes_two_and_nothing_is_cut_off(self, qtbot, theme):
        row = Segments(theme, "Lists", self.CHOICES, {})
        qtbot.addWidget(row)
        one = row.sizeHint()
        assert row.heightForWidth(one.width()) == one.height() and row.heightForWidth(one.width() // 2 + 20) == 2 * one.height()
        row.resize(one.width() // 2 + 20, 2 * one.height())
        row.show()
        places = [c.geometry() for c in row.choices]
        assert {g.y() for g in places} == {0, one.height()} and all(row.rect().contains(g) for g in places)
        assert not any(a.intersects(b) for k, a in enumerate(places) for b in places[k + 1 :])
        chosen = []
        row.chosen.connect(chosen.append)
        QTest.mouseClick(row.choices[3], Qt.MouseButton.LeftButton)
        assert chosen == ["retakes"] and row.choices[3].isChecked() and not row.choices[0].isChecked()


@pytest.mark.parametrize(
    ("fraction", "has_lanes", "said"),
    [
        (0.426, True, "Transcribing …  43 %"),
        (0.0, False, "Transcribing …  0 %"),
        (None, False, "Add recordings"),
        (None, True, "No words yet"),
    ],
)
def test_where_there_are_no_words_stands_why_and_what_to_do(fraction, has_lanes, said):
    assert empty_text(fraction, has_lanes).startswith(said)


class TestPlots:
    def test_names_stand_at_their_curves_and_go_with_them(self, qtbot, theme):
        plot = Plot(theme, "Loudness", "time", "LUFS")
        qtbot.addWidget(plot)
        for name in ("a", "b"):
            plot.curve(name, "saddle")
            plot.name_curve(name, name.upper())
        plot.set_range((0.0, 100.0), (-50.0, 0.0))
        assert plot.names_shown() == []
        plot.show_curve("a", np.arange(101.0), np.full(101, -20.0))
        plot.show_curve("b", np.array([0.0, 100.0]), np.array([-10.0, -10.0]))
        assert plot.names_shown() == ["A", "B"]
        (first, _), (second, _) = plot._names.values()
        assert first.pos().y() == -20.0 and second.pos().y() == -10.0, "a line of two points is straight between them"
        assert first.pos().x() != second.pos().x()
        plot.hide_curve("a")
        assert plot.names_shown() == ["B"]

    def test_names_are_read_on_what_they_stand_on_by_day_and_by_night(self, qtbot, theme):
        plot = Plot(theme, "Loudness", "time", "LUFS")
        qtbot.addWidget(plot)
        plot.resize(400, 300)
        plot.curve("a", "indigo")
        plot.name_curve("a", "WWWWWWWW")
        plot.set_range((0.0, 100.0), (-50.0, 0.0))
        plot.show_curve("a", np.arange(101.0), np.full(101, -25.0))
        ((item, _),) = plot._names.values()
        plot.show()
        qtbot.waitExposed(plot)
        try:
            for night in (True, False):
                theme.set_night(night)
                QTest.qWait(20)
                seen = plot.viewport().grab(plot.mapFromScene(item.sceneBoundingRect().adjusted(2, 2, -2, -4)).boundingRect()).toImage()
                lights = [seen.pixelColor(x, y).lightness() for x in range(seen.width()) for y in range(seen.height())]
                ground = sorted(lights)[len(lights) // 2]
                assert abs(ground - theme.colours.q("card").lightness()) < 20, night
                assert max(abs(light - ground) for light in lights) > 60, "the text stands out"
        finally:
            theme.set_night(False)


class TestWordsUnderWaves:
    class View:
        start, width = 0.0, 800
        map = TimeMap([(0, 60 * RATE)])

        def __init__(self, seconds: float) -> None:
            self.per_pixel = seconds * RATE / self.width
            self.stop = seconds * RATE

        def x_of_display(self, frame: float) -> float:
            return (frame - self.start) / self.per_pixel

    def words(self, each_s: float) -> tuple[WordTable, Lane]:
        found = tuple(
            Word(f"word{k}", round(k * each_s * RATE), round((k * each_s + each_s * 0.9) * RATE)) for k in range(round(20 / each_s))
        )
        return WordTable([(Transcript("a", found), 0, "Ines")]), Lane("a", "r", (0,), "Ines")

    def test_slow_words_are_all_there_and_none_lies_over_another(self, qapp):
        table, lane = self.words(1.0)
        shown = words_to_show(self.View(6.0), table, lane, RATE)
        assert [w.text for w in shown][:6] == [f"word{k}" for k in range(6)]
        assert all(b.x - a.x > 40 for a, b in itertools.pairwise(shown))

    def test_words_without_room_are_absent_and_not_cut_short(self, qapp):
        table, lane = self.words(0.15)
        assert words_to_show(self.View(12.0), table, lane, RATE) == []
        assert words_to_show(self.View(60.0), table, lane, RATE) == []

    def test_another_lane_has_none_of_them(self, qapp):
        table, _ = self.words(1.0)
        assert words_to_show(self.View(6.0), table, Lane("b", "r", (0,), "Tobias"), RATE) == []


def test_return_ticks_a_row_and_does_what_a_click_does_where_there_is_no_box(qtbot):
    table, ticked, gone_to = ActiveTable("Pauses", ("Cut", "At")), [], []
    qtbot.addWidget(table)
    table.on_ticked, table.on_row = (lambda row, on: ticked.append((row, on))), gone_to.append
    table.fill([(True, "0:01"), (None, "0:02")], ticks=True)
    table.setCurrentCell(0, 0)
    QTest.keyClick(table, Qt.Key.Key_Return)
    QTest.keyClick(table, Qt.Key.Key_Return)
    table.setCurrentCell(1, 0)
    QTest.keyClick(table, Qt.Key.Key_Return)
    assert ticked == [(0, False), (0, True)] and gone_to[-1] == 1


class TestSuggesting:
    @pytest.fixture
    def on_repair(self, window):
        return window, window.pages[list(window.pages)[1]].suggesting

    def test_all_that_is_suggested_is_one_step_and_nothing_is_left(self, on_repair):
        window, suggesting = on_repair
        before, wanted = window.session.episode, {lane.id: suggesting.missing(lane) for lane in suggesting.lanes()}
        assert any(wanted.values())
        window.actions_by_id["repair-all"].run()
        for lane_id, found in wanted.items():
            for name, strength in found.items():
                use = find_use(window.session.episode.lane(lane_id), name)
                assert use.on and use.strength == strength
        assert not window.actions_by_id["repair-all"].enabled()
        window.actions_by_id["undo"].run()
        assert window.session.episode == before

    def test_what_somebody_has_on_is_left_as_it_is(self, on_repair):
        window, suggesting = on_repair
        lane = next(lane for lane in suggesting.lanes() if suggesting.missing(lane))
        name = next(iter(suggesting.missing(lane)))
        window.session.do(set_repairs(window.session.episode, {lane.id: {name: 12}}, "Mine"))
        window.actions_by_id["repair-all"].run()
        assert find_use(window.session.episode.lane(lane.id), name).strength == 12

    @pytest.mark.parametrize(("changed", "held"), [(False, 40), (True, 77)])
    def test_a_strength_is_held_back_to_what_the_voice_allows_unless_somebody_changed_it(self, window, monkeypatch, changed, held):
        session = window.session
        lane = session.episode.lanes[0]
        suggesting = Suggesting(session)
        guard = type("Guard", (), {"highest_strength": 0.4})()
        monkeypatch.setattr(session.analyses, "guard", lambda *_: None)
        monkeypatch.setattr(suggesting, "missing", lambda _: {"denoise": 90})
        suggesting.repair([lane])
        assert find_use(session.episode.lane(lane.id), "denoise").strength == 90
        if changed:
            session.do(set_repairs(session.episode, {lane.id: {"denoise": 77}}, "Mine"))
        monkeypatch.setattr(session.analyses, "guard", lambda *_: guard)
        suggesting._hold_back()
        assert find_use(session.episode.lane(lane.id), "denoise").strength == held


def test_the_list_of_what_the_card_did_comes_back_without_lanes_that_are_gone(open_window, little):
    window = open_window(little)
    first, second = window.session.episode.lanes
    entries = (
        Entry(CardStep.REPAIR, "Noise 50 % · host", RepairSwitch(first.id, "denoise")),
        Entry(CardStep.BALANCE, "Levelling · guest", BalanceSwitch(second.id, BalancePart.LEVELLING)),
        Entry(CardStep.EDIT, "No pauses", CutSwitch(CutKind.PAUSE, ())),
    )
    window.card_run._entries = entries
    window.card_run._keep()
    window.session.do(remove_lane(window.session.episode, second.id))
    window.session.document.save()
    window.shut_down()
    again = open_window(little)
    again.actions_by_id["run-card"].run()
    assert [e.title for e in again.card_run.entries] == ["Noise 50 % · host", "No pauses"]
    assert len(again.card_sheet.entry_rows) == 2 and again.card_run.place(entries[2]) is None
    start, end = again.card_run.place(entries[0])
    assert 0 <= start < end
    again.card_sheet.again.click()
    assert again.card_run.entries == () and again.card_sheet.start.isVisible()
