"""Master in the real window: from the choice of targets to the proof sheet; clips, stems, notes, and Run the card."""

from __future__ import annotations

import threading
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from dubbin.core.card.entry import BalancePart, BalanceSwitch
from dubbin.core.deliver.audition import Audition
from dubbin.core.deliver.passages import Passage
from dubbin.core.deliver.recipe import load_recipe
from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.delivery import change_delivery
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.commands.treatments import change_use
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.errors import DubbinError
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.window.shell.step import Step
from tests.conftest import noise
from tests.core.test_other_readers import film, filmed
from tests.window.conftest import LONG_MS, put_down, settle
from tests.window.test_dialogs_by_hand import leave, with_hands
from tests.window.test_file_dialogs import choosing_folder

RATE = 48000


@pytest.fixture(scope="module")
def two_recordings(request, tmp_path_factory):
    """An episode of two short recordings, a little noisy."""
    speech, folder = request.getfixturevalue("speech"), tmp_path_factory.mktemp("two")
    copies, lanes, recordings = WorkingCopies(folder / "copies"), [], []
    for k, name in enumerate(("ines", "tobias")):
        sf.write(folder / f"{name}.wav", speech[k * 6 * RATE : (k + 1) * 6 * RATE] * 0.5 + noise(6, -58, k), RATE)
        taken = import_file(folder / f"{name}.wav", copies, RATE)
        recordings.append(taken.recording)
        lanes += taken.lanes
    save_episode(add_recordings(new_episode(), recordings, lanes).episode, folder / "two.dubbin")
    return folder / "two.dubbin"


@pytest.fixture
def master(qtbot, shared_window, two_recordings):
    """A window with two short recordings on its Master page."""
    put_down(qtbot, shared_window, two_recordings)
    shared_window.go_step(Step.MASTER)
    shared_window.selection.clear()
    settle(qtbot, shared_window)
    return shared_window


def test_from_targets_to_proof_sheets(qtbot, master, tmp_path):
    page, out = master.pages[Step.MASTER], tmp_path / "out"
    out.mkdir()
    page.formats.boxes["wav"].click()
    page.formats.boxes["flac"].click()
    page.targets.boxes["broadcast-r128"].click()
    page.extras.boxes["chapters"].click()
    master.navigation.go(3 * RATE)
    assert page.export_button.text() == "Make 2 masters …" and page.panes.predictions.rowCount() == 2
    assert "yes" in page.panes.predictions.item(1, 3).text()
    page.exporting.export_to(out)
    settle(qtbot, master)
    assert page.panes.verdict.text() == "2 of 2 masters pass." and page.panes.tabs.current == "masters"
    url = page.sheet_of(1)
    assert url is not None and url.toLocalFile().endswith(".proof.html")
    assert len(list(out.glob("*.pdf"))) == 2 and not [p for p in out.iterdir() if p.name.startswith(".")]
    master.session.do(set_level(master.session.episode, master.session.episode.lanes[0].id, -3.0))
    assert "changed since" in page.panes.verdict.text()


def test_the_master_is_heard_as_it_will_be_and_as_loud_as_the_program(qtbot, master):
    page, session = master.pages[Step.MASTER], master.session
    target = page.mastering.chosen()[0]
    before = measure_loudness(session.monitor.program())
    page.panes.heard.chosen.emit("master")
    heard = session.monitor.audible()
    assert isinstance(heard, Audition)
    after = measure_loudness(heard)
    assert after.integrated_lufs == pytest.approx(target.integrated_lufs, abs=0.3) and after.true_peak_dbtp <= -1.0
    page.panes.heard.chosen.emit("Matched")
    assert measure_loudness(session.monitor.audible()).integrated_lufs == pytest.approx(before.integrated_lufs, abs=0.3)
    master.go_step(Step.EDIT)
    assert not isinstance(session.monitor.audible(), Audition)


def test_a_clip_of_the_selection_and_stems_that_add_up(qtbot, master, tmp_path):
    out = tmp_path / "out"
    out.mkdir()
    page = master.pages[Step.MASTER]
    page.formats.boxes["flac"].click()
    page.formats.boxes["mp3"].click()
    assert not page.clip.isEnabled()
    master.selection.select(RATE, 4 * RATE)
    assert page.clip.isEnabled()
    with_hands(page.clip.click, leave)
    settle(qtbot, master)
    assert list(out.iterdir()) == []
    with_hands(page.clip.click, choosing_folder(out))
    settle(qtbot, master)
    (clip,) = out.glob("*.wav")
    assert "clip-1-4s" in clip.name and sf.info(clip).duration == pytest.approx(3.0, abs=0.01)
    clip.unlink()
    master.pages[Step.MASTER].exporting.stems_to(out)
    settle(qtbot, master)
    stems = [sf.read(p, always_2d=True)[0] for p in sorted(out.glob("*.stem.*.wav"))]
    assert len(stems) == 2
    program = master.session.monitor.program()
    np.testing.assert_allclose(sum(stems).T, program.read(0, program.frames), atol=1e-6)


@pytest.mark.parametrize("is_cut", [False, True])
def test_the_video_button_makes_what_the_picture_needs(qtbot, master, tmp_path, is_cut):
    out, page = tmp_path / "out", master.pages[Step.MASTER]
    out.mkdir()
    episode = filmed(film(tmp_path / "talk.mp4"), tmp_path)
    if is_cut:
        episode = cut_stretch(episode, 2 * RATE, 3 * RATE).episode
    save_episode(replace(episode, delivery=replace(episode.delivery, targets=("podcast-mono",))), tmp_path / "film.dubbin")
    put_down(qtbot, master, tmp_path / "film.dubbin")
    master.go_step(Step.MASTER)
    settle(qtbot, master)
    asked = []

    def take(dialog):
        asked.append(dialog.windowTitle())
        choosing_folder(out)(dialog)

    assert page.video.isVisible()
    with_hands(page.video.click, leave)
    settle(qtbot, master)
    assert list(out.iterdir()) == []
    with_hands(lambda: QTest.mouseClick(page.video, Qt.MouseButton.LeftButton), take)
    settle(qtbot, master)
    made = {p.name for p in out.iterdir()}
    assert made == ({"film.podcast-mono.wav", "film.picture.edl", "film.picture.otio"} if is_cut else {"film.podcast-mono.mp4"})
    assert asked == ["Folder for the video talk.mp4"] and ("conform" in master.notices.text.text()) == is_cut


def test_passages_are_listed_heard_and_made_into_clips_with_captions(qtbot, master, tmp_path):
    page, session = master.pages[Step.MASTER], master.session
    page.panes.show_tab("clips")
    assert page.passages.table.rowCount() == 0 and "transcribed" in page.passages.said.text()
    lane = session.episode.session_voices[0]
    text = (
        "Why does the bronze bell ring? The bronze bell rings because bronze rings. Nobody hears the bronze bell but the founder of bells."
    )
    step = session.episode.frames // (len(text.split()) + 1)
    words = tuple(Word(t, k * step, (k + 1) * step - 100) for k, t in enumerate(text.split()))
    stretched = replace(words[-1], end_frame=session.episode.frames)
    session.do(set_transcript(session.episode, Transcript(lane.id, (*words[:-1], stretched))))
    monkey = page.clips
    monkey.found = [Passage(0.5, 4.0, 1.0, ("a quick exchange",), "Why does the bronze bell ring?", (lane.voice,))]
    monkey._of = None
    monkey.changed.emit()
    page.passages.table.item(0, 0).setCheckState(Qt.CheckState.Checked)
    assert page.clips.chosen() and page.passages.make.text() == "Make 1 clip …"
    page.passages.table.cellClicked.emit(0, 1)
    assert master.player.is_playing and master.selection.range == (RATE // 2, 4 * RATE)
    master.player.stop()
    page.formats.boxes["flac"].setChecked(False)
    page.clips.make(tmp_path)
    settle(qtbot, master)
    names = sorted(p.name for p in tmp_path.iterdir())
    assert any(n.endswith(".clip-0-4s.srt") for n in names) and any(n.endswith(".wav") for n in names)
    with pytest.raises(DubbinError):
        page.clips.make(tmp_path / "nowhere")


def test_titles_are_drafted_to_choose_from(qtbot, master, monkeypatch):
    page, session = master.pages[Step.MASTER], master.session
    page.tags.titles.click()
    qtbot.waitUntil(lambda: "transcribed" in master.notices.text.text())
    lane = session.episode.session_voices[0]
    text = "Why does the bronze bell ring? The bronze bell cracked."
    session.do(
        set_transcript(session.episode, Transcript(lane.id, tuple(Word(t, k * 9000, k * 9000 + 8000) for k, t in enumerate(text.split()))))
    )
    offered: list[str] = []
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (offered.extend(a[3]), (f"{a[3][0]} (2)", True))[1])
    page.tags.titles.click()
    assert not offered, "the window does not wait for them"
    qtbot.waitUntil(lambda: session.episode.delivery.tags.title == "Why does the bronze bell ring? (2)")
    assert offered[0] == "Why does the bronze bell ring?"


def test_titles_that_come_when_another_episode_is_open_are_offered_to_nobody(qtbot, master, monkeypatch):
    session, offered = master.session, []
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (offered.append(a), ("x", True))[1])
    monkeypatch.setattr(master.files, "may_leave", lambda: True)
    master.pages[Step.MASTER].tags.titles.click()
    master.files.new()
    settle(qtbot, master)
    assert not offered and session.episode.delivery.tags.title != "x" and not master.notices.isVisible()


def test_what_was_removed_is_written_to_a_file(qtbot, master, monkeypatch, tmp_path):
    session, lane = master.session, master.session.episode.session_voices[0]
    session.pick_lane(lane.id)
    action = master.actions_by_id["write-removed"]
    assert not action.enabled()
    action.run()
    assert "switch a treatment on" in master.notices.text.text()
    session.do(change_use(session.episode, lane.id, "derumble", "", on=True, strength=100))
    settle(qtbot, master)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "gone"), ""))
    action.run()
    settle(qtbot, master)
    sound = session.analyses.sound(session.episode.lane(lane.id))
    x, _ = sf.read(tmp_path / "gone.wav", always_2d=True)
    whole = sound.recorded.read(0, sound.recorded.frames) - sound.repaired.read(0, sound.recorded.frames)
    np.testing.assert_allclose(x.T, whole, atol=2e-7)
    recording = session.episode.recording(lane.recording).path
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (recording, ""))
    before = Path(recording).read_bytes()
    action.run()
    settle(qtbot, master)
    assert Path(recording).read_bytes() == before


def test_notes_are_drafted_beside_the_window_and_anew_where_the_words_change(qtbot, master, monkeypatch):
    go, drafted = threading.Event(), []

    def drafted_slowly(publication, title):
        drafted.append(threading.current_thread())
        assert go.wait(30)
        return f"# {title}, {len(publication.words)} words"

    monkeypatch.setattr("dubbin.window.master.mastering.draft_notes", drafted_slowly)
    page, session = master.pages[Step.MASTER], master.session
    lane, rate = session.episode.lanes[0], session.episode.rate
    words = tuple(Word(f"word{k}", k * rate, k * rate + rate // 2) for k in range(10))
    session.do(set_transcript(session.episode, Transcript(lane.id, words)))
    before = page.panes.notes.toPlainText()
    qtbot.waitUntil(lambda: bool(drafted), timeout=10_000)
    assert page.panes.notes.toPlainText() == before, "the window waits for no draft"
    go.set()
    qtbot.waitUntil(lambda: page.panes.notes.toPlainText().startswith(f"# {session.episode.title}, "), timeout=10_000)
    page.refresh()
    assert len(drafted) == 1 and drafted[0] is not threading.main_thread()
    session.do(cut_stretch(session.episode, 0, 2 * rate))
    qtbot.waitUntil(lambda: len(drafted) == 2 and not session.jobs.is_busy("notes"), timeout=10_000)
    session.do(change_delivery(session.episode, "notes", notes="Mine"))
    assert page.panes.notes.toPlainText() == "Mine"
    page.panes.redraft.click()
    assert page.panes.notes.toPlainText().startswith("# "), "what was drafted of the same words is there at once"


def test_notes_tags_and_recipes_are_kept(qtbot, master, tmp_path):
    page = master.pages[Step.MASTER]
    page.panes.show_tab("notes")
    page.panes.notes.setFocus()
    QTest.keyClicks(page.panes.notes, "My notes")
    assert master.session.episode.delivery.notes == "My notes"
    page.panes.redraft.click()
    assert master.session.episode.delivery.notes is None
    page.tags.fields["show"].setText("Ferry")
    page.tags.fields["show"].editingFinished.emit()
    (tmp_path / "cover.jpg").write_text("no picture")
    page.tags.set_cover(str(tmp_path / "cover.jpg"))
    assert master.session.episode.delivery.cover == "" and "cover" in master.notices.text.text()
    master.recipes.save_to(tmp_path / "show.recipe.json")
    assert load_recipe(tmp_path / "show.recipe.json").delivery.tags.show == "Ferry"
    (tmp_path / "bad.json").write_text("{")
    master.recipes.apply_from(tmp_path / "bad.json")
    assert "not a recipe" in master.notices.text.text()


def test_the_card_is_run_in_the_background_as_steps_that_undo_takes_back(qtbot, master):
    sheet, before = master.card_sheet, master.session.episode
    master.actions_by_id["run-card"].run()
    assert master.card_panel.shows_sheet and master.lanes.isVisible() and sheet.rows
    noise = next(row for row in sheet.rows if row.line.key.treatment == "denoise")
    assert "%" in noise.tick.text() and noise.line.reason
    left = noise.line.key
    noise.tick.click()
    QTest.keyClick(sheet.start, Qt.Key.Key_Return)
    assert master.card_run.is_running and sheet.stop.isVisible() and not any(row.tick.isEnabled() for row in sheet.rows)
    qtbot.waitUntil(lambda: not master.card_sheet.run.is_running, timeout=LONG_MS)
    settle(qtbot, master)
    entries = master.card_sheet.run.entries
    assert entries and len(sheet.entry_rows) == len(entries)
    assert not any(getattr(e.switch, "treatment", "") == left.treatment and e.switch.lane == left.lane for e in entries)
    assert all(master.card_run.progress[line.key] == 1.0 for line in master.card_run.planned if line.key.treatment)
    row = next(k for k, e in enumerate(entries) if isinstance(e.switch, BalanceSwitch) and e.switch.part is BalancePart.LEVELLING)
    sheet.entry_rows[row].switch.click()
    assert not master.session.episode.lane(entries[row].switch.lane).levelling.on
    while master.session.document.undo():
        pass
    assert master.session.episode.lanes == () or master.session.episode.lanes == before.lanes
    sheet.back.click()
    assert not master.card_panel.shows_sheet


def test_a_card_that_is_cancelled_changes_nothing(qtbot, master):
    master.card_sheet.show()
    before = master.session.episode
    master.card_sheet.start.click()
    master.card_sheet.stop.click()
    qtbot.waitUntil(lambda: not master.card_sheet.run.is_running, timeout=LONG_MS)
    settle(qtbot, master)
    assert master.session.episode == before and master.card_sheet.run.entries == ()
