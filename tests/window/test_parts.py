"""The small widgets, acted upon as a person would."""

from __future__ import annotations

import gc
import itertools
import re
import threading
import weakref
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QIcon
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog, QLabel, QMainWindow, QWidget
from pyqtgraph import PlotCurveItem

from dubbin.core.figures import clock, number, span_text, with_unit
from dubbin.core.treat.compressor import CompressorSettings
from dubbin.window.parts import collector as collector_module
from dubbin.window.parts import icons
from dubbin.window.parts.action import Action, Menu
from dubbin.window.parts.card import TreatmentCard, label
from dubbin.window.parts.collector import MOST_PUT_OFF, Collector
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.plot import MOST_POINTS, Plot, thinned
from dubbin.window.parts.ruler import SMALLEST_GAP_PX, digits_for, tick_step_s
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import DAY, NIGHT, Colours, style_sheet
from dubbin.window.shell.command_search import CommandSearch
from dubbin.window.shell.shortcut_sheet import ShortcutSheet
from tests.window.conftest import drag


@pytest.fixture
def slider(qtbot, theme):
    widget = MarkedSlider(theme, "Strength")
    qtbot.addWidget(widget)
    widget.resize(216, 22)
    widget.show()
    widget.show_value(50, mark=80)
    return widget


class TestSlider:
    def test_a_drag_reports_changing_often_and_changed_once(self, slider):
        changing, changed = [], []
        slider.changing.connect(changing.append)
        slider.changed.connect(changed.append)
        drag(slider, (108, 11), (158, 11))
        assert changed == [75] and len(changing) > 2 and changing == sorted(changing)

    def test_escape_during_a_drag_restores(self, slider):
        changed, given_up = [], []
        slider.changed.connect(changed.append)
        slider.given_up.connect(lambda: given_up.append(True))
        QTest.mousePress(slider, Qt.MouseButton.LeftButton, pos=QPoint(30, 11))
        QTest.keyClick(slider, Qt.Key.Key_Escape)
        QTest.mouseRelease(slider, Qt.MouseButton.LeftButton, pos=QPoint(30, 11))
        assert slider.figure == 50 and given_up and not changed

    @pytest.mark.parametrize(
        ("key", "value"),
        [("Right", 51), ("Left", 49), ("Up", 51), ("Down", 49), ("PageUp", 60), ("PageDown", 40), ("Home", 0), ("End", 100)],
    )
    def test_keys_move_it(self, slider, key, value):
        changed = []
        slider.changed.connect(changed.append)
        QTest.keyClick(slider, getattr(Qt.Key, f"Key_{key}"))
        assert changed == [value]

    def test_it_stops_at_its_ends(self, slider):
        slider.show_value(100)
        QTest.keyClick(slider, Qt.Key.Key_PageUp)
        assert slider.figure == 100

    @pytest.mark.parametrize(("value", "end"), [(1e300, 100), (-(2**53), 0), (130, 100)])
    def test_what_a_file_holds_beyond_its_ends_is_shown_at_the_end_and_left_as_it_is(self, slider, value, end):
        changed = []
        slider.changed.connect(changed.append)
        slider.show_value(value, mark=value)
        slider.grab()
        assert slider.value() == end and slider.figure == value and not changed

    def test_double_click_goes_to_the_mark(self, slider):
        QTest.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(20, 11))
        assert slider.figure == 80


def test_a_switch_goes_by_click_and_by_space_and_is_set_in_silence(qtbot, theme):
    switch, said = Switch(theme, "Noise on or off"), []
    qtbot.addWidget(switch)
    switch.toggled.connect(said.append)
    QTest.mouseClick(switch, Qt.MouseButton.LeftButton)
    QTest.keyClick(switch, Qt.Key.Key_Space)
    switch.show_state(True)
    assert said == [True, False] and switch.isChecked()


def test_segments_choose_by_click_and_arrows(qtbot, theme):
    row = Segments(theme, "Hear", [("a", "First", "Q"), ("b", "Second", "W"), ("c", "Third", "")], {})
    qtbot.addWidget(row)
    row.resize(row.sizeHint())
    chosen = []
    row.chosen.connect(chosen.append)
    row.show()
    QTest.mouseClick(row.choices[2], Qt.MouseButton.LeftButton)
    for k in (2, 1):
        QTest.keyClick(row.choices[k], Qt.Key.Key_Left)
    assert chosen == ["c", "b", "a"] and row.current == "a"
    row.show_choice("c")
    assert chosen == ["c", "b", "a"]


class TestForms:
    def test_a_form_is_made_from_the_settings_and_tells_what_was_edited(self, qtbot):
        form, edited = SettingsForm(CompressorSettings), []
        qtbot.addWidget(form)
        form.edited.connect(lambda name, value: edited.append((name, value)))
        form.show_settings(CompressorSettings(ratio=4.0))
        assert not edited and form.fields["ratio"].value() == 4.0
        form.fields["threshold_db"].setValue(-30.0)
        assert edited == [("threshold_db", -30.0)]

    def test_fields_keep_to_their_range_and_show_their_unit(self, qtbot):
        form = SettingsForm(CompressorSettings)
        qtbot.addWidget(form)
        field = form.fields["attack_ms"]
        field.setValue(1e9)
        assert field.value() == field.info.high and field.text().endswith(" ms") and field.toolTip()


class TestCards:
    def test_a_card_that_is_off_hides_its_slider(self, qtbot, theme):
        card = TreatmentCard(theme, "Noise")
        qtbot.addWidget(card)
        card.show()
        card.show_state(False, 90)
        assert not card.slider.isVisible() and card.percent.text() == "off"
        card.show_state(True, 90, 80)
        assert card.slider.isVisible() and card.percent.text() == "90 %" and card.slider.figure == 90

    def test_text_from_files_is_shown_as_it_stands(self, qtbot):
        shown = label("<b>x</b><img src=y>")
        qtbot.addWidget(shown)
        assert shown.textFormat() is Qt.TextFormat.PlainText


class TestSearch:
    def actions(self, done: list[str]) -> list[Action]:
        return [
            Action("cut", Menu.EDIT, "cuts", "Cut selection", ("X",), lambda: done.append("cut")),
            Action("play", Menu.PLAY, "play", "Play or stop", ("Space",), lambda: done.append("play")),
            Action("never", Menu.EDIT, "cuts", "Not now", (), lambda: done.append("never"), lambda: False),
        ]

    def test_typing_and_enter_does_what_was_found(self, qtbot):
        done: list[str] = []
        dialog = CommandSearch(self.actions(done))
        qtbot.addWidget(dialog)
        QTest.keyClicks(dialog.field, "sto pl")
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        assert done == ["play"]

    def test_arrows_choose_and_what_is_disabled_is_not_done(self, qtbot):
        done: list[str] = []
        dialog = CommandSearch(self.actions(done))
        qtbot.addWidget(dialog)
        QTest.keyClick(dialog.field, Qt.Key.Key_Down)
        QTest.keyClick(dialog.field, Qt.Key.Key_Down)
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        assert not done
        QTest.keyClick(dialog.field, Qt.Key.Key_Up)
        QTest.keyClick(dialog.field, Qt.Key.Key_Up)
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        assert done == ["cut"]

    def test_the_sheet_of_shortcuts_holds_every_key(self, qtbot):
        sheet = ShortcutSheet(self.actions([]))
        qtbot.addWidget(sheet)
        texts = {found.text() for found in sheet.findChildren(QLabel)}
        assert {"X", "Space", "Cut selection"} <= texts


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        (number(-3.04), "−3.0"), (number(-0.01), "0.0"), (number(None), "–"), (with_unit(1.26, "dB"), "1.3 dB"),
        (clock(0), "0:00"), (clock(59.99), "1:00"), (clock(59.999, 2), "1:00.00"), (clock(3725.5, 1), "1:02:05.5"),
        (clock(-1), "0:00"), (span_text(0.421), "0.42 s"), (span_text(12.34), "12.3 s"), (span_text(192), "3:12"),
    ],
)  # fmt: skip
def test_figures_read_as_people_write_them(text, expected):
    assert text == expected


@pytest.mark.parametrize("seconds_per_pixel", [1e-5, 1e-3, 0.01, 0.3, 4.0])
def test_ruler_labels_never_touch(seconds_per_pixel):
    step = tick_step_s(seconds_per_pixel)
    assert step / seconds_per_pixel >= SMALLEST_GAP_PX
    assert step * 10 ** digits_for(step) == pytest.approx(round(step * 10 ** digits_for(step)))


def luminance(colour: str) -> float:
    parts = [c / 255 for c in QColor(colour).getRgb()[:3]]
    r, g, b = (p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("colours", [DAY, NIGHT], ids=["day", "night"])
@pytest.mark.parametrize("ground", ["paper", "card"])
def test_every_text_colour_has_a_contrast_of_four_and_a_half(colours: Colours, ground):
    """WCAG 2.2, success criterion 1.4.3."""
    for name in ("ink", "muted", "saddle", "indigo", "thread_text", "fern", "brick"):
        assert contrast(getattr(colours, name), getattr(colours, ground)) >= 4.5, name


@pytest.mark.parametrize("colours", [DAY, NIGHT], ids=["day", "night"])
def test_text_on_accents_can_be_read(colours: Colours):
    for name in ("saddle", "indigo", "brick"):
        assert contrast(colours.on_accent, getattr(colours, name)) >= 4.5, name


def test_no_two_icons_look_alike():
    names = [n.removeprefix("_draw_") for n in dir(icons) if n.startswith("_draw_")]
    images = {n: icons.icon(n, QColor("black")).pixmap(20).toImage() for n in names}
    for a, b in itertools.combinations(names, 2):
        assert images[a] != images[b], (a, b)


@pytest.mark.parametrize("colours", [DAY, NIGHT], ids=["day", "night"])
def test_every_picture_that_the_style_names_is_there_and_can_be_drawn(qapp, colours: Colours):
    named = re.findall(r"url\(([^)]+)\)", style_sheet(colours))
    assert named
    for path in named:
        assert Path(path).is_file() and not QIcon(path).pixmap(16).isNull(), path


# -- plots ------------------------------------------------------------------------------


def test_gaps_in_a_curve_stay_gaps():
    y = np.sin(np.arange(10_000) / 50)
    y[3000:5000] = np.nan
    a, b = thinned(np.arange(10_000.0), y, 1000)
    inside = (a >= 3000) & (a < 5000)
    assert inside.any() and np.isnan(b[inside]).all() and not np.isnan(b[~inside]).any()


def test_a_plot_draws_no_more_points_than_it_can_show(theme, qtbot):
    plot = Plot(theme, "Loudness", "minutes", "LUFS")
    qtbot.addWidget(plot)
    plot.curve("loudness", "ink")
    plot.show_curve("loudness", np.arange(180_000.0), np.zeros(180_000))
    x, _ = plot.data_of("loudness")
    assert x is not None and len(x) <= MOST_POINTS + 2 and x[0] == 0 and x[-1] > 179_700


@pytest.mark.parametrize(("points", "again"), [(50, True), (20_000, False)])
def test_a_curve_of_many_points_is_painted_once_however_often_its_plot_is(theme, qtbot, monkeypatch, points, again):
    holder, plot, painted = QWidget(), Plot(theme, "Loudness", "minutes", "LUFS"), []
    qtbot.addWidget(holder)
    plot.setParent(holder)
    plot.curve("loudness", "saddle")
    plot.resize(300, 200)
    paint = PlotCurveItem.paint
    monkeypatch.setattr(PlotCurveItem, "paint", lambda *a: painted.append(1) or paint(*a))
    holder.show()
    plot.show_curve("loudness", np.arange(float(points)), np.sin(np.arange(points)))
    first = plot.grab().toImage()
    painted.clear()
    assert plot.grab().toImage() == first and bool(painted) is again
    plot.show_curve("loudness", np.arange(float(points)), np.zeros(points))
    assert plot.grab().toImage() != first, "and anew where it is another"


class TestDressing:
    @staticmethod
    def ground(widget: QWidget) -> str:
        return widget.grab().toImage().pixelColor(2, 2).name().upper()

    def test_a_window_and_what_belongs_to_it_have_the_colours_there_are(self, theme, qtbot):
        window = QMainWindow()
        qtbot.addWidget(window)
        dialog = QDialog(window)
        theme.dress(window)
        later = QDialog(window)
        try:
            for night, colours in ((False, DAY), (True, NIGHT)):
                theme.set_night(night)
                assert [self.ground(w) for w in (window, dialog, later)] == [colours.paper] * 3
        finally:
            theme.set_night(False)


class TestCollector:
    class Knot:
        """Part of a circle, so that only the collector finds that nobody needs it."""

        def __init__(self) -> None:
            self.itself = self

    def test_what_nobody_needs_goes_on_the_windows_thread(self, qtbot, monkeypatch):
        before = gc.get_threshold()
        gone: list[int] = []
        try:
            gc.set_threshold(50, 5, 5)

            def litter():
                for _ in range(1000):
                    weakref.finalize(self.Knot(), lambda: gone.append(threading.get_ident()))

            working = threading.Thread(target=litter)
            working.start()
            working.join()
            assert not gone, "the thread that works takes nothing apart"
            qtbot.waitUntil(lambda: len(gone) == 1000, timeout=5000)
            assert set(gone) == {threading.get_ident()}
        finally:
            gc.set_threshold(*before)

    @pytest.fixture
    def looks(self, qtbot, monkeypatch):
        """How often a collector of its own looks, asked at times that are told."""
        collector, times = Collector(), iter(())
        collector._timer.stop()
        made: list[float] = []
        monkeypatch.setattr(collector, "look", lambda: made.append(0.0))

        def ask(*late_s: float) -> int:
            nonlocal times
            times = iter(late_s)
            monkeypatch.setattr(collector_module, "time", SimpleNamespace(monotonic=lambda: collector._due + next(times)))
            made.clear()
            for _ in late_s:
                collector._on_time()
            return len(made)

        yield ask
        gc.disable()  # that of the module goes on

    def test_it_waits_where_the_window_has_just_been_held(self, looks):
        assert looks(0.0, 0.2, 0.001, 0.05, -0.1) == 3

    def test_it_does_not_wait_for_ever(self, looks):
        assert looks(*[0.1] * MOST_PUT_OFF) == 0
        assert looks(0.1) == 1
        assert looks(*[0.1] * MOST_PUT_OFF) == 0
