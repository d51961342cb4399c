"""Keys as hands want them: playing from anywhere, speeds, going by time and words, a cut heard before it is made, keys of one's own."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QDoubleSpinBox, QTableWidget

from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.figures import clock_seconds
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.parts.action import Need, always
from dubbin.window.player.playing import SPEEDS
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.conftest import put_down

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    yield shared_window
    shared_window.player.stop()
    shared_window.actions_by_id.set_keys({})


def focused(qtbot, widget):
    widget.setFocus()
    qtbot.waitUntil(widget.hasFocus)
    return widget


class TestPlaying:
    @pytest.mark.parametrize("kind", [QAbstractButton, QDoubleSpinBox, QTableWidget])
    def test_space_plays_and_presses_nothing_wherever_the_focus_is(self, window, qtbot, kind):
        window.go_step(Step.EDIT)
        page = window.pages[Step.EDIT]
        page.tabs.show_tab("pauses")
        home = page.evidence if kind is QTableWidget else page.card
        widget = next(w for w in home.findChildren(kind) if w.isVisible() and w.isEnabled())
        focused(qtbot, widget)
        before = window.session.episode
        QTest.keyClick(widget, Qt.Key.Key_Space)
        assert window.player.is_playing and window.session.episode is before
        QTest.keyClick(widget, Qt.Key.Key_Space)
        assert not window.player.is_playing

    def test_a_space_is_typed_in_text(self, window, qtbot):
        window.go_step(Step.EDIT)
        field = focused(qtbot, window.words_pane.field)
        field.clear()
        QTest.keyClicks(field, "a b")
        assert field.text() == "a b" and not window.player.is_playing
        field.clear()

    def test_return_presses_the_button_that_has_the_focus(self, window, qtbot):
        window.go_step(Step.EDIT)
        switch = focused(qtbot, window.pages[Step.EDIT].pauses.switch)
        QTest.keyClick(switch, Qt.Key.Key_Return)
        assert window.session.episode.pauses_on and window.session.episode.cuts

    def test_l_goes_faster_j_slower_and_then_backwards_k_stops(self, window, qtbot):
        lanes = focused(qtbot, window.lanes)
        window.navigation.go(10 * RATE)
        speeds = []
        for key in (Qt.Key.Key_L, Qt.Key.Key_L, Qt.Key.Key_J, Qt.Key.Key_J, Qt.Key.Key_J):
            QTest.keyClick(lanes, key)
            QTest.qWait(60)
            speeds.append(window.player.speed)
        assert speeds == [1.0, 1.5, 1.0, 0.5, -0.5]
        assert window.transport.speed.text() == "−0.5×"
        QTest.keyClick(lanes, Qt.Key.Key_K)
        assert not window.player.is_playing and window.transport.speed.text() == "1×"

    def test_backwards_the_head_goes_back(self, window, qtbot):
        window.navigation.go(10 * RATE)
        window.playing.shuttle(-1)
        qtbot.waitUntil(lambda: window.selection.head < 10 * RATE - RATE // 4, timeout=5000)
        window.player.stop()

    def test_the_play_speed_stays_and_the_head_goes_that_fast(self, window, qtbot):
        window.playing.set_speed(2.0)
        window.navigation.go(5 * RATE)
        window.playing.toggle()
        qtbot.waitUntil(lambda: window.selection.head > 5 * RATE + RATE, timeout=5000)
        heard = window.player.sink.played()
        gone = window.selection.head - 5 * RATE
        assert gone == pytest.approx(2 * heard, abs=0.4 * RATE)
        window.player.stop()
        assert window.playing.speed == 2.0 and window.transport.speed.text() == "2×"

    def test_speeds_end_where_nobody_can_follow(self, window):
        for direction, last in ((1, SPEEDS[-1]), (-1, SPEEDS[0])):
            for _ in range(len(SPEEDS) + 2):
                window.playing.step_speed(direction)
            assert window.playing.speed == last

    def test_one_key_compares_recorded_and_treated(self, window, qtbot):
        lanes = focused(qtbot, window.lanes)
        modes = []
        for _ in range(3):
            QTest.keyClick(lanes, Qt.Key.Key_C)
            modes.append(window.session.monitor.mode.value)
        assert modes == ["recorded", "treated", "recorded"]

    def test_a_cut_is_heard_before_it_is_made(self, window, qtbot):
        before = window.session.episode
        window.selection.select(10 * RATE, 12 * RATE)
        window.navigation.go(10 * RATE)
        window.actions_by_id["preview-cut"].run()
        qtbot.waitUntil(lambda: window.player.sink.played() > 2.3 * RATE, timeout=8000)
        heard = window.player.sink.heard()
        window.player.stop()
        assert window.session.episode is before
        window.actions_by_id["cut"].run()
        as_cut = window.session.monitor.program().read(round(8.8 * RATE), round(11 * RATE))
        assert np.allclose(heard[:, : as_cut.shape[1]], as_cut, atol=1e-5)


class TestGoing:
    @pytest.mark.parametrize(
        ("text", "seconds"),
        [
            ("75", 75.0),
            ("1:15", 75.0),
            ("1:02:03.5", 3723.5),
            (" 0:30,25 ", 30.25),
            ("1:75", None),
            ("x", None),
            ("", None),
            ("-3", None),
            ("1:2:3:4", None),
        ],
    )
    def test_times_are_read_as_people_type_them(self, text, seconds):
        assert clock_seconds(text) == seconds

    def test_five_seconds_at_a_time(self, window, qtbot):
        lanes = focused(qtbot, window.lanes)
        window.navigation.go(20 * RATE)
        QTest.keyClick(lanes, Qt.Key.Key_PageDown, SHIFT)
        assert window.selection.head == 25 * RATE
        QTest.keyClick(lanes, Qt.Key.Key_PageUp, SHIFT)
        assert window.selection.head == 20 * RATE

    @pytest.fixture
    def words(self, window):
        lane = window.session.episode.lanes[0]
        texts = ["One", "two.", "Three", "four", "five.", "Six"]
        found = tuple(Word(t, (10 + 2 * k) * RATE, (11 + 2 * k) * RATE) for k, t in enumerate(texts))
        window.session.do(set_transcript(window.session.episode, Transcript(lane.id, found)))
        return [(10 + 2 * k) * RATE + lane.start_frame for k in range(len(texts))]

    def test_words_and_sentences_are_gone_to_by_key(self, window, qtbot, words):
        lanes = focused(qtbot, window.lanes)
        window.navigation.go(0)
        heads = []
        for key, times in ((Qt.Key.Key_Right, 3), (Qt.Key.Key_Left, 1), (Qt.Key.Key_PageDown, 2), (Qt.Key.Key_PageUp, 1)):
            for _ in range(times):
                QTest.keyClick(lanes, key, CTRL)
            heads.append(words.index(window.selection.head))
        assert heads == [2, 1, 5, 2]

    def test_words_that_are_cut_are_passed_over_while_folded(self, window, words):
        window.selection.select(words[1], words[2] - RATE)
        window.actions_by_id["cut"].run()
        window.view.set_folded(True)
        window.navigation.go(words[0])
        window.actions_by_id["next-word"].run()
        assert window.selection.head == words[2]
        window.view.set_folded(False)

    def test_arrows_pages_and_ends_move_in_the_words(self, window, qtbot, words):
        window.go_step(Step.EDIT)
        window.pages[Step.EDIT].tabs.show_tab("words")
        view = focused(qtbot, window.words_pane.words)
        window.navigation.go(words[3])
        for key, row in ((Qt.Key.Key_Home, 0), (Qt.Key.Key_End, 5), (Qt.Key.Key_Left, 4), (Qt.Key.Key_Right, 5)):
            QTest.keyClick(view, key)
            assert window.selection.head == words[row], key


class TestWhatCanBeDone:
    def test_every_action_that_needs_something_says_what(self, window):
        for action in window.actions_by_id:
            assert action.enabled is always or isinstance(action.enabled, Need), action.id
            if isinstance(action.enabled, Need):
                assert action.enabled.sentence.endswith("."), action.id

    def test_while_a_menu_is_open_what_can_not_be_done_is_grey_and_says_why(self, window):
        window.selection.clear()
        menu = next(m for name, m in window.menus.menus.items() if name.value == "Edit")
        cut = window.menus.by_id["cut"]
        menu.aboutToShow.emit()
        assert not cut.isEnabled() and "Select a stretch first" in cut.toolTip()
        menu.aboutToHide.emit()
        assert cut.isEnabled(), "its key must be heard, so that it can say what is missing"

    def test_a_key_for_what_can_not_be_done_says_what_to_do(self, window, qtbot):
        window.selection.clear()
        said = []
        window.session.said.connect(said.append)
        QTest.keyClick(focused(qtbot, window.lanes), Qt.Key.Key_X)
        assert said and "Select a stretch first" in said[-1]

    def test_backspace_cuts_and_never_puts_back(self, window, qtbot):
        lanes = focused(qtbot, window.lanes)
        window.selection.select(10 * RATE, 12 * RATE)
        QTest.keyClick(lanes, Qt.Key.Key_Backspace)
        assert len(window.session.episode.cuts) == 1
        window.selection.pick_cut(window.session.episode.cuts[0])
        QTest.keyClick(lanes, Qt.Key.Key_Backspace)
        assert len(window.session.episode.cuts) == 1

    def test_no_key_is_asked_for_twice(self, window):
        seen: dict[str, str] = {}
        for action in window.actions_by_id:
            for key in action.keys:
                plain = QKeySequence(key).toString()
                assert plain not in seen, f"{key}: {seen.get(plain)} and {action.id}"
                seen[plain] = action.id
        letters = [m.title()[m.title().index("&") + 1].upper() for m in window.menus.menus.values()]
        assert len(set(letters)) == len(letters) and not {f"Alt+{letter}" for letter in letters} & set(seen)

    def test_ctrl_tab_goes_round_the_steps(self, window, qtbot):
        lanes = focused(qtbot, window.lanes)
        seen = []
        for _ in Step:
            QTest.keyClick(lanes, Qt.Key.Key_Tab, CTRL)
            seen.append(window.steps.current)
        assert seen == [*list(Step)[1:], Step.INTAKE]


class TestOwnKeys:
    def test_a_key_of_ones_own_works_at_once_and_at_the_next_start(self, window, qtbot, open_window):
        from dubbin.window.shell.keys_page import KeysPage

        page = KeysPage(window.actions_by_id)
        qtbot.addWidget(page)
        page.pick("hear-removed")
        page.key.setKeySequence(QKeySequence("Ctrl+Alt+9"))
        page.give(replace=True)
        QTest.keyClick(focused(qtbot, window.lanes), Qt.Key.Key_9, CTRL | Qt.KeyboardModifier.AltModifier)
        assert window.session.monitor.mode.value == "removed"
        assert window.actions_by_id.own_keys == {"hear-removed": ("Ctrl+Alt+9",)}

    def test_a_key_that_is_taken_is_said_and_moves(self, window, qtbot):
        from dubbin.window.shell.keys_page import KeysPage

        page = KeysPage(window.actions_by_id)
        qtbot.addWidget(page)
        page.pick("fold")
        page.key.setKeySequence(QKeySequence("X"))
        assert "Cut selection" in page.said.text()
        page.give(replace=False)
        assert window.actions_by_id["fold"].keys == ("F", "X") and "X" not in window.actions_by_id["cut"].keys
        page.pick("cut")
        page.reset()
        assert window.actions_by_id["cut"].keys[0] == "X" and window.actions_by_id["fold"].keys == ("F",)

    @pytest.mark.parametrize("key", ["Tab", "Return", "Esc"])
    def test_keys_that_every_window_needs_are_left_alone(self, window, qtbot, key):
        from dubbin.window.shell.keys_page import KeysPage

        page = KeysPage(window.actions_by_id)
        qtbot.addWidget(page)
        page.pick("fold")
        page.key.setKeySequence(QKeySequence(key))
        page.give(replace=True)
        assert window.actions_by_id["fold"].keys == ("F",)

    def test_keys_are_kept_between_uses(self, open_window, folders):
        first = open_window()
        first.preferences.set("keys", {"fold": ["Ctrl+Alt+F"]})
        second = open_window()
        assert second.actions_by_id["fold"].keys == ("Ctrl+Alt+F",)
        assert second.menus.by_id["fold"].shortcuts() == [QKeySequence("Ctrl+Alt+F")]
