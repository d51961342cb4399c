"""The Edit step in the real window: by words, by pauses and by hand; moves, inserts, chapters, history."""

from __future__ import annotations

import json

import numpy as np
import opentimelineio as otio
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from dubbin.core.episode.commands.arrangement import insert_break, move_stretches
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.lanes import change_lane, name_voice, remove_lane
from dubbin.core.episode.commands.markers import add_chapter
from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.episode.commands.words import correct_word, set_transcript
from dubbin.core.episode.document import Document
from dubbin.core.episode.model import CoverKind, CutKind, PlacedKind
from dubbin.core.figures import span_text
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.speech.hesitations import is_filler_text
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.session import analyses
from dubbin.window.session.selection import Selection
from dubbin.window.shell.step import Step
from dubbin.window.words import words_view
from dubbin.window.words.flow import ItemKind
from tests.conftest import RATE
from tests.window.conftest import EXCERPT_S, drag, put_down, settle

VOICES = {"ines": "Ines", "tobias": "Tobias"}


def true_words(folder, voice: str) -> tuple[Word, ...]:
    """The words of the demo as they were spoken."""
    truth = json.loads((folder / "truth.json").read_text())
    return tuple(
        Word(
            w["text"],
            round(w["start_s"] * RATE),
            round(w["end_s"] * RATE),
            WordKind.FILLER if is_filler_text(w["text"]) else WordKind.WORD,
        )
        for w in truth["words"]
        if w["voice"] == voice and w["end_s"] < EXCERPT_S - 1
    )


@pytest.fixture
def edit(shared_window, qtbot, short_demo, demo_folder):
    """The window on the Edit step with a fresh episode and the words of both voices."""
    window = shared_window
    put_down(qtbot, window, short_demo / EPISODE_FILE)
    for voice, name in VOICES.items():
        lane = next(lane for lane in window.session.episode.lanes if lane.voice == name)
        window.session.do(set_transcript(window.session.episode, Transcript(lane.id, true_words(demo_folder, voice))))
    window.go_step(Step.EDIT)
    window.resize(1280, 800)
    settle(qtbot, window)
    QTest.qWait(50)
    return window


def row_of(window, text: str, which: int = 0) -> int:
    return window.speech.table.find(text)[which][0]


def rendered(window) -> np.ndarray:
    program = window.session.monitor.program(mode=MonitorMode.RECORDED)
    program.under = ()  # what lies under the program does not go with what is moved
    return program.read(0, program.frames)


def point_of(view, row: int) -> QPoint:
    """The middle of a word in the pane, scrolled to."""
    view.reveal(row)
    rect = view.laid.column.rect_of(row)
    return QPoint(round(rect.center().x()), round(rect.center().y() - view.offset()))


def test_words_are_cut_in_the_pane_and_the_sound_is_the_rest(edit):
    view, before = edit.words_pane.words, rendered(edit)
    first, last = row_of(edit, "Thank you for having me"), row_of(edit, "me, and,")
    drag(view.viewport(), *((p.x(), p.y()) for p in (point_of(view, first), point_of(view, last))))
    assert [edit.speech.table.words[r].text for r in edit.selection.rows] == ["Thank", "you", "for", "having", "me,"]
    QTest.keyClick(view, Qt.Key.Key_X)
    (cut,) = edit.session.episode.cuts
    table = edit.speech.table
    assert edit.session.document.history.done[-1].title == "Cut “Thank you for having me,”"
    assert table.ends[first - 1] <= cut.start_frame <= table.starts[first] + RATE // 50
    assert table.ends[last] - RATE // 50 <= cut.end_frame <= table.starts[last + 1] + RATE // 50
    after = rendered(edit)
    half = RATE // 20
    assert after.shape[1] == before.shape[1] - cut.frames
    assert np.array_equal(after[:, : cut.start_frame - half], before[:, : cut.start_frame - half])
    assert np.array_equal(after[:, cut.start_frame + half :], before[:, cut.end_frame + half :])


def test_cut_words_fold_into_a_stitch_that_opens(edit):
    view = edit.words_pane.words
    rows = list(range(row_of(edit, "Welcome aboard"), row_of(edit, "Slow Ferry") + 2))
    view.select_rows(rows)
    edit.pages[Step.EDIT].acts.cutting.cut()
    edit.session.do(cut_stretch(edit.session.episode, 0, RATE))
    view.lay_out()
    items = [i for laid in view.laid.column.laid for line in laid.lines for i in line]
    stitch = next(i for i in items if i.kind is ItemKind.STITCH and set(rows) <= set(i.rows))
    assert not any(i.row in rows and i.kind is ItemKind.WORD for i in items)
    view._open(stitch)
    view.lay_out()
    opened = [i.row for laid in view.laid.column.laid for line in laid.lines for i in line if i.kind is ItemKind.OPENED]
    assert set(rows) <= set(opened) and edit.selection.cut is not None
    edit.pages[Step.EDIT].acts.cutting.put_back()
    assert all(edit.session.episode.cut_at(int(edit.speech.table.starts[r])) is None for r in rows)


def test_a_click_goes_to_a_word_and_a_double_click_plays_from_it(edit, qtbot):
    view, row = edit.words_pane.words, row_of(edit, "fridge")
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=point_of(view, row))
    assert edit.selection.head == edit.speech.table.starts[row]
    QTest.mouseDClick(view.viewport(), Qt.MouseButton.LeftButton, pos=point_of(view, row))
    qtbot.waitUntil(lambda: edit.player.is_playing)
    qtbot.waitUntil(lambda: edit.selection.head > edit.speech.table.starts[row])
    edit.player.stop()


def test_words_are_found_corrected_and_renamed_without_touching_the_sound(edit):
    before = rendered(edit)
    edit.actions_by_id["find"].run()
    QTest.keyClicks(edit.words_pane.field, "guest has")
    assert edit.words_pane.count.text() == "1 of 2" and len(edit.selection.rows) == 2
    QTest.keyClick(edit.words_pane.field, Qt.Key.Key_Return)
    assert edit.words_pane.count.text() == "2 of 2"
    row = row_of(edit, "foundry")
    edit.pages[Step.EDIT].acts.wording.correct(row, "forge", everywhere=True)
    assert edit.speech.table.find("foundry") == [] and len(edit.speech.table.find("forge")) == 2
    edit.pages[Step.EDIT].acts.wording.rename_voice(row, "Ines Calder")
    assert edit.speech.table.voice(row).name == "Ines Calder" and edit.session.episode.lanes[0].voice == "Ines Calder"
    assert np.array_equal(rendered(edit), before)


def test_fillers_are_cut_by_kind_one_by_one_and_put_back(edit, qtbot):
    page = edit.pages[Step.EDIT]
    QTest.mouseClick(page.buttons.made[0], Qt.MouseButton.LeftButton)  # cut all fillers
    fillers = edit.speech.fillers()
    cut = [f for f in fillers if edit.pages[Step.EDIT].acts.fillers.is_cut(f)]
    assert fillers and len(cut) == len([f for f in fillers if not f.cut.is_tight])
    assert {c.kind for c in edit.session.episode.cuts} == {CutKind.FILLER}
    page.tabs.show_tab("fillers")
    row = next(k for k, e in enumerate(page.fillers._entries) if len(e) == 1)
    page.fillers.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    assert len(edit.session.episode.cuts) == len(cut) - 1
    edit.selection.set_head(int(edit.speech.table.starts[page.fillers._entries[row][0].row]))
    QTest.keyClick(edit.lanes, Qt.Key.Key_Y)
    assert len(edit.session.episode.cuts) == len(cut)


def test_of_retakes_the_last_is_kept_unless_another_is_chosen(edit, qtbot):
    qtbot.waitUntil(lambda: bool(edit.speech.retakes()), timeout=10_000)
    line = next(r for r in edit.speech.retakes() if not r.retake.is_stumble)
    assert "foundry" in line.retake.takes[0].text and len(line.spans) == 2
    edit.pages[Step.EDIT].acts.retakes.keep_last()
    settle(qtbot, edit)
    assert all(edit.pages[Step.EDIT].acts.retakes.kept(r) == len(r.spans) - 1 for r in edit.speech.retakes())
    middle = (line.spans[0][0] + line.spans[0][1]) // 2
    gone = edit.session.episode.cut_at(middle)
    assert gone.kind is CutKind.RETAKE and gone.end_frame > line.spans[0][1] + RATE // 4, "the pause between goes too"
    page = edit.pages[Step.EDIT]
    page.tabs.show_tab("retakes")
    row = next(k for k, (r, take) in enumerate(page.retakes._entries) if r.spans == line.spans and take == 0)
    page.retakes.item(row, 0).setCheckState(Qt.CheckState.Checked)
    assert edit.pages[Step.EDIT].acts.retakes.kept(line) == 0
    page.retakes.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    assert edit.pages[Step.EDIT].acts.retakes.kept(line) == 1
    edit.pages[Step.EDIT].acts.retakes.put_back(line)
    assert edit.pages[Step.EDIT].acts.retakes.kept(line) is None


def test_pieces_are_split_and_cut_and_edges_nudged_by_keys(edit):
    lanes = edit.lanes
    lanes.setFocus()
    for second in (10.0, 12.0):
        edit.navigation.go(round(second * RATE))
        QTest.keyClick(lanes, Qt.Key.Key_D)
    edit.navigation.go(11 * RATE)
    QTest.keyClick(lanes, Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    assert [(c.start_frame, c.end_frame) for c in edit.session.episode.cuts] == [(10 * RATE, 12 * RATE)]
    QTest.keyClick(lanes, Qt.Key.Key_BracketRight)
    QTest.keyClick(lanes, Qt.Key.Key_BracketRight, Qt.KeyboardModifier.AltModifier)
    (cut,) = edit.session.episode.cuts
    assert (cut.start_frame, cut.end_frame) == (10 * RATE, 12 * RATE + RATE * 11 // 1000)
    edit.navigation.go(3 * RATE)
    QTest.keyClick(lanes, Qt.Key.Key_I, Qt.KeyboardModifier.ShiftModifier)
    assert edit.session.map.to_session(0) == 3 * RATE


def test_a_stretch_is_moved_and_copied_and_all_lanes_go_with_it(edit):
    before = rendered(edit)
    edit.selection.select(20 * RATE, 22 * RATE)
    edit.pages[Step.EDIT].acts.moving.copy()
    edit.navigation.go(6 * RATE)
    edit.pages[Step.EDIT].acts.moving.move_here()
    after, half = rendered(edit), RATE // 20
    assert after.shape == before.shape
    assert np.array_equal(after[:, 6 * RATE + half : 8 * RATE - half], before[:, 20 * RATE + half : 22 * RATE - half])
    assert np.array_equal(after[:, 8 * RATE + half : 20 * RATE], before[:, 6 * RATE + half : 18 * RATE])
    edit.view.set_folded(True)
    x = edit.view.x_of_display(7 * RATE)
    QTest.mouseClick(edit.lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(x), 80))
    assert edit.selection.placed is not None
    QTest.keyClick(edit.lanes, Qt.Key.Key_Delete)
    assert edit.session.episode.placed == () and np.array_equal(rendered(edit), before)


def test_words_that_were_moved_read_at_their_new_place(edit):
    rows = list(range(row_of(edit, "Tobias Wren"), row_of(edit, "Tobias Wren") + 4))
    edit.words_pane.words.select_rows(rows)
    edit.pages[Step.EDIT].acts.moving.copy()
    edit.navigation.go(int(edit.speech.table.starts[row_of(edit, "Welcome aboard")]) - RATE // 10)
    edit.pages[Step.EDIT].acts.moving.move_here()
    edit.words_pane.words.lay_out()
    assert edit.words_pane.words.laid.column.rows[:4] == rows


def test_a_break_and_an_insert_are_heard_seen_and_taken_out(edit, qtbot, short_demo):
    before = edit.session.map.program_frames
    edit.navigation.go(30 * RATE)
    edit.pages[Step.EDIT].acts.inserting.insert_break(2.0, "Advertisement", cue=True)
    program = edit.session.monitor.program()
    at = edit.session.map.to_program(edit.session.episode.placed[0].pieces[0].start_frame)
    x = program.read(at, at + 2 * RATE)
    assert edit.session.map.program_frames == before + 2 * RATE
    assert np.max(np.abs(x[:, RATE // 50 : RATE // 5])) > 0.05 and np.max(np.abs(x[:, RATE : RATE + RATE // 2])) == 0
    edit.navigation.go(0)
    edit.pages[Step.EDIT].acts.inserting.insert_file(short_demo / "harbour-theme.flac")
    settle(qtbot, edit)
    insert = next(p for p in edit.session.episode.placed if p.kind is PlacedKind.INSERT)
    assert len(edit.session.episode.lanes) == 4 and edit.session.map.spans[0].placed == insert.id
    edit.view.set_folded(True)
    edit.view.show_all()
    edit.grab()
    page = edit.pages[Step.EDIT]
    page.tabs.show_tab("program")
    assert [type(e).__name__ for e in page.program._entries] == ["Placed", "Placed"]
    page.program.setCurrentCell(1, 0)
    page.program.remove()
    page.program.setCurrentCell(0, 0)
    page.program.remove()
    assert edit.session.map.program_frames == before and len(edit.session.episode.lanes) == 3


def test_the_list_of_the_program_says_how_much_of_what_was_moved_is_heard(edit):
    page = edit.pages[Step.EDIT]
    page.tabs.show_tab("program")
    length = lambda: page.program.item(0, 3).text()  # noqa: E731
    edit.session.do(move_stretches(edit.session.episode, [(10 * RATE, 14 * RATE)], 30 * RATE, "m"))
    assert length() == span_text(4.0)
    edit.session.do(cut_stretch(edit.session.episode, 11 * RATE, 12 * RATE))
    assert length() == span_text(3.0)
    edit.session.do(cut_stretch(edit.session.episode, 9 * RATE, 15 * RATE))
    assert length() == "not heard" and page.program.rowCount() == 1
    page.program.setCurrentCell(0, 0)
    page.program.remove()
    assert not edit.session.episode.placed


def test_a_word_is_bleeped_on_its_lane_alone(edit):
    row = row_of(edit, "fridge", 1)
    edit.words_pane.words.select_rows([row])
    QTest.keyClick(edit.lanes, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    lane = next(lane for lane in edit.session.episode.lanes if lane.covers)
    assert lane.voice == "Tobias" and lane.covers[0].kind is CoverKind.TONE
    edit.pages[Step.EDIT].acts.covering.cover(CoverKind.NOISE)
    assert len(edit.session.episode.lane(lane.id).covers) == 1 and edit.session.episode.lane(lane.id).covers[0].noise_from is not None
    edit.pages[Step.EDIT].acts.covering.uncover()
    assert not edit.session.episode.lane(lane.id).covers


def test_chapters_follow_their_words_and_are_written_out(edit, tmp_path):
    frame = int(edit.speech.table.starts[row_of(edit, "So, tell me")])
    edit.selection.set_head(frame)
    edit.pages[Step.EDIT].acts.chaptering.add("The bell")
    edit.session.do(cut_stretch(edit.session.episode, 10 * RATE, 20 * RATE))
    edit.pages[Step.EDIT].acts.wording.write(tmp_path / "a.srt")
    edit.pages[Step.EDIT].acts.wording.write(tmp_path / "a.csv")
    edit.pages[Step.EDIT].acts.export.write(tmp_path / "a.otio")
    edit.pages[Step.EDIT].acts.export.write(tmp_path / "a.edl")
    assert "Ferry" in (tmp_path / "a.srt").read_text() and "speaker" in (tmp_path / "a.csv").read_text()
    timeline = otio.adapters.read_from_file(str(tmp_path / "a.otio"))
    track = timeline.tracks[0]
    assert [round(c.source_range.start_time.to_seconds(), 3) for c in track] == [0.0, 20.0]
    assert timeline.duration().to_seconds() == pytest.approx(EXCERPT_S - 10)
    mark = timeline.tracks.markers[0]
    assert mark.name == "The bell" and mark.marked_range.start_time.to_seconds() == pytest.approx(frame / RATE - 10)
    assert "00:00:20:00" in (tmp_path / "a.edl").read_text()
    edit.pages[Step.EDIT].acts.chaptering.copy_list()


def test_the_history_goes_back_and_forth_also_after_a_restart(edit, tmp_path):
    for k in range(3):
        edit.session.do(cut_stretch(edit.session.episode, (10 + 5 * k) * RATE, (11 + 5 * k) * RATE))
    page = edit.pages[Step.EDIT]
    page.tabs.show_tab("history")
    count = len(edit.session.document.history.done)
    page.history.on_row(count - 2)
    assert len(edit.session.episode.cuts) == 1
    page.history.on_row(count)
    assert len(edit.session.episode.cuts) == 3
    path = tmp_path / "kept.dubbin"
    edit.session.document.save(path)
    edit.set_document(Document(edit.session.folders.journals))  # closes the episode
    edit.files.open(path)
    for _ in range(3):
        edit.actions_by_id["undo"].run()
    assert edit.session.episode.id == "slow-ferry-demo" and edit.session.episode.cuts == ()


def test_the_starting_points_of_pauses_show_at_once_what_they_do(edit):
    page, lengths = edit.pages[Step.EDIT], []
    QTest.mouseClick(page.pauses.switch, Qt.MouseButton.LeftButton)
    for name in ("Calm", "Even", "Brisk"):
        page.pauses.point.chosen.emit(name)
        lengths.append(edit.session.map.program_frames)
        assert page.pauses.point.current == name and " cut" in page.pauses.rows.value("pauses")
    assert lengths[0] > lengths[1] > lengths[2]


def test_seams_are_walked_and_the_doubtful_ones_are_listed(edit, qtbot):
    edit.session.do(cut_stretch(edit.session.episode, 8 * RATE, 9 * RATE))
    page = edit.pages[Step.EDIT]
    page.tabs.show_tab("seams")
    qtbot.waitUntil(lambda: page.seams.rowCount() == 1 and page.seams.item(0, 4).text() != "…", timeout=10_000)
    page.seams.setCurrentCell(0, 0)
    page.seam_settings.setCurrentIndex(3)
    page.seam_settings.activated.emit(3)
    assert edit.session.episode.seams[0].ms == 30.0 and "30 ms (own)" in page.seams.item(0, 2).text()
    QTest.keyClick(edit.lanes, Qt.Key.Key_H, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: edit.player.is_playing)
    edit.player.stop()


def test_words_are_laid_out_anew_only_where_something_of_the_page_has_changed(edit, qtbot):
    lane, view = edit.session.episode.lanes[0], words_view.WordsView(edit.session, edit.speech, Selection(), edit.theme, edit.preferences)
    qtbot.addWidget(view)
    view.resize(400, 200)
    view.show()
    qtbot.waitExposed(view)

    def laid_anew() -> bool:
        before = view.laid.column
        view.lay_out()
        return view.laid.column is not before

    view.lay_out()
    QTest.qWait(20)  # its bar appears, and takes room
    view.lay_out()
    edit.session.do(change_lane(edit.session.episode, lane.id, "Level", level_db=1.5))
    assert not laid_anew()
    most = view.verticalScrollBar().maximum()
    view.resize(400, 150)
    assert not laid_anew() and view.verticalScrollBar().maximum() == most + 50 > 50, "it scrolls as far as its lines go"
    for change in (
        lambda e: add_chapter(e, 20 * RATE, "The bell"),
        lambda e: cut_stretch(e, 30 * RATE, 31 * RATE),
        lambda e: name_voice(e, lane.id, "Somebody"),
        lambda e: insert_break(e, 40 * RATE, 2 * RATE, "b1"),
    ):
        edit.session.do(change(edit.session.episode))
        assert laid_anew()
        edit.session.document.undo()
        assert laid_anew()
    view.resize(300, 150)
    assert laid_anew()
    for transcript in edit.session.episode.transcripts:
        edit.session.do(set_transcript(edit.session.episode, Transcript(transcript.lane, ())))
    assert laid_anew() and view.verticalScrollBar().maximum() == 0, "of no words there is nothing to scroll to"


def test_a_pause_setting_looks_for_pauses_once_and_shows_what_it_found(edit, qtbot, monkeypatch):
    page, looked = edit.pages[Step.EDIT], []
    real = analyses.find_pauses
    monkeypatch.setattr(analyses, "find_pauses", lambda *a: looked.append(a[1]) or real(*a))
    field = page.pauses.form.fields["longer_than_s"]
    before = len(edit.session.analyses.pauses())
    looked.clear()
    field.setValue(field.value() + 0.6)
    assert looked == [edit.session.episode.pauses]
    assert len(edit.session.analyses.pauses()) < before
    edit.session.document.undo()
    assert len(edit.session.analyses.pauses()) == before and len(looked) == 2


def test_a_word_that_is_corrected_is_shown_once(edit, qtbot, monkeypatch):
    page, shown = edit.pages[Step.EDIT], []
    real = page.refresh
    monkeypatch.setattr(page, "refresh", lambda: shown.append(edit.speech.table.texts[row]) or real())
    row = row_of(edit, "bells.")
    voice = edit.speech.table.voice(row)
    edit.session.do(correct_word(edit.session.episode, voice.lane, int(edit.speech.table.numbers[row]), "belfries."))
    assert shown == ["belfries."]
    edit.speech.changed.emit()
    assert len(shown) == 2, "what is found later is shown, too"
    edit.session.episode_changed.connect(tell := lambda *_: edit.speech.changed.emit())  # by somebody who hears of a change after the page
    try:
        edit.session.document.undo()
        assert shown[2:] == ["bells.", "bells."], "what is found after the page has shown a change is shown, too"
    finally:
        edit.session.episode_changed.disconnect(tell)


def test_what_is_out_of_sight_is_laid_out_in_the_turns_that_follow(edit, qtbot, monkeypatch):
    lane = edit.session.episode.lanes[0]
    words = [Word(f"word{k}.", k * RATE // 4, k * RATE // 4 + RATE // 8) for k in range(1500)]
    monkeypatch.setattr(words_view, "PAINT_BUDGET_S", 0.0)
    view = edit.words_pane.words
    edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, tuple(words))))
    view.grab()
    first = len(view.laid.column.laid)
    view.lay_out()  # somebody asks where a word is: now all of them must have a place
    whole = len(view.laid.column.laid)
    assert 0 < first < whole
    view.verticalScrollBar().setValue(0)
    view.set_size(view.size_px - 1)
    view.grab()
    assert len(view.laid.column.laid) < whole
    view.reveal(len(words) - 1)
    assert len(view.laid.column.laid) == whole and view.verticalScrollBar().value() > view.viewport().height()


def test_the_page_of_words_stays_where_it_was_scrolled_to_whatever_changes(edit, monkeypatch):
    lane, view = edit.session.episode.lanes[0], edit.words_pane.words
    words = tuple(Word(f"word{k}.", k * RATE // 4, k * RATE // 4 + RATE // 8) for k in range(900))
    monkeypatch.setattr(words_view, "PAINT_BUDGET_S", 0.0)  # no more than is seen is laid out at once
    edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, words)))
    view.lay_out()
    bar = view.verticalScrollBar()
    bar.setValue(place := bar.maximum() // 2)
    assert place > 2 * view.viewport().height()
    changes = (
        lambda: edit.session.do(cut_stretch(edit.session.episode, 220 * RATE, 221 * RATE)),
        lambda: edit.session.do(correct_word(edit.session.episode, lane.id, 890, "other.")),
        edit.session.document.undo,
        lambda: edit.theme.set_night(True),
        lambda: edit.theme.set_night(False),
    )
    for change in changes:
        change()
        view.grab()
        assert bar.value() == place


def test_words_that_become_fewer_before_all_were_laid_out_are_laid_out_anew(edit, monkeypatch):
    lane = edit.session.episode.lanes[0]
    words = tuple(Word(f"word{k}.", k * RATE // 4, k * RATE // 4 + RATE // 8) for k in range(1500))
    monkeypatch.setattr(words_view, "PAINT_BUDGET_S", 0.0)
    view = edit.words_pane.words
    edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, words)))
    view.verticalScrollBar().setValue(0)
    view._on_changed()
    view.grab()
    assert not view.laid.column.is_whole
    edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, words[:5])))
    view.laid.is_stale = False  # somebody asks where a word is before the page has heard that the words are others
    view.lay_out()
    others = sum(len(t.words) for t in edit.session.episode.transcripts if t.lane != lane.id)
    assert view.laid.column.is_whole and len(view.laid.column.rows) <= 5 + others


def test_words_that_are_wanted_are_written_down_and_stopped(shared_window, short_demo, qtbot, tmp_path):
    window = shared_window
    put_down(qtbot, window, short_demo / EPISODE_FILE)
    window.go_step(Step.EDIT)
    window.speech.transcribing.start()
    assert window.speech.transcribing.is_busy()
    window.speech.transcribing.stop()
    settle(qtbot, window)
    assert not window.session.episode.transcripts
    text = tmp_path / "lines.txt"
    text.write_text("Welcome aboard The Slow Ferry, the podcast that takes the long way round.")
    window.session.pick_lane(window.session.episode.lanes[0].id)
    window.pages[Step.EDIT].acts.wording.bring_text(text)
    settle(qtbot, window)
    words = [w.text for w in window.session.episode.transcripts[0].words if w.kind is WordKind.WORD]
    assert words[:3] == ["Welcome", "aboard", "The"] and EPISODE_FILE
    start = next(w for w in window.session.episode.transcripts[0].words if w.kind is WordKind.WORD).start_frame / RATE
    assert start == pytest.approx(5.25, abs=0.25)
    assert window.words_pane.words.item_at(QPointF(300, 20)) is not None


class TestWhatIsSelectedStaysTrue:
    """Rows are places in a table that other edits make anew."""

    def words(self, edit) -> list[str]:
        return [edit.speech.table.texts[row] for row in edit.selection.rows]

    def test_words_stay_selected_when_a_lane_before_them_is_taken_out(self, edit):
        table = edit.speech.table
        other = table.voice(0).lane
        first = next(row for row in range(len(table)) if table.voice(row).lane != other)
        edit.words_pane.words.select_rows([first, first + 1])
        chosen, range_before = self.words(edit), edit.selection.range
        edit.session.do(remove_lane(edit.session.episode, other))
        assert self.words(edit) == chosen and edit.selection.range == range_before and edit.selection.rows[0] == 0 < first
        edit.actions_by_id["undo"].run()
        assert self.words(edit) == chosen and edit.selection.rows == (first, first + 1)

    def test_words_that_are_gone_are_let_go(self, edit):
        edit.words_pane.words.select_rows([40])
        edit.session.do(remove_lane(edit.session.episode, edit.speech.table.voice(40).lane))
        assert edit.selection.rows == () and edit.selection.range is None

    def test_the_range_goes_along_with_a_recording_that_is_moved(self, edit):
        edit.words_pane.words.select_rows([40, 41])
        (start, end), chosen = edit.selection.range, self.words(edit)
        lanes = {edit.speech.table.voice(row).lane for row in (40, 41)}
        for lane in lanes:
            edit.session.do(nudge(edit.session.episode, lane, 480))
        assert edit.selection.range == (start + 480, end + 480) and self.words(edit) == chosen

    def test_all_of_a_kind_stay_selected_when_one_of_them_is_corrected(self, edit):
        edit.words_pane.words.select_rows([row_of(edit, "the")])
        edit.actions_by_id["select-alike"].run()
        rows, spans = edit.selection.rows, edit.selection.spans
        word = edit.speech.table.voice(rows[0]).lane, int(edit.speech.table.numbers[rows[0]])
        edit.session.do(correct_word(edit.session.episode, *word, "thee"))
        assert edit.selection.rows == rows and edit.selection.spans == spans

    def test_what_was_put_in_and_is_taken_out_again_is_let_go(self, edit):
        edit.session.do(insert_break(edit.session.episode, 5 * RATE, RATE, "gap", "Break", cue=False))
        edit.selection.pick_placed("gap")
        edit.actions_by_id["undo"].run()
        assert edit.selection.placed is None
