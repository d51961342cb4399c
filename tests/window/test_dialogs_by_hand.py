"""Dialogs as a person meets them: opened by their keys or buttons, filled in by typing and clicking, accepted or left; and what came of it in the episode."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QWidget,
)

from dubbin.core.deliver.recipe import load_recipe
from dubbin.core.deliver.recipe_contents import contents
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.file import load_episode
from dubbin.window.edit.dialogs import BreakDialog, WordDialog
from dubbin.window.master.cards import TagsDialog
from dubbin.window.shell.command_search import CommandSearch
from dubbin.window.shell.preferences_dialog import PreferencesDialog
from dubbin.window.shell.recipe_dialog import RecipeDialog
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.test_editing import edit, row_of  # noqa: F401

Hand = Callable[[QWidget], None]
BUTTON = QDialogButtonBox.StandardButton
PATIENCE = 400  # looks, 10 ms apart


def with_hands(act: Callable[[], object], *hands: Hand) -> None:
    """Do something that opens dialogs, one after the other, each of which gets a hand; what a hand leaves open is left by Esc."""
    waiting, trouble = list(hands), list[BaseException]()
    looks, met = [0], list[QWidget]()  # held, so that nobody else is taken for one of them

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        looks[0] += 1
        if dialog is not None and dialog.isVisible() and dialog not in met:
            met.append(dialog)
            hand = waiting.pop(0) if waiting else None
            if waiting:
                QTimer.singleShot(10, look)
            try:
                assert hand is not None
                hand(dialog)
            except BaseException as error:
                trouble.append(error)
            finally:
                if dialog.isVisible():
                    QTest.keyClick(dialog, Qt.Key.Key_Escape)
        elif looks[0] < PATIENCE:
            QTimer.singleShot(10, look)

    QTimer.singleShot(0, look)
    act()
    met.clear()
    if trouble:
        raise trouble[0]
    assert not waiting, f"{len(waiting)} dialogs did not open"


def keys(window: QWidget, sequence: str) -> Callable[[], None]:
    def act() -> None:
        window.activateWindow()  # which a dialog before has had
        QTest.qWaitForWindowActive(window)
        QTest.keySequence(window, sequence)

    return act


def click(widget: QWidget) -> None:
    """A tick is set at its box: right of its text nothing answers."""
    place = QPoint(8, widget.height() // 2) if isinstance(widget, QCheckBox) else widget.rect().center()
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=place)


def press(dialog: QWidget, which: BUTTON) -> None:
    box = dialog.findChild(QDialogButtonBox)
    button = box.button(which)
    for _ in range(PATIENCE):  # a dialog of files looks at what is typed on a thread
        if button.isEnabled():
            break
        QTest.qWait(10)
    click(button)


def write(field: QWidget, text: str) -> None:
    """Type a text in place of what stands in a field."""
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(field, Qt.Key.Key_Delete)
    QTest.keyClicks(field, text)


def typing(text: str, then: BUTTON | None = BUTTON.Ok) -> Hand:
    """A hand that types into the only field, and accepts or leaves; by Return where no button is named."""

    def hand(dialog: QWidget) -> None:
        field = dialog.findChild(QLineEdit)
        write(field, text)
        if then is None:
            QTest.keyClick(field, Qt.Key.Key_Return)
        else:
            press(dialog, then)

    return hand


def choosing(path: Path) -> Hand:
    """A hand that names a file, and presses Return."""

    def hand(dialog: QWidget) -> None:
        assert isinstance(dialog, QFileDialog)
        dialog.setDirectory(str(path.parent))
        dialog.selectFile(path.name)
        QTest.keyClick(dialog.findChild(QLineEdit, "fileNameEdit"), Qt.Key.Key_Return)

    return hand


def leave(dialog: QWidget) -> None:
    QTest.keyClick(dialog, Qt.Key.Key_Escape)


@pytest.fixture
def unchanged(edit):  # noqa: F811
    """The episode as it stands; asserts that nothing was done to it."""
    before, steps = edit.session.episode, len(edit.session.document.history.done)

    def check() -> None:
        assert edit.session.episode == before and len(edit.session.document.history.done) == steps

    return check


class TestTimes:
    def test_the_play_head_goes_to_a_typed_time(self, edit):  # noqa: F811
        with_hands(keys(edit, "Ctrl+G"), typing("0:12.5", None))
        assert edit.selection.head == round(12.5 * RATE)
        with_hands(keys(edit, "Ctrl+G"), leave)
        assert edit.selection.head == round(12.5 * RATE)

    def test_the_field_holds_where_the_head_is_and_nonsense_is_said(self, edit):  # noqa: F811
        edit.selection.set_head(RATE)
        said: list[str] = []
        edit.session.said.connect(said.append)

        def hand(dialog: QWidget) -> None:
            assert dialog.findChild(QLineEdit).text() == "0:01.00"
            typing("soon")(dialog)

        with_hands(keys(edit, "Ctrl+G"), hand)
        edit.session.said.disconnect(said.append)
        assert edit.selection.head == RATE and len(said) == 1 and "soon" in said[0]

    def test_an_edge_is_moved_by_what_is_typed(self, edit):  # noqa: F811
        edit.session.do(cut_stretch(edit.session.episode, 5 * RATE, 6 * RATE))
        edit.selection.set_head(5 * RATE)

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, QInputDialog)
            write(dialog.findChild(QDoubleSpinBox).findChild(QLineEdit), "-40")
            press(dialog, BUTTON.Ok)

        with_hands(keys(edit, "Ctrl+]"), hand)
        (cut,) = edit.session.episode.cuts
        edges = sorted((cut.start_frame - 5 * RATE, cut.end_frame - 6 * RATE))
        assert edges == [round(-0.04 * RATE), 0]


class TestWords:
    def pick(self, edit, text: str) -> int:  # noqa: F811
        row = row_of(edit, text)
        edit.words_pane.words.select_rows([row])
        return row

    def test_a_word_is_corrected_here_or_wherever_it_stands(self, edit):  # noqa: F811
        row, words = self.pick(edit, "the"), lambda: [w.text for w in edit.speech.table.words]
        said = words()[row]
        count = words().count(said)

        def once(dialog: QWidget) -> None:
            assert isinstance(dialog, WordDialog) and dialog.field.text() == said
            write(dialog.field, "thee")
            press(dialog, BUTTON.Ok)

        def everywhere(dialog: QWidget) -> None:
            assert isinstance(dialog, WordDialog) and dialog.field.text() == "thee"
            write(dialog.field, "ye")
            click(dialog.box)
            QTest.keyClick(dialog.field, Qt.Key.Key_Return)

        with_hands(edit.actions_by_id["correct-word"].run, once)
        assert words()[row] == "thee" and words().count(said) == count - 1
        for other in (k for k, text in enumerate(words()) if text == said):
            edit.words_pane.words.select_rows([other])
            with_hands(edit.actions_by_id["correct-word"].run, once)
            break
        edit.words_pane.words.select_rows([row])
        with_hands(edit.actions_by_id["correct-word"].run, everywhere)
        assert words().count("ye") == min(count, 2) and "thee" not in words()

    def test_a_correction_that_is_left_corrects_nothing(self, edit, unchanged):  # noqa: F811
        self.pick(edit, "the")

        def hand(dialog: QWidget) -> None:
            write(dialog.findChild(QLineEdit), "thee")
            press(dialog, BUTTON.Cancel)

        with_hands(edit.actions_by_id["correct-word"].run, hand)
        unchanged()

    def test_a_speaker_is_renamed(self, edit):  # noqa: F811
        row = self.pick(edit, "the")
        lane = edit.speech.table.voice(row).lane
        with_hands(edit.actions_by_id["rename-voice"].run, typing("Captain"))
        assert edit.session.episode.lane(lane).voice == "Captain"
        with_hands(edit.actions_by_id["rename-voice"].run, typing("   "))
        assert edit.session.episode.lane(lane).voice == "Captain"


class TestProgram:
    def test_a_chapter_begins_at_the_head_under_the_typed_title(self, edit, unchanged):  # noqa: F811
        edit.selection.set_head(3 * RATE)
        with_hands(keys(edit, "Ctrl+Shift+K"), typing("Tide", BUTTON.Cancel))
        with_hands(keys(edit, "Ctrl+Shift+K"), typing("  "))
        unchanged()
        with_hands(keys(edit, "Ctrl+Shift+K"), typing("Tide", None))
        assert [(c.frame, c.text) for c in edit.session.episode.chapters] == [(3 * RATE, "Tide")]

    def test_a_break_is_as_long_as_typed_and_has_a_cue_where_that_is_ticked(self, edit):  # noqa: F811
        edit.selection.set_head(3 * RATE)

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, BreakDialog)
            write(dialog.name, "Advertisement")
            write(dialog.length.findChild(QLineEdit), "1.5")
            click(dialog.cue)
            press(dialog, BUTTON.Ok)

        before = edit.session.map.program_frames
        with_hands(keys(edit, "Ctrl+B"), hand)
        (placed,) = edit.session.episode.placed
        assert placed.name == "Advertisement" and edit.session.map.program_frames == before + round(1.5 * RATE)
        with_hands(keys(edit, "Ctrl+B"), leave)
        assert len(edit.session.episode.placed) == 1


class TestMaster:
    def test_all_tags_are_filled_in_and_taken_back_as_one_step(self, edit):  # noqa: F811
        edit.go_step(Step.MASTER)
        card = edit.pages[Step.MASTER].tags
        before = edit.session.episode.delivery.tags

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, TagsDialog)
            write(dialog.fields["title"], "Harbour lights")
            write(dialog.fields["people"], "Ines, Tobias")
            press(dialog, BUTTON.Ok)

        with_hands(lambda: click(card.more), hand)
        tags = edit.session.episode.delivery.tags
        assert (tags.title, tags.people) == ("Harbour lights", "Ines, Tobias")
        edit.session.document.undo()
        assert edit.session.episode.delivery.tags == before

    def test_tags_that_are_left_stay_as_they_were(self, edit, unchanged):  # noqa: F811
        edit.go_step(Step.MASTER)

        def hand(dialog: QWidget) -> None:
            write(dialog.fields["title"], "Nothing")  # type: ignore[attr-defined]
            press(dialog, BUTTON.Cancel)

        with_hands(lambda: click(edit.pages[Step.MASTER].tags.more), hand)
        unchanged()


class TestFiles:
    def test_a_copy_is_saved_under_a_typed_name_and_goes_on_from_there(self, edit, tmp_path):  # noqa: F811
        here = edit.session.document.path
        with_hands(keys(edit, "Ctrl+Shift+S"), leave)
        assert edit.session.document.path == here
        target = tmp_path / "copy.dubbin"
        with_hands(keys(edit, "Ctrl+Shift+S"), choosing(target))
        assert edit.files.saver.wait()
        assert edit.session.document.path == target and load_episode(target).lanes == edit.session.episode.lanes
        assert not edit.session.document.has_changes

    @pytest.mark.parametrize("answer", [QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Discard])
    def test_changes_are_asked_for_before_the_episode_is_closed(self, edit, answer):  # noqa: F811
        assert edit.session.document.has_changes and edit.session.document.path is not None
        before, saved = edit.session.episode, edit.session.document.path.read_bytes()
        path = edit.session.document.path

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, QMessageBox) and before.title in dialog.text()
            click(dialog.button(answer))

        with_hands(keys(edit, "Ctrl+W"), hand)
        assert path.read_bytes() == saved
        assert (edit.session.episode == before) == (answer == QMessageBox.StandardButton.Cancel)

    def test_a_recipe_holds_what_is_ticked(self, edit, tmp_path):  # noqa: F811
        target = tmp_path / "show.json"
        ticked = []

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, RecipeDialog)
            box = next(iter(dialog.boxes.values()))
            click(box)
            assert not box.isChecked()
            ticked.extend(dialog.parts())
            press(dialog, BUTTON.Ok)

        with_hands(edit.actions_by_id["save-recipe"].run, hand, choosing(target))
        (written,) = tmp_path.glob("show*")
        assert ticked and [line.part for line in contents(load_recipe(written))] == ticked

    def test_without_a_tick_there_is_nothing_to_save(self, edit, tmp_path):  # noqa: F811
        def hand(dialog: QWidget) -> None:
            for box in dialog.boxes.values():  # type: ignore[attr-defined]
                click(box)
            assert not dialog.ok.isEnabled()  # type: ignore[attr-defined]
            leave(dialog)

        with_hands(edit.actions_by_id["save-recipe"].run, hand)
        assert list(tmp_path.iterdir()) == []


class TestWindow:
    def test_preferences_are_gone_through_page_by_page_and_hold_at_once(self, edit):  # noqa: F811
        before = bool(edit.preferences.get("reopen", False))

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, PreferencesDialog)
            for row in range(dialog.list.count()):
                QTest.mouseClick(
                    dialog.list.viewport(), Qt.MouseButton.LeftButton, pos=dialog.list.visualItemRect(dialog.list.item(row)).center()
                )
                assert dialog.pages.currentIndex() == row
            dialog.list.setCurrentRow(0)
            click(dialog.reopen)
            assert dialog.reopen.isChecked() != before

        with_hands(keys(edit, "Ctrl+,"), hand)
        assert bool(edit.preferences.get("reopen", False)) != before
        edit.preferences.set("reopen", before)

    def test_a_command_is_found_by_typing_and_run_by_return(self, edit):  # noqa: F811
        folded = edit.view.folded

        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, CommandSearch)
            field = dialog.findChild(QLineEdit)
            QTest.keyClicks(field, "fold or unfold")
            QTest.keyClick(field, Qt.Key.Key_Return)

        with_hands(keys(edit, "Ctrl+K"), hand)
        assert edit.view.folded != folded
        edit.actions_by_id["fold"].run()

    @pytest.mark.parametrize("name", ["shortcuts", "licences", "about"])
    def test_what_is_only_read_closes_again_and_does_nothing(self, edit, unchanged, name):  # noqa: F811
        def hand(dialog: QWidget) -> None:
            assert isinstance(dialog, QDialog) and dialog.windowTitle()
            buttons = [b for b in dialog.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
            click(buttons[-1]) if buttons else leave(dialog)
            assert not dialog.isVisible()

        with_hands(edit.actions_by_id[name].run, hand)
        unchanged()
