"""For everybody: keyboard alone, screen readers, contrast, larger text, small windows, both themes."""

from __future__ import annotations

import re

import pytest
from PyQt6.QtCore import QEvent, QRect, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QKeyEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QSlider,
    QWidget,
)

from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.lanes.lane_heads import LaneHead
from dubbin.window.parts.plot import TEXT_COLOURS
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import DAY, NIGHT, Appearance, Colours, style_sheet, system_percent
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.conftest import put_down, settle


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    yield shared_window
    shared_window.resize(1280, 800)
    shared_window.theme.set_night(False)


def luminance(colour: str) -> float:
    """Relative luminance (WCAG 2.2)."""
    parts = [v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in QColor(colour).getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(a: str, b: str) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


class TestContrast:
    @pytest.mark.parametrize("c", [DAY, NIGHT], ids=["day", "night"])
    @pytest.mark.parametrize("text", ["ink", "muted", "saddle", "indigo", "thread_text", "fern", "brick"])
    @pytest.mark.parametrize("ground", ["paper", "card"])
    def test_text_is_read_on_what_it_stands_on(self, c: Colours, text, ground):
        assert contrast(getattr(c, text), getattr(c, ground)) >= 4.5

    @pytest.mark.parametrize("c", [DAY, NIGHT], ids=["day", "night"])
    @pytest.mark.parametrize("ground", ["saddle", "indigo", "brick"])
    def test_text_on_a_chosen_segment_or_main_button_is_read(self, c: Colours, ground):
        assert contrast(c.on_accent, getattr(c, ground)) >= 4.5

    @pytest.mark.parametrize("c", [DAY, NIGHT], ids=["day", "night"])
    @pytest.mark.parametrize("mark", ["saddle", "indigo", "fern", "brick"])
    @pytest.mark.parametrize("ground", ["paper", "card", "wash"])
    def test_what_must_be_seen_is_seen(self, c: Colours, mark, ground):
        assert contrast(getattr(c, mark), getattr(c, ground)) >= 3.0

    def test_names_at_curves_have_the_colour_of_text(self):
        for colour in ("thread", "wash", "line"):
            assert TEXT_COLOURS[colour] in ("thread_text", "muted")

    def test_no_curve_is_known_by_its_colour_alone(self, window, qtbot):
        window.go_step(Step.MASTER)
        settle(qtbot, window)
        assert {"short-term", "limiter"} <= set(window.pages[Step.MASTER].panes.plot.names_shown())
        window.go_step(Step.BALANCE)
        settle(qtbot, window)
        voices = {lane.voice for lane in window.session.episode.session_voices}
        assert voices <= set(window.pages[Step.BALANCE].evidence.plot.names_shown())

    def test_every_kind_of_field_shows_that_it_has_the_focus(self):
        sheet = style_sheet(DAY)
        for kind in ("QPushButton", "QLineEdit", "QDoubleSpinBox", "QComboBox", "QCheckBox", "QTableView"):
            assert re.search(rf"{kind}(\[[^]]*\])?:focus", sheet), kind


class TestReaders:
    def shown(self, window, kind):
        return [w for w in window.findChildren(kind) if w.isVisible()]

    @pytest.mark.parametrize("step", list(Step))
    def test_everything_that_takes_the_focus_has_a_name(self, window, qtbot, step):
        window.go_step(step)
        for widget in self.shown(window, QWidget):
            takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.isEnabled()
            if not takes or widget.objectName().startswith("qt_") or widget.parentWidget() is None:
                continue
            if isinstance(widget.parentWidget(), (QAbstractSpinBox, QComboBox)):
                continue  # the field inside speaks for it
            text = widget.text() if isinstance(widget, QAbstractButton) else ""
            label = next((x for x in window.findChildren(QLabel) if x.buddy() is widget), None)
            scrolls = type(widget).__name__ in ("QScrollArea", "QSplitterHandle")
            assert widget.accessibleName() or text or label or scrolls or widget.toolTip(), f"{type(widget).__name__} on {step}"

    def test_painted_controls_are_real_ones_to_a_screen_reader(self, window):
        window.go_step(Step.REPAIR)
        assert issubclass(MarkedSlider, QSlider) and issubclass(Switch, QCheckBox) and issubclass(LaneHead, QPushButton)
        segments = self.shown(window, Segments)
        assert segments and all(isinstance(c, QRadioButton) for s in segments for c in s.choices)
        assert all(isinstance(b, QRadioButton) for b in window.steps.buttons.values())

    def test_a_slider_tells_its_value(self, window, qtbot, theme):
        slider = MarkedSlider(theme, "Level", -12.0, 12.0, 0.5, 0.0)
        qtbot.addWidget(slider)
        slider.show_value(-3.5)
        assert (slider.minimum(), slider.maximum(), QAbstractSlider.value(slider)) == (-24, 24, -7)
        assert slider.accessibleDescription() == "−3.5"


class TestKeyboard:
    def test_tab_goes_through_the_window_and_comes_back(self, window, qtbot):
        """No trap: from anywhere, also out of a table, Tab reaches the lanes again."""
        window.go_step(Step.EDIT)
        window.pages[Step.EDIT].tabs.show_tab("pauses")
        table = window.pages[Step.EDIT].pause_list
        table.setFocus()
        qtbot.waitUntil(table.hasFocus)
        seen: list[QWidget] = []
        for _ in range(250):
            QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
            now = QApplication.focusWidget()
            seen.append(now)
            if now is table:
                break
        assert seen[-1] is table and window.lanes in seen and window.overview in seen
        assert any(isinstance(w, QPlainTextEdit | QLineEdit) for w in seen)

    def test_the_overview_is_moved_by_keys(self, window, qtbot):
        window.view.show_range(10 * RATE, 20 * RATE)
        window.overview.setFocus()
        qtbot.waitUntil(window.overview.hasFocus)
        starts = []
        for key in (Qt.Key.Key_PageDown, Qt.Key.Key_Left, Qt.Key.Key_Home, Qt.Key.Key_End):
            QTest.keyClick(window.overview, key)
            starts.append(window.view.start)
        assert starts[0] == pytest.approx(19 * RATE, abs=RATE / 10) and starts[1] < starts[0] and starts[2] == 0
        assert window.view.stop == pytest.approx(window.view.frames, abs=2 * window.view.per_pixel)

    @pytest.mark.parametrize("kind", ["button", "field", "table"])
    def test_every_action_is_reached_by_its_key_wherever_the_focus_is(self, window, qtbot, kind, monkeypatch):
        """With the focus on a button, an edit field and a table: what is a key of the field is typed there, everything else acts."""
        window.go_step(Step.EDIT)
        window.pages[Step.EDIT].tabs.show_tab("pauses" if kind == "table" else "words")
        page = window.pages[Step.EDIT]
        home = {
            "button": page.words_card.write if page.words_card.write.isVisible() else page.pauses.point.choices[0],
            "field": window.words_pane.field,
            "table": page.pause_list,
        }
        widget = home[kind]
        widget.setFocus()
        qtbot.waitUntil(widget.hasFocus)
        run: list[str] = []
        monkeypatch.setattr(window.menus, "run", lambda action: run.append(action.id))
        missed = []
        for action in window.actions_by_id:
            for key in action.keys[:1]:
                run.clear()
                if press(widget, key) and run != [action.id]:
                    missed.append((action.id, key))
        assert not missed


def press(widget: QWidget, text: str) -> bool:
    """Press a key as Qt writes it; False where it is one that the widget keeps for itself."""
    combination = QKeySequence(text)[0]
    asked = QKeyEvent(QEvent.Type.ShortcutOverride, combination.key(), combination.keyboardModifiers())
    asked.ignore()
    QApplication.sendEvent(widget, asked)
    if asked.isAccepted():
        return False
    QTest.keyClick(widget, combination.key(), combination.keyboardModifiers())
    return True


class TestRoom:
    def cut_off(self, window) -> list[str]:
        """Texts of buttons, labels and boxes that have less room than they need."""
        out = []
        for widget in window.findChildren(QWidget):
            if not widget.isVisible() or widget.window() is not window:
                continue
            if isinstance(widget, QLabel) and not widget.wordWrap() and widget.text() and widget.pixmap().isNull():
                needed = QFontMetrics(widget.font()).size(0, widget.text()).width()
            elif isinstance(widget, QPushButton) and type(widget).__name__ in ("QPushButton", "ActionButton") and widget.text():
                if widget.sizePolicy().horizontalPolicy() == widget.sizePolicy().Policy.Ignored:
                    continue
                needed = QFontMetrics(widget.font()).size(0, widget.text()).width() + 4
            elif isinstance(widget, QCheckBox) and type(widget) is QCheckBox and widget.text():
                needed = widget.minimumSizeHint().width()
            else:
                continue
            room = widget.visibleRegion().boundingRect() if not self.scrolled(widget) else QRect(0, 0, widget.width(), widget.height())
            if needed > room.width() + 1:
                out.append(f"{widget.text()!r}: {needed} > {room.width()}")
        return out

    @staticmethod
    def scrolled(widget: QWidget) -> bool:
        """Whether it is out of sight because it is scrolled away."""
        return widget.visibleRegion().isEmpty()

    @pytest.mark.parametrize("size", [(1280, 800), (1024, 640)])
    @pytest.mark.parametrize("step", list(Step))
    def test_no_text_is_cut_off(self, window, qtbot, step, size):
        window.resize(*size)
        window.go_step(step)
        QTest.qWait(30)
        assert self.cut_off(window) == []

    @pytest.fixture
    def larger(self, theme, open_window, demo):
        """A window with text half as large again."""
        theme.set_text_percent(150)
        window = open_window(demo)
        window.resize(1280, 800)
        yield window
        theme.set_text_percent(100)

    def test_no_text_is_cut_off_where_it_is_half_as_large_again(self, larger, theme):
        found = {}
        for night in (False, True):
            theme.set_night(night)
            for step in Step:
                larger.go_step(step)
                QTest.qWait(30)
                found[step.value, night] = self.cut_off(larger)
        assert not any(found.values()), found

    def test_the_welcome_page_has_room_too(self, window, qtbot):
        window.session.document.path = None
        window.resize(1024, 640)
        window.files.new()
        QTest.qWait(30)
        assert window.welcome.isVisible() and self.cut_off(window) == []


class TestTheme:
    @pytest.mark.parametrize(
        ("points", "percent"), [(-1.0, 100), (9.0, 100), (11.0, 100), (12.0, 110), (14.0, 125), (17.0, 150), (40.0, 200)]
    )
    def test_text_is_as_large_as_the_systems(self, points, percent):
        assert system_percent(points) == percent

    def test_a_theme_is_chosen_or_the_systems(self, window):
        window.theme.follow(Appearance.DARK)
        assert window.theme.colours is NIGHT
        window.theme.follow(Appearance.LIGHT)
        assert window.theme.colours is DAY
        window.actions_by_id["night"].run()
        assert window.theme.colours is NIGHT and window.preferences.get("appearance", "") == "dark"
        window.actions_by_id["night"].run()
        assert window.preferences.get("appearance", "") == "light"
