"""An open episode in the window: nothing is computed twice, nothing old is shown for something new, and a preview always ends."""

from __future__ import annotations

import shutil
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from dubbin.core.card.run import run_card
from dubbin.core.card.state import CardResources
from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.episode.commands.treatments import change_use
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.mix import lane_results
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache
from dubbin.window.intake.lane_card import LaneCard
from dubbin.window.shell.step import Step
from tests.conftest import RATE, noise
from tests.window.conftest import put_down, settle

SECONDS = 8


@pytest.fixture(scope="module")
def talk_folder(speech, tmp_path_factory):
    """An episode of two noisy microphones, a few seconds long."""
    folder = tmp_path_factory.mktemp("talk")
    x = speech[: SECONDS * RATE]
    for name, level, seed in (("ines", 0.9, 1), ("tobias", 0.4, 2)):
        sf.write(folder / f"{name}.wav", level * x + noise(SECONDS, -50, seed), RATE, subtype="PCM_24")
    from dubbin.core.episode.commands.recordings import add_recordings
    from dubbin.core.episode.document import new_episode
    from dubbin.core.episode.importing import import_file
    from dubbin.core.episode.model import Role

    imported = [import_file(folder / f"{name}.wav", WorkingCopies(folder / "cache"), RATE) for name in ("ines", "tobias")]
    lanes = [replace(item.lanes[0], role=Role.VOICE) for item in imported]
    save_episode(add_recordings(new_episode(), [item.recording for item in imported], lanes).episode, folder / "talk.dubbin")
    shutil.rmtree(folder / "cache")
    return folder


@pytest.fixture
def talk(talk_folder, tmp_path):
    shutil.copytree(talk_folder, tmp_path / "talk")
    return tmp_path / "talk" / "talk.dubbin"


@pytest.fixture
def window(qtbot, shared_window, talk):
    put_down(qtbot, shared_window, talk)
    return shared_window


def started(window, monkeypatch) -> list[tuple[str, str]]:
    """The slots of all work that is begun from now on."""
    slots: list[tuple[str, str]] = []
    begin = window.jobs.start

    def start(slot, *args, **more):
        slots.append(slot)
        begin(slot, *args, **more)

    monkeypatch.setattr(window.jobs, "start", start)
    return slots


def denoised(window, index=0):
    lane = window.session.episode.lanes[index]
    return change_use(window.session.episode, lane.id, "denoise", "Denoise", on=True, strength=80, settings={"engine": "statistical"})


def test_markers_set_while_a_treatment_runs_do_not_start_it_again(window, qtbot, monkeypatch):
    slots = started(window, monkeypatch)
    lane = window.session.episode.lanes[0]
    window.session.do(change_use(window.session.episode, lane.id, "derumble", "", on=True, settings={"edge_hz": 91.5}))
    for k in range(3):
        window.session.do(add_marker(window.session.episode, 1000 * k))
    settle(qtbot, window)
    lane = window.session.episode.lanes[0]
    assert slots.count(("treat", lane.id)) == 1 and window.session.analyses.treated(lane) is not None


def test_undo_finds_what_was_computed_before(window, qtbot, monkeypatch):
    window.session.do(denoised(window))
    settle(qtbot, window)
    lane = window.session.episode.lanes[0]
    known = window.session.analyses.after(lane)
    window.actions_by_id["undo"].run()
    settle(qtbot, window)
    slots = started(window, monkeypatch)
    window.actions_by_id["redo"].run()
    settle(qtbot, window)
    assert window.session.analyses.after(window.session.episode.lanes[0]) is known
    assert not [s for s in slots if s[0] in ("measure", "treat", "after")]


def test_a_relinked_file_is_measured_anew(window, qtbot, talk, speech):
    lane = window.session.episode.lanes[0]
    window.session.do(denoised(window))
    settle(qtbot, window)
    before = window.session.analyses.report(lane), window.session.analyses.after(window.session.episode.lanes[0])
    other = talk.parent / "louder.wav"
    sf.write(other, 0.5 * speech[: SECONDS * RATE] + noise(SECONDS, -35, 9), RATE, subtype="PCM_24")
    window.session.recordings.relink(lane.recording, other)
    settle(qtbot, window)
    lane = window.session.episode.lanes[0]
    after = window.session.analyses.report(lane), window.session.analyses.after(lane)
    assert after[0].noise.floor_dbfs > before[0].noise.floor_dbfs + 10 and after[1] is not before[1]
    assert after[1].noise.floor_dbfs > before[1].noise.floor_dbfs
    window.actions_by_id["undo"].run()
    settle(qtbot, window)
    assert window.session.analyses.report(window.session.episode.lanes[0]) is before[0]


def test_figures_of_a_voice_do_not_outlive_its_file(window, qtbot, talk, speech):
    window.go_step(Step.VOICE)
    page = window.pages[Step.VOICE]
    page.sections["compress"].card.switch.click()
    settle(qtbot, window)
    lane = window.session.episode.lanes[0]
    voiced = page.voices.voiced(lane)
    assert voiced is not None
    other = talk.parent / "other.wav"
    sf.write(other, 0.2 * speech[RATE : (SECONDS + 1) * RATE], RATE, subtype="PCM_24")
    window.session.recordings.relink(lane.recording, other)
    settle(qtbot, window)
    again = page.voices.voiced(window.session.episode.lanes[0])
    assert again is not None and again.report.loudness.integrated_lufs < voiced.report.loudness.integrated_lufs - 3


def test_the_window_finds_what_the_card_has_computed(open_window, talk, folders, qtbot, monkeypatch):
    episode = load_episode(talk)
    copies, tile_cache = WorkingCopies(folders.copies), DiskTileCache(folders.tiles)
    for change in run_card(episode, CardResources(copies, tile_cache, words=False)).changes:
        episode = change(episode).episode
    assert any(lane.repairs for lane in episode.lanes) and any(lane.voice_chain for lane in episode.lanes)
    save_episode(episode, talk)
    made = {p: p.stat().st_mtime_ns for p in folders.tiles.glob("*/*.tile")}
    window = open_window(talk, cold=True)
    for lane in window.session.episode.lanes:
        sound = window.session.analyses.sound(lane)
        assert all(stage.is_filled for stage in (*sound.repaired.stages, *sound.voiced.stages))
    assert {p: p.stat().st_mtime_ns for p in folders.tiles.glob("*/*.tile")} == made


def test_a_drifting_clock_has_tiles_of_its_own_for_all(open_window, talk, folders, qtbot):
    episode = load_episode(talk)
    recordings = (replace(episode.recordings[0], drift_ppm=40.0), episode.recordings[1])
    episode = replace(episode, recordings=recordings)
    lane = episode.lanes[0]
    episode = change_use(episode, lane.id, "derumble", "", on=True).episode
    save_episode(episode, talk)
    window = open_window(talk, cold=True)
    made = set(folders.tiles.glob("*/*.tile"))
    window.shut_down()
    from dubbin.core.mix.render import episode_sounds

    sound = episode_sounds(episode, WorkingCopies(folders.copies), DiskTileCache(folders.tiles))[lane.id]
    assert made and all(stage.is_filled for stage in sound.repaired.stages)
    assert set(folders.tiles.glob("*/*.tile")) == made


def test_a_preview_in_balance_ends_with_escape_after_another_episode_was_opened(window, qtbot, talk, tmp_path):
    shutil.copytree(talk.parent, tmp_path / "other")
    window.go_step(Step.BALANCE)
    window.files.open(tmp_path / "other" / "talk.dubbin")
    settle(qtbot, window)
    slider = window.pages[Step.BALANCE].cards[window.session.episode.lanes[0].id].slider
    QTest.mousePress(slider, Qt.MouseButton.LeftButton, pos=slider.rect().center())
    QTest.mouseMove(slider, slider.rect().center() / 2)
    assert window.session.episode is not window.session.document.history.episode, "the drag is previewed"
    slider.setFocus()
    QTest.keyClick(slider, Qt.Key.Key_Escape)
    assert window.session.episode is window.session.document.history.episode
    assert window.session.episode.lanes[0].level_db == 0.0


def test_another_episode_brings_nothing_of_the_last_one_along(window, qtbot):
    window.selection.select(1000, 2000)
    window.session.pick_lane(window.session.episode.lanes[1].id)
    window.lanes.pictures.zoom_level(8.0)
    window.set_document(Document(window.session.folders.journals))
    assert window.session.picked_lane is None and window.selection.range is None and len(window.session.recordings) == 0
    assert window.lanes.pictures.level_zoom == 1.0
    for step in Step:
        window.go_step(step)
        status = window.pages[step].status()
        assert status.text and not status.done


def test_a_name_that_is_typed_while_another_episode_is_opened_names_nothing(window, qtbot, talk):
    card = next(c for c in window.findChildren(LaneCard) if c.name.text() == window.session.episode.lanes[0].voice)
    card.name.setText("Nobody")
    other = Document(window.session.folders.journals)
    window.set_document(other)
    with qtbot.captureExceptions() as errors:
        card.name.editingFinished.emit()
    assert not errors and other.episode.lanes == () and not other.has_changes


def test_work_that_fails_is_told_once_and_not_tried_on_and_on(open_window, talk, qtbot, monkeypatch):

    calls = []

    def broken(*args):
        calls.append(args)
        raise ValueError("measuring went wrong")

    monkeypatch.setattr(lane_results, "measure_recording", broken)
    window = open_window(talk, cold=True)
    settle(qtbot, window)
    for k in range(3):
        window.session.do(add_marker(window.session.episode, 1000 * k))
    settle(qtbot, window)
    assert len(calls) == len(window.session.episode.lanes)
    assert "of its own" in window.notices.text.text() and "dubbin.log" in window.notices.text.text()


def test_removed_is_what_the_treatment_took(window, qtbot):
    window.session.do(denoised(window))
    settle(qtbot, window)
    monitor, span = window.session.monitor, (2 * RATE, 3 * RATE)
    recorded, treated, removed = (monitor.program(mode=mode).read(*span) for mode in MonitorMode)
    np.testing.assert_allclose(recorded - treated, removed, atol=1e-6)
    assert np.abs(removed).max() > 1e-4


def test_the_monitor_tells_when_something_else_is_heard(window, qtbot):
    monitor = window.session.monitor
    with qtbot.waitSignal(monitor.changed):
        monitor.set_mode(MonitorMode.RECORDED)
    with qtbot.assertNotEmitted(monitor.changed):
        monitor.set_mode(MonitorMode.RECORDED)
    with qtbot.waitSignal(monitor.changed):
        window.actions_by_id["hear-removed"].run()
    assert monitor.mode is MonitorMode.REMOVED and window.header.hear.current == "removed"


def test_dropped_files_are_imported_and_what_can_not_be_read_is_said(open_window, qtbot, talk):
    (talk.parent / "letter.wav").write_text("no sound")
    window = open_window()
    window.files.take([talk.parent / "ines.wav", talk.parent / "letter.wav"])
    settle(qtbot, window)
    assert [lane.voice for lane in window.session.episode.lanes] == ["Ines"] and window.steps.current is Step.INTAKE
    assert "letter.wav" in window.notices.text.text()
    window.session.document.save(talk.parent / "new.dubbin")
    window.files.take([talk])
    settle(qtbot, window)
    assert window.session.document.path == talk and len(window.session.episode.lanes) == 2


def test_an_episode_that_is_opened_again_is_known_without_measuring(open_window, talk, qtbot, monkeypatch):
    first = open_window(talk, cold=True)
    lane = first.session.episode.lanes[0]
    first.session.do(change_use(first.session.episode, lane.id, "derumble", "", on=True))
    settle(qtbot, first)
    analyses = first.session.analyses
    known = [(analyses.report(x), analyses.after(x), analyses.guard(x, "derumble")) for x in first.session.episode.lanes]
    assert known[0][0] is not None and known[0][1] is not None and known[0][2] is not None
    first.session.document.save()
    first.shut_down()

    def never(*_: object, **__: object) -> None:
        raise AssertionError("measured again")

    for name in ("measure_recording", "measure_treated", "find_activity"):
        monkeypatch.setattr(lane_results, name, never)
    again = open_window(talk, cold=True)
    analyses = again.session.analyses
    assert [(analyses.report(x), analyses.after(x), analyses.guard(x, "derumble")) for x in again.session.episode.lanes] == known
    assert analyses.is_treated(again.session.episode.lanes[0])
