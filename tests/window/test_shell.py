"""The frame round the steps: welcome, what is remembered, preferences, backups, drops, the guide, the tour."""

from __future__ import annotations

import json
import re

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QPushButton

from dubbin import guide
from dubbin.core.deliver.own_targets import own_targets
from dubbin.core.episode.commands.delivery import set_title
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.errors import CannotWrite
from dubbin.window.master.targets_dialog import TargetsDialog
from dubbin.window.parts.card import Card, HelpButton
from dubbin.window.shell.recovery import RecoveryDialog
from dubbin.window.shell.step import Step
from dubbin.window.shell.tour import SENTENCES
from tests.conftest import RATE
from tests.window.conftest import settle

LABELS = re.compile(r"<[^>]+>")


def pressed(window, caption: str) -> None:
    row = window.notices.buttons  # what was there before is still a child for a moment
    next(b for k in range(row.count()) if (b := row.itemAt(k).widget()).text() == caption).click()


def dropped(window, *paths) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    actions, left = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    window.dropEvent(QDropEvent(QPointF(5, 5), actions, data, left, Qt.KeyboardModifier.NoModifier))
    QApplication.processEvents()  # the drop itself ends before what came is looked at


@pytest.fixture
def window(little_window):
    return little_window


class TestWelcome:
    def test_episodes_that_were_open_are_listed_the_latest_first_and_open_by_a_click(self, open_window, little, qtbot):
        other = little.with_name("other.dubbin")
        other.write_bytes(little.read_bytes())
        window = open_window(little)
        window.files.open(other)
        window.files.new()
        settle(qtbot, window)
        rows = [b for b in window.welcome.findChildren(QPushButton) if b.property("kind") == "row"]
        assert [r.text().split()[0] for r in rows] == ["other", little.stem]
        rows[1].click()
        assert window.session.document.path == little and window.lanes.isVisible()
        assert [text for text, _ in window.actions_by_id["open-recent"].submenu()] == [little.stem, "other"]

    def test_what_is_gone_is_not_offered(self, open_window, little):
        window = open_window(little)
        window.files.new()
        little.unlink()
        assert window.files.recent.paths() == []


class TestMemory:
    def test_step_place_and_sizes_come_back(self, open_window, little, qtbot):
        first = open_window(little)
        first.resize(1024, 760)
        first.go_step(Step.REPAIR)
        first.places.rows.setSizes([300, 260])
        first.places.rows.splitterMoved.emit(300, 1)
        kept = first.places.rows.sizes()
        first.view.show_range(10 * RATE, 20 * RATE)
        first.navigation.go(12 * RATE)
        first.shut_down()
        again = open_window(little)
        assert (again.width(), again.height()) == (1024, 760) and again.steps.current is Step.REPAIR
        assert again.selection.head == 12 * RATE and again.view.start == pytest.approx(10 * RATE, abs=again.view.per_pixel)
        assert again.places.rows.sizes() == pytest.approx(kept, abs=4)

    @pytest.mark.parametrize(
        "value",
        [
            {
                "places": {"x": 3}, "sizes": {"Edit": "wide"}, "window": "zz", "recent": [3, None], "keys": {"fold": 3, "cut": [None], "gone": ["X"]},
                "play_speed": 99.0, "custom_pauses": {"keep_s": "long"},
            },
            {"places": [], "sizes": 3, "window": None, "recent": {}, "keys": [], "play_speed": "fast", "custom_pauses": []},
        ],
    )  # fmt: skip
    def test_preferences_that_make_no_sense_are_no_reason_to_stop(self, open_window, little, folders, value):
        folders.state.mkdir(parents=True, exist_ok=True)
        (folders.state / "preferences.json").write_text(json.dumps(value))
        assert open_window(little).session.episode.lanes


class TestPreferences:
    @pytest.fixture
    def dialog(self, open_window, monkeypatch):
        from dubbin.window.shell.preferences_dialog import PreferencesDialog

        window = open_window(cold=True)  # one of the tests clears the cache
        made = []
        monkeypatch.setattr(PreferencesDialog, "exec", lambda self: made.append(self))
        window.actions_by_id["preferences"].run()
        return window, made[0]

    def test_what_is_chosen_is_kept(self, dialog):
        window, preferences = dialog
        preferences.theme_choice.setCurrentIndex(2)
        preferences.theme_choice.activated.emit(2)
        assert window.theme.colours.dark and window.preferences.get("appearance", "") == "dark"
        preferences.text_size.setCurrentIndex(4)
        preferences.text_size.activated.emit(4)
        preferences.autosave.setValue(5)
        preferences.backups.setValue(3)
        preferences.cache_size.setValue(7)
        found = [window.preferences.get(name, 0) for name in ("text_percent", "autosave_minutes", "backups", "cache_gb")]
        assert found == [150, 5, 3, 7]
        preferences.theme_choice.setCurrentIndex(1)
        preferences.theme_choice.activated.emit(1)

    def test_the_tone_is_played_and_a_missing_device_said(self, dialog):
        window, preferences = dialog
        preferences.tone.click()
        heard = window.player.sink.heard()
        assert heard.shape == (2, RATE) and abs(heard).max() == pytest.approx(0.1, rel=0.02)
        preferences.device.activated.emit(0)
        assert window.preferences.get("sound_device", "x") == ""

    def test_the_cache_is_cleared_and_moved(self, dialog, tmp_path):
        window, preferences = dialog
        old = window.session.folders.tiles / "stage"
        old.mkdir(parents=True)
        (old / "tile").write_bytes(b"x")
        preferences.clear_cache()
        assert not old.exists() and "empty" in preferences.cache_said.text()
        preferences.set_cache(tmp_path)
        with pytest.raises(CannotWrite, match="does not exist"):
            preferences.set_cache(tmp_path / "gone")
        assert window.preferences.get("cache_folder", "") == str(tmp_path / "dubbin-cache")


class TestFiles:
    def test_what_was_saved_before_is_kept_and_opened_as_a_copy(self, window, little, monkeypatch, qtbot):
        for title in ("One", "Two"):
            window.session.do(set_title(window.session.episode, title))
            assert window.files.save_now()
        monkeypatch.setattr(QInputDialog, "getItem", lambda *a: (a[3][0], True))
        window.actions_by_id["open-backup"].run()
        assert window.session.episode.title == "One" and window.session.document.path is None
        assert load_episode(little).title == "Two"

    def test_an_episode_saves_itself_where_that_is_wanted(self, open_window, little):
        window = open_window(little)
        window.session.do(set_title(window.session.episode, "By itself"))
        window.autosave.count_minute()
        assert window.session.document.has_changes
        window.preferences.set("autosave_minutes", 1)
        window.autosave.count_minute()
        assert window.files.saver.wait() and load_episode(little).title == "By itself"

    def test_transcripts_recipes_and_covers_are_dropped_too(self, window, tmp_path, qtbot):
        from PIL import Image

        (tmp_path / "words.srt").write_text("1\n00:00:05,000 --> 00:00:07,000\nWelcome aboard\n")
        Image.new("RGB", (1400, 1400)).save(tmp_path / "cover.png")
        dropped(window, tmp_path / "words.srt", tmp_path / "cover.png")
        settle(qtbot, window)
        assert window.session.episode.transcripts and window.session.episode.delivery.cover.endswith("cover.png")
        (tmp_path / "bad.json").write_text("{")
        dropped(window, tmp_path / "bad.json")
        assert "not a recipe" in window.notices.text.text()

    def test_what_goes_with_recordings_says_so_where_there_are_none(self, empty_window, tmp_path):
        window = empty_window
        (tmp_path / "words.srt").write_text("")
        dropped(window, tmp_path / "words.srt")
        assert "add these first" in window.notices.text.text()

    def test_made_files_are_one_click_away(self, window, monkeypatch, tmp_path):
        from dubbin.window.session import made_files

        opened = []
        monkeypatch.setattr(made_files.QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()) or True)
        made_files.say_made(window.session, "3 masters made.", tmp_path)
        pressed(window, "Open the folder")
        assert opened == [str(tmp_path)]
        monkeypatch.setattr(made_files.QDesktopServices, "openUrl", lambda url: False)
        made_files.open_folder(window.session, tmp_path)
        assert "No file manager" in window.notices.text.text()

    def test_several_crashed_episodes_are_listed_and_none_is_lost(self, open_window, little, folders, qtbot, monkeypatch):
        for name in ("one", "two"):
            copy = little.with_name(f"{name}.dubbin")
            copy.write_text(little.read_text().replace('"id": "', f'"id": "{name}', 1))
            window = open_window(copy)
            window.session.do(set_title(window.session.episode, name))
            window.session.document._journal._file.sync()
            journal = window.session.document._journal.path
            kept = journal.read_bytes()
            window.shut_down()
            journal.write_bytes(kept)
        assert len(left_over(folders.journals)) == 2
        window = open_window()
        window.files.offer_left_over()
        assert "2 episodes" in window.notices.text.text()
        dialog = RecoveryDialog(folders.journals, window.files.recover, window)
        qtbot.addWidget(dialog)
        taken = [b for b in dialog.findChildren(QPushButton) if b.text() == "Recover"]
        assert len(taken) == 2
        taken[0].click()
        assert window.session.episode.title in ("one", "two") and len(left_over(folders.journals)) == 1


class TestTargets:
    def test_a_target_of_ones_own_is_made_from_another_and_offered(self, open_window, little, monkeypatch, qtbot):
        window = open_window(little)
        window.go_step(Step.MASTER)
        page = window.pages[Step.MASTER]

        def act(dialog) -> None:
            dialog.copy_picked()
            dialog.title.setText("Our house")
            dialog.title.editingFinished.emit()
            dialog.boxes["integrated_lufs"].setValue(-17.5)
            dialog.accept()

        monkeypatch.setattr(TargetsDialog, "exec", act)
        page.targets.edit.click()
        (mine,) = own_targets(window.session.folders.state).values()
        assert (mine.title, mine.integrated_lufs) == ("Our house", -17.5)
        assert page.targets.boxes[mine.name].text() == "Our house"
        page.targets.boxes[mine.name].click()
        assert mine.name in window.session.episode.delivery.targets

    def test_what_comes_with_dubbin_shows_its_rule_and_can_not_be_changed(self, qtbot, tmp_path):
        dialog = TargetsDialog(tmp_path)
        qtbot.addWidget(dialog)
        assert not dialog.title.isEnabled() and not dialog.remove.isEnabled() and "AES" in dialog.rule_text.text()
        dialog.copy_picked()
        assert dialog.title.isEnabled() and dialog.remove.isEnabled() and len(dialog.own) == 1
        dialog.remove_picked()
        assert dialog.own == {} and own_targets(tmp_path) == {}


class TestHelp:
    def test_f1_opens_the_guide_and_a_card_opens_its_paragraph(self, window, qtbot):
        window.lanes.setFocus()
        qtbot.waitUntil(window.lanes.hasFocus)
        QTest.keyClick(window.lanes, Qt.Key.Key_F1)
        assert window.help.guide.isVisible()
        window.go_step(Step.REPAIR)
        section = window.pages[Step.REPAIR].sections["denoise"]
        section.card.findChild(HelpButton).click()
        assert window.help.guide.sections.currentItem().text().strip() == "Noise"
        window.help.guide.close()

    def test_the_guide_is_searched(self, window):
        window.help.show_guide()
        book = window.help.guide
        book.field.setText("lisp")
        assert book.sections.count() == 1 and book.page.textCursor().selectedText() == "lisp"
        book.field.setText("nothing like that")
        assert book.sections.count() == 0 and "not in the guide" in book.said.text()
        book.field.clear()
        assert book.sections.count() == len(guide.headings())
        book.close()

    def test_every_card_has_a_paragraph(self, window, qtbot):
        without = set()
        for page in window.pages.values():
            for card in page.card.findChildren(Card):
                if card.findChild(HelpButton) is None and (title := getattr(card, "title", "")):
                    without.add(title)
        assert not without

    def test_the_guide_names_menu_entries_and_keys_that_there_are(self, window):
        keys = {action.key for action in window.actions_by_id} | {k for a in window.actions_by_id for k in a.keys}
        text = LABELS.sub("", guide.text())
        named = set(re.findall(r"\b(?:Ctrl|Shift|Alt)\+(?:[A-Z0-9]\b|F\d+|Space)", text))
        assert named and named <= keys, named - keys
        anchors = [anchor for _, anchor, _ in guide.headings()]
        assert len(set(anchors)) == len(anchors)

    def test_the_tour_goes_through_all_steps_and_is_offered_once(self, open_window, little):
        window = open_window(little)
        window.tour.offer()
        pressed(window, "Show me round")
        seen = []
        for number in range(len(SENTENCES)):
            seen.append(window.steps.current)
            assert window.notices.text.text().startswith(f"{number + 1} of 6")
            if number + 1 < len(SENTENCES):
                pressed(window, "Next")
        assert seen == list(Step)
        window.notices.say("")
        window.tour.offer()
        assert window.notices.text.text() == ""
