"""What the Edit step's commands do and say, also where there is nothing to do: chapters, breaks, covers, pauses, fillers, retakes."""

from __future__ import annotations

import threading
from dataclasses import replace
from functools import partial

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog

from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.lanes import remove_lane
from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import Document
from dubbin.core.episode.model import CoverKind, CutKind, PlacedKind, Role
from dubbin.core.mix.overlaps import Overlaps
from dubbin.core.speech.transcript import Transcript, Word, WordKind, plain
from dubbin.window.edit.dialogs import WordDialog
from dubbin.window.intake.lane_card import LaneCard
from dubbin.window.session import speech
from dubbin.window.shell.step import Step
from tests.conftest import RATE, noise
from tests.window.conftest import LONG_MS, drag, settle
from tests.window.test_editing import edit, row_of  # noqa: F401


@pytest.fixture
def acts(edit):  # noqa: F811
    return edit.pages[Step.EDIT].acts


@pytest.fixture
def said(edit):  # noqa: F811
    """All sentences that are said."""
    sentences: list[str] = []

    def offered(text: str, _: object) -> None:
        sentences.append(text)

    edit.session.said.connect(sentences.append)
    edit.session.offered.connect(offered)
    yield sentences
    edit.session.said.disconnect(sentences.append)
    edit.session.offered.disconnect(offered)


class TestAllOfAKind:
    def select(self, edit, text: str) -> list[int]:  # noqa: F811
        row = row_of(edit, text)
        edit.words_pane.words.select_rows([row])
        edit.actions_by_id["select-alike"].run()
        return list(edit.selection.rows)

    def test_a_word_is_selected_wherever_it_stands_and_cut_and_put_back(self, edit, said):  # noqa: F811
        rows = self.select(edit, "the")
        table, whole = edit.speech.table, edit.session.map.program_frames
        assert len(rows) > 2 and {plain(table.words[r].text) for r in rows} == {"the"} and edit.selection.range is None
        assert f"{len(rows)} ×" in said[-1]
        before = steps(edit)
        edit.actions_by_id["cut"].run()
        assert steps(edit) == before + 1 and edit.session.map.program_frames < whole
        assert all(edit.session.episode.cut_at(int(table.middles[r])) is not None for r in rows)
        left = [r for r in range(len(table)) if r not in rows and table.words[r].kind is WordKind.WORD]
        assert not any(edit.session.episode.cut_at(int(table.middles[r])) for r in left)
        edit.words_pane.words.select_rows([rows[0]])
        edit.actions_by_id["select-alike"].run()
        edit.actions_by_id["put-back"].run()
        assert edit.session.map.program_frames == whole and not edit.selection.rows

    def test_they_are_marked_with_their_text_and_bleeped_on_their_own_lanes(self, edit):  # noqa: F811
        rows = self.select(edit, "the")
        edit.actions_by_id["mark-selected"].run()
        starts = [int(edit.speech.table.starts[r]) for r in rows]
        assert [(m.frame, plain(m.text)) for m in edit.session.episode.markers] == [(s, "the") for s in starts]
        before = steps(edit)
        edit.actions_by_id["bleep"].run()
        assert steps(edit) == before + 1
        for row in rows:
            lane = edit.session.episode.lane(edit.speech.table.voice(row).lane)
            assert any(c.start_frame + lane.start_frame == edit.speech.table.starts[row] and c.kind is CoverKind.TONE for c in lane.covers)

    def test_all_that_was_found_is_selected_by_one_button(self, edit):  # noqa: F811
        edit.actions_by_id["find"].run()
        edit.words_pane.field.setText("the")
        assert edit.words_pane.every.isVisible()
        edit.words_pane.every.click()
        assert len(edit.selection.spans) == len(edit.speech.table.find("the")) > 2
        edit.selection.clear()
        assert not edit.selection.rows and not edit.selection.spans

    def test_pauses_and_fillers_become_markers_that_say_what_they_are(self, edit, acts):  # noqa: F811
        edit.actions_by_id["mark-pauses"].run()
        pauses = edit.session.analyses.pauses()
        assert len(edit.session.episode.markers) == len(pauses) and all(m.text.startswith("pause ") for m in edit.session.episode.markers)
        edit.actions_by_id["mark-fillers"].run()
        fillers = [w for w in edit.speech.table.words if w.kind is WordKind.FILLER]
        assert len(edit.session.episode.markers) == len(pauses) + len(fillers)
        edit.session.document.undo()
        assert len(edit.session.episode.markers) == len(pauses)

    def test_without_a_word_it_says_what_to_do(self, edit, acts, said):  # noqa: F811
        edit.selection.set_head(0)
        acts.alike.select()
        assert "first" in said[-1]
        acts.alike.mark()
        assert "first" in said[-1]


class TestPauseLevel:
    def test_it_is_what_the_selected_stretch_stays_below(self, edit, said):  # noqa: F811
        quiet = max(edit.session.analyses.pauses(), key=lambda p: p.end_s - p.start_s)
        edit.selection.select(round((quiet.start_s + 0.2) * RATE), round((quiet.end_s - 0.2) * RATE))
        edit.actions_by_id["pause-level"].run()
        level = edit.session.episode.pauses.quieter_than_db
        assert level is not None and -70 < level < -30 and "dBFS" in said[-1]
        found = edit.session.analyses.pauses()
        assert any(p.start_s < quiet.end_s and p.end_s > quiet.start_s for p in found)
        page = edit.pages[Step.EDIT]
        assert not page.pauses.automatic.isChecked()

    def test_without_a_stretch_it_says_what_to_do(self, edit, acts, said):  # noqa: F811
        acts.pausing.level_from_selection()
        assert "nobody speaks" in said[-1] and not acts.pausing.can_take_level()


def test_overlaps_are_looked_for_beside_the_window_and_move_with_the_lanes(qtbot, edit, monkeypatch):  # noqa: F811
    """While they are looked for anew those known last are shown; of lanes that are gone nothing is."""
    found: list[threading.Thread] = []

    def find(voices, rate, transcripts):
        found.append(threading.current_thread())
        ids = tuple(lane.id for lane, _ in voices)
        return Overlaps((((ids[0], ids[1]), 1.0 + voices[1][0].start_frame / rate, 9.0),), (ids[0],)) if len(ids) > 1 else Overlaps()

    monkeypatch.setattr(speech, "find_overlaps", find)
    edit.speech._overlaps.forget()
    lane = edit.session.episode.session_voices[1]
    assert edit.speech.crosstalk() == () and edit.speech.hears_the_other() == ()
    qtbot.waitUntil(lambda: len(edit.speech.crosstalk()) == 1)
    edit.session.do(nudge(edit.session.episode, lane.id, RATE))
    assert edit.speech.crosstalk()[0][1] == 1.0 + lane.start_frame / RATE
    qtbot.waitUntil(lambda: edit.speech.crosstalk()[0][1] == 2.0 + lane.start_frame / RATE)
    times = len(found)
    edit.session.do(cut_stretch(edit.session.episode, RATE, 2 * RATE))
    assert len(edit.speech.crosstalk()) == 1 and len(found) == times  # a cut moves nobody
    edit.session.do(remove_lane(edit.session.episode, lane.id))
    assert edit.speech.crosstalk() == ()
    assert threading.main_thread() not in found
    settle(qtbot, edit)


class TestOverlaps:
    @pytest.fixture
    def talk(self, edit, monkeypatch):  # noqa: F811
        a, b = edit.session.episode.session_voices
        places = [((a.id, b.id), 10.0, 10.5), ((a.id, b.id), 20.0, 21.0)]
        monkeypatch.setattr(type(edit.speech), "crosstalk", lambda self: places)
        monkeypatch.setattr(type(edit.speech), "hears_the_other", lambda self: [b.id, a.id])
        return a.id, b.id

    def test_the_one_at_the_head_is_lowered_by_the_chosen_amount_and_put_back(self, edit, acts, talk):  # noqa: F811
        acts.overlaps.lower_db = 9.0
        edit.selection.set_head(round(10.2 * RATE))
        edit.actions_by_id["lower-overlap"].run()
        (cover,) = edit.session.episode.lane(talk[1]).covers
        assert (cover.start_frame, cover.end_frame, cover.kind, cover.gain_db) == (10 * RATE, 10 * RATE + RATE // 2, CoverKind.LOWER, -9.0)
        edit.actions_by_id["lower-overlap"].run()
        assert edit.session.episode.lane(talk[1]).covers == ()

    def test_all_are_lowered_in_one_step_and_shown_in_the_list(self, edit, acts, talk, said):  # noqa: F811
        page, before = edit.pages[Step.EDIT], steps(edit)
        page.tabs.show_tab("overlaps")
        page.overlaps.refresh()
        assert page.overlaps.item(0, 4).text() == "Tobias" and page.overlaps.item(1, 4).text() == "Ines"
        edit.actions_by_id["lower-overlaps"].run()
        assert steps(edit) == before + 1 and all(len(edit.session.episode.lane(i).covers) == 1 for i in talk)
        page.overlaps.refresh()
        assert "lowered by" in page.overlaps.item(1, 5).text()
        edit.actions_by_id["lower-overlaps"].run()
        assert "no overlap left" in said[-1]
        page.overlaps.item(0, 0).setCheckState(Qt.CheckState.Unchecked)
        assert edit.session.episode.lane(talk[1]).covers == ()
        edit.selection.set_head(0)
        edit.actions_by_id["lower-overlap"].run()
        assert "no overlap at the play head" in said[-1]

    def test_two_in_one_microphone_are_shown_and_gone_to_but_never_lowered(self, qtbot, edit, acts, said):  # noqa: F811
        lane, page = edit.session.episode.session_voices[0], edit.pages[Step.EDIT]
        words = (Word("so", 0, RATE), Word("yes", RATE, 2 * RATE, speaker=1))
        together = ((30 * RATE, 31 * RATE),)
        edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, words, speakers=("Ines", "Guest"), together=together)))
        at = lane.start_frame / RATE + 30.0
        qtbot.waitUntil(lambda: ((lane.id,), at, at + 1.0) in edit.speech.crosstalk(), timeout=60_000)
        page.tabs.show_tab("overlaps")
        page.overlaps.refresh()
        row = next(k for k in range(page.overlaps.rowCount()) if page.overlaps.item(k, 4).text() == "both in one microphone")
        assert page.overlaps.item(row, 3).text() == "Ines and Guest"
        assert not page.overlaps.item(row, 0).flags() & Qt.ItemFlag.ItemIsUserCheckable
        before = edit.session.episode
        edit.selection.set_head(round((at + 0.5) * RATE))
        edit.actions_by_id["lower-overlap"].run()
        assert edit.session.episode is before and "one microphone" in said[-1]
        edit.actions_by_id["lower-overlaps"].run()
        assert not any(c.start_frame <= 30 * RATE < c.end_frame for c in edit.session.episode.lane(lane.id).covers)
        edit.actions_by_id["undo"].run()
        edit.selection.clear()
        edit.selection.set_head(round((at - 3.0) * RATE))
        edit.actions_by_id["next-overlap"].run()
        assert edit.selection.head <= round((at + 1.0) * RATE)


class TestEdges:
    def test_an_edge_that_was_dragged_is_the_one_that_the_keys_move(self, edit):  # noqa: F811
        for a, b in ((10.0, 12.0), (12.3, 13.0)):
            edit.session.do(cut_stretch(edit.session.episode, round(a * RATE), round(b * RATE)))
        edit.view.show_range(9 * RATE, 14 * RATE)
        edit.selection.set_head(round(12.3 * RATE))
        edge = edit.view.x_of_end(12 * RATE)
        middle = edit.lanes.height() / 2
        drag(edit.lanes, (edge, middle), (edge - 40, middle))
        (dragged,) = (c for c in edit.session.episode.cuts if c.start_frame == 10 * RATE)
        assert dragged.end_frame < 12 * RATE and edit.selection.cut == dragged and edit.selection.head == dragged.end_frame
        edit.actions_by_id["nudge-on"].run()
        (moved,) = (c for c in edit.session.episode.cuts if c.start_frame == 10 * RATE)
        assert moved.end_frame == dragged.end_frame + RATE // 100

    def test_a_typed_value_moves_the_edge_or_the_recording_by_it(self, edit, monkeypatch):  # noqa: F811
        edit.session.do(cut_stretch(edit.session.episode, 10 * RATE, 12 * RATE))
        edit.selection.set_head(12 * RATE)
        answers = iter([(-37.5, True), (0.0, True), (5.0, False), (-250.0, True)])
        monkeypatch.setattr(QInputDialog, "getDouble", lambda *a, **k: next(answers))
        for _ in range(3):
            edit.actions_by_id["nudge-by"].run()
        (cut,) = edit.session.episode.cuts
        assert (cut.start_frame, cut.end_frame) == (10 * RATE, 12 * RATE - RATE * 3 // 80)
        edit.go_step(Step.INTAKE)
        second = edit.session.episode.session_voices[1]
        card = next(c for c in edit.pages[Step.INTAKE].card.findChildren(LaneCard) if c.name.text() == second.voice)
        card.nudge_by.click()
        a, b = edit.session.episode.session_voices
        assert b.start_frame - a.start_frame == -RATE // 4


class TestSpeakers:
    def test_speakers_that_are_told_apart_get_lanes_of_their_own(self, edit, acts, said, monkeypatch):  # noqa: F811
        lane = edit.session.episode.session_voices[0]
        edit.session.pick_lane(lane.id)
        assert not acts.wording.has_speakers()
        acts.wording.ask_lanes_of_speakers()
        assert "Separate the speakers" in said[-1]
        words = tuple(replace(w, speaker=k // 10 % 2) for k, w in enumerate(edit.session.episode.transcript(lane.id).words))
        edit.session.do(set_transcript(edit.session.episode, Transcript(lane.id, words, speakers=("Ines", "Guest"))))
        monkeypatch.setattr(QInputDialog, "getDouble", lambda *a, **k: (24.0, True))
        edit.actions_by_id["lanes-of-speakers"].run()
        parts = [x for x in edit.session.episode.session_voices if x.recording == lane.recording]
        assert [x.voice for x in parts] == ["Ines", "Guest"] and {c.gain_db for x in parts for c in x.covers} == {-24.0}
        edit.selection.set_head(parts[1].covers[0].start_frame + 10)
        acts.covering.uncover()
        assert edit.session.episode.lane(parts[1].id).covers == parts[1].covers, "another's turn is no cover to be taken off"


def steps(window) -> int:
    return len(window.session.document.history.done)


class TestChapters:
    def test_another_title_is_asked_for_with_the_old_one(self, edit, acts, monkeypatch):  # noqa: F811
        acts.chaptering.add("The tide")
        seen = []
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (seen.append((a[1], k["text"])), ("", False))[1])
        (chapter,) = (m for m in edit.session.episode.markers if m.is_chapter)
        assert acts.chaptering.ask_new_title(chapter) is None and seen == [("Rename the chapter", "The tide")]

    def test_the_list_goes_to_the_clipboard_in_program_time(self, edit, acts, said):  # noqa: F811
        acts.chaptering.copy_list()
        assert said == ["There are no chapters yet."]
        edit.session.do(cut_stretch(edit.session.episode, 10 * RATE, 20 * RATE))
        for at_s, title in ((0, "Hello"), (30, "The tide")):
            edit.selection.set_head(at_s * RATE)
            acts.chaptering.add(title)
        acts.chaptering.copy_list()
        lines = QApplication.clipboard().text().splitlines()
        assert [line.split()[-1] for line in lines] == ["Hello", "tide"] and "0:20" in lines[1]

    def test_too_little_text_is_said(self, edit, acts, said):  # noqa: F811
        edit.session.do(cut_stretch(edit.session.episode, 2 * RATE, edit.session.episode.frames))
        acts.chaptering.suggest()
        assert len(said) == 1 and not any(m.is_chapter for m in edit.session.episode.markers)


class TestInserting:
    def test_a_file_of_two_channels_lies_there_as_music_and_its_remarks_are_said(self, edit, acts, qtbot, tmp_path, said):  # noqa: F811
        x = noise(2, -30)
        sf.write(tmp_path / "jingle.wav", np.stack([x, x[::-1]], axis=1), RATE)
        sf.write(tmp_path / "note.wav", np.where(np.arange(len(x)) == 5, np.nan, x), RATE, subtype="FLOAT")
        known = {lane.id for lane in edit.session.episode.lanes}
        for name in ("jingle", "note"):
            acts.inserting.insert_file(tmp_path / f"{name}.wav")
            settle(qtbot, edit)
        roles = {lane.voice: lane.role for lane in edit.session.episode.lanes if lane.id not in known}
        assert roles["Jingle"] is Role.MUSIC and roles["Note"] is not Role.MUSIC
        assert [p.kind for p in edit.session.episode.placed] == [PlacedKind.INSERT] * 2
        assert any("note.wav" in sentence for sentence in said)

    def test_a_file_that_is_no_sound_is_said_and_nothing_is_put_in(self, edit, acts, qtbot, tmp_path, said):  # noqa: F811
        (tmp_path / "text.wav").write_text("no sound")
        before = edit.session.episode
        acts.inserting.insert_file(tmp_path / "text.wav")
        settle(qtbot, edit)
        assert edit.session.episode == before and "text.wav" in edit.notices.text.text()


class TestCovering:
    def test_without_a_selection_it_is_asked_for(self, edit, acts, said):  # noqa: F811
        edit.selection.clear()
        assert not acts.covering.can_cover()
        acts.covering.cover(CoverKind.SILENCE)
        acts.covering.uncover()
        assert said == ["Select a word or a stretch first.", "Nothing is muted or covered here."] and steps(edit) == 2

    def test_where_the_lane_is_not_recorded_nothing_is_covered(self, edit, acts, said):  # noqa: F811
        end = edit.session.episode.frames
        edit.selection.select(end + RATE, end + 2 * RATE)
        acts.covering.cover(CoverKind.SILENCE)
        assert "is not recorded there" in said[0] and not any(lane.covers for lane in edit.session.episode.lanes)

    @pytest.mark.parametrize(("kind", "level"), [(CoverKind.SILENCE, 0.0), (CoverKind.LOWER, 10 ** (-12 / 20))])
    def test_a_muted_stretch_is_still_and_a_lowered_one_is_lower(self, edit, acts, kind, level):  # noqa: F811
        lane = edit.session.picked_lane
        a, b = lane.start_frame + 4 * RATE, lane.start_frame + 6 * RATE
        x = edit.session.analyses.sound(lane).voiced.read(4 * RATE, 6 * RATE)
        edit.selection.select(a, b)
        acts.covering.cover(kind)
        (made,) = edit.session.episode.lane(lane.id).covers
        assert (made.start_frame, made.end_frame, made.kind) == (4 * RATE, 6 * RATE, kind)
        edit.session.do(replace_solo(edit.session, lane.id))
        program = edit.session.monitor.program()
        y = program.read(*(edit.session.map.to_program(f) for f in (a + RATE // 2, b - RATE // 2)))
        middle = x[0, RATE // 2 : -RATE // 2]
        assert np.sqrt(np.mean(y[0] ** 2)) == pytest.approx(level * np.sqrt(np.mean(middle**2)), rel=0.5, abs=1e-6)


def replace_solo(session, lane_id: str):
    """A change after which one lane alone is heard."""
    from dubbin.core.episode.commands.change import Change

    lanes = tuple(replace(lane, solo=lane.id == lane_id) for lane in session.episode.lanes)
    return Change("Solo", replace(session.episode, lanes=lanes))


class TestCuttingAndPuttingIn:
    def test_what_is_cut_is_put_in_elsewhere_by_one_more_key(self, edit, acts):  # noqa: F811
        whole = edit.session.map.program_frames
        edit.selection.select(10 * RATE, 12 * RATE)
        QTest.keyClick(edit.lanes, Qt.Key.Key_X)
        assert edit.session.map.program_frames == whole - 2 * RATE
        edit.selection.set_head(30 * RATE)
        QTest.keyClick(edit.lanes, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        assert edit.session.map.program_frames == whole
        at = edit.session.map.to_program(30 * RATE)
        assert edit.session.map.stretches_between(at - 2 * RATE, at) == [(10 * RATE, 12 * RATE)]

    def test_moving_what_was_cut_puts_it_in_so_that_it_is_heard(self, edit, acts):  # noqa: F811
        whole = edit.session.map.program_frames
        edit.selection.select(10 * RATE, 12 * RATE)
        acts.cutting.cut()
        edit.selection.set_head(30 * RATE)
        acts.moving.move_here()
        assert edit.session.map.program_frames == whole

    def test_what_was_taken_means_nothing_in_another_episode(self, edit, acts, said):  # noqa: F811
        edit.selection.select(10 * RATE, 12 * RATE)
        acts.moving.copy()
        assert acts.moving.has_taken()
        edit.set_document(Document(edit.session.folders.journals))
        acts.moving.put_copy()
        assert not acts.moving.has_taken() and "Nothing was taken yet" in said[-1] and edit.session.episode.placed == ()


class TestPauses:
    def test_where_there_is_no_pause_the_way_to_one_is_said(self, edit, acts, said):  # noqa: F811
        one, next_one = edit.session.analyses.pauses()[:2]
        edit.selection.set_head(round((one.end_s + next_one.start_s) / 2 * RATE))
        acts.pausing.toggle()
        assert len(said) == 1 and "no pause at the play head" in said[0]


class TestFillersAndRetakes:
    def test_away_from_fillers_the_way_to_one_is_said(self, edit, acts, said):  # noqa: F811
        edit.selection.set_head(0)
        acts.fillers.toggle()
        acts.fillers.cut([])
        acts.fillers.hear_next(-1)
        assert len(said) == 3 and not edit.session.episode.cuts

    def test_the_filler_at_the_head_is_cut_and_put_back(self, edit, acts, said):  # noqa: F811
        filler = edit.speech.fillers()[0]
        edit.selection.set_head(filler.cut.start_frame)
        acts.fillers.toggle()
        assert acts.fillers.is_cut(filler)
        acts.fillers.toggle()
        assert not edit.session.episode.cuts and said == []

    def test_how_many_are_cut_and_resolved_is_what_each_says_of_itself(self, edit, acts, said):  # noqa: F811
        fillers, retakes = edit.speech.fillers(), edit.speech.retakes()
        assert len(fillers) > 1 and retakes
        assert acts.fillers.count_cut([]) == acts.retakes.count_resolved([]) == 0
        one_each = partial(acts.fillers.cut, fillers[:1]), partial(acts.retakes.keep, retakes[0], 0)
        for act in (*one_each, acts.retakes.keep_last, acts.fillers.cut_all):
            act()
            fillers, retakes = edit.speech.fillers(), edit.speech.retakes()
            assert acts.fillers.count_cut(fillers) == sum(acts.fillers.is_cut(f) for f in fillers) > 0
            assert acts.retakes.count_resolved(retakes) == sum(acts.retakes.kept(r) is not None for r in retakes)
        assert acts.retakes.count_resolved(retakes) > 0

    def test_fillers_and_last_takes_that_are_still_looked_for_are_cut_as_soon_as_they_are_found(self, edit, acts, qtbot):  # noqa: F811
        lane = edit.session.episode.transcripts[0].lane
        words = edit.session.episode.transcript(lane).words
        edit.session.do(set_transcript(edit.session.episode, Transcript(lane, words)))  # words that were not looked through yet
        before = edit.speech.fillers()
        assert before and edit.speech.found_fillers() is None, "those of before are shown while new ones are looked for"
        acts.fillers.cut_all()
        acts.retakes.keep_last()
        assert not edit.session.episode.cuts
        qtbot.waitUntil(lambda: {c.kind for c in edit.session.episode.cuts} >= {CutKind.FILLER, CutKind.RETAKE}, timeout=LONG_MS)
        edit.actions_by_id["undo"].run()
        edit.actions_by_id["undo"].run()
        settle(qtbot, edit)
        assert not edit.session.episode.cuts, "asked for once, cut once"

    def test_beyond_the_last_retake_it_is_said(self, edit, acts, said):  # noqa: F811
        edit.selection.set_head(edit.session.episode.frames - 1)
        acts.retakes.hear_next(1)
        assert said == ["There is no further retake."]


def test_a_word_is_corrected_as_the_dialog_says(qtbot):
    dialog = WordDialog("fery")
    qtbot.addWidget(dialog)
    assert dialog.field.selectedText() == "fery" and not dialog.everywhere()
    dialog.field.setText(" ferry ")
    dialog.box.click()
    assert dialog.text() == "ferry" and dialog.everywhere() and isinstance(dialog, QDialog)


@pytest.mark.parametrize(
    ("answer", "form"),
    [
        (("29.97", True), "FCM: DROP FRAME"),
        (("12,5", True), "FCM: NON-DROP FRAME"),
        (("soon", True), None),
        (("0", True), None),
        (("25", False), None),
    ],
)
def test_an_edl_asks_for_the_pictures_frames_a_second(edit, acts, monkeypatch, tmp_path, answer, form, said):  # noqa: F811
    path = tmp_path / "cuts.edl"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a: answer)
    acts.export.ask_file()
    assert (form in path.read_text()) if form else not path.exists()
    assert bool(said) == answer[1]


class TestClipsOfWords:
    @pytest.fixture
    def span_of(self, edit, tmp_path, monkeypatch):  # noqa: F811
        """Program frames of the clip that the selected rows would make."""
        exporting, spans = edit.pages[Step.MASTER].exporting, []
        monkeypatch.setattr(exporting._mastering, "make", lambda folder, span=None: spans.append(span))

        def make(rows: list[int]) -> tuple[int, int]:
            edit.words_pane.words.select_rows(rows)
            exporting.clip_to(tmp_path)
            return spans[-1]

        return make

    def test_a_clip_holds_its_words_and_a_margin(self, edit, span_of):  # noqa: F811
        row, table = row_of(edit, "fridge", 1), edit.speech.table
        a, b = span_of([row])
        assert 0 <= table.starts[row] - a <= 0.5 * RATE and 0 <= b - table.ends[row] <= 0.5 * RATE

    def test_a_margin_ends_where_a_cut_begins(self, edit, span_of):  # noqa: F811
        row, table = row_of(edit, "fridge", 1), edit.speech.table
        end = int(table.ends[row])
        edit.session.do(cut_stretch(edit.session.episode, end, end + 3 * RATE))
        a, b = span_of([row])
        assert b == edit.session.map.to_program(end - 1) + 1 and a <= table.starts[row]

    def test_of_words_that_were_moved_only_they_are_in_the_clip(self, edit, acts, span_of):  # noqa: F811
        row, table = row_of(edit, "fridge", 1), edit.speech.table
        start, end = int(table.starts[row]), int(table.ends[row])
        edit.selection.select(start, end)
        acts.moving.copy()
        edit.selection.set_head(10 * RATE)
        acts.moving.move_here()
        a, b = span_of([row])
        assert b - a == end - start and a == edit.session.map.to_program(start)
