"""The whole way, as a person goes it: open, clean, cut, master, save, open again."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound.source import Sound
from dubbin.core.sound.writing import write_sound
from dubbin.window.shell.step import Step
from tests.conftest import RATE, noise, rms_db
from tests.core.test_mix_and_masters import independent_lufs
from tests.window.conftest import drag, settle


def test_from_noisy_recordings_to_masters_that_pass(open_window, qtbot, tmp_path, speech):
    names = []
    for k, level in enumerate((-48, -60)):
        x = np.concatenate([speech[: 5 * RATE], np.zeros(2 * RATE), speech[5 * RATE : 9 * RATE]])
        x = np.roll(x, k * 500) * (1.0 if k == 0 else 0.05) + noise(11, level, k)
        write_sound(Sound(x[None].astype(np.float32), RATE), tmp_path / f"voice-{k}.wav")
        names.append(tmp_path / f"voice-{k}.wav")
    window = open_window()
    window.files.take(names)
    settle(qtbot, window)
    lanes = window.session.episode.lanes
    assert [lane.voice for lane in lanes] == ["Voice 0", "Voice 1"]
    card = window.pages[Step.INTAKE]._cards[lanes[0].id]
    assert "LUFS" in card.rows.value("loudness") and "dBFS" in card.rows.value("noise floor")

    card.name.setFocus()
    card.name.selectAll()
    QTest.keyClicks(card.name, "Ines")
    QTest.keyClick(card.name, Qt.Key.Key_Return)
    assert window.session.episode.lanes[0].voice == "Ines"

    window.go_step(Step.REPAIR)
    repair = window.pages[Step.REPAIR]
    QTest.mouseClick(repair.sections["denoise"].card.switch, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    before, after = repair.sections["denoise"].card.rows.value("noise floor").replace("−", "-").split(" dBFS")[0].split(" → ")
    assert float(after) < float(before) - 10

    window.go_step(Step.EDIT)
    edit = window.pages[Step.EDIT]
    QTest.mouseClick(edit.pauses.switch, Qt.MouseButton.LeftButton)
    assert window.session.episode.cuts and window.session.episode.pauses_on
    frames = window.session.map.program_frames
    assert frames < window.session.episode.frames - RATE

    window.go_step(Step.MASTER)
    settle(qtbot, window)
    (tmp_path / "masters").mkdir()
    window.pages[Step.MASTER].exporting.export_to(tmp_path / "masters")
    settle(qtbot, window)
    page = window.pages[Step.MASTER]
    assert page.panes.verdict.text() == "3 of 3 masters pass."
    x, rate = sf.read(next((tmp_path / "masters").glob("*.wav")))
    assert independent_lufs(x, rate) == pytest.approx(-16, abs=0.15)
    assert len(x) == pytest.approx(frames * rate / RATE, abs=2)

    path = tmp_path / "e.dubbin"
    window.session.document.save(path)
    again = open_window(path)
    assert again.session.episode == window.session.episode


def test_all_of_it_by_keyboard(window, qtbot):
    lanes = window.lanes
    QTest.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert window.steps.current is Step.EDIT
    lanes.setFocus()
    QTest.keyClick(lanes, Qt.Key.Key_N)
    assert window.pages[Step.EDIT].acts.pausing.at_head() is not None
    QTest.keyClick(lanes, Qt.Key.Key_P)
    assert len(window.session.episode.cuts) == 1
    QTest.keyClick(lanes, Qt.Key.Key_P)
    assert not window.session.episode.cuts
    QTest.keyClick(lanes, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert not window.session.episode.cuts, "a system key cuts nothing"
    QTest.keyClick(lanes, Qt.Key.Key_P, Qt.KeyboardModifier.ShiftModifier)
    many = len(window.session.episode.cuts)
    assert many > 4
    QTest.keyClick(lanes, Qt.Key.Key_Home)
    QTest.keyClick(lanes, Qt.Key.Key_I)
    for _ in range(3):
        QTest.keyClick(lanes, Qt.Key.Key_Right)
    QTest.keyClick(lanes, Qt.Key.Key_O)
    QTest.keyClick(lanes, Qt.Key.Key_X)
    assert any(c.start_frame == 0 for c in window.session.episode.cuts)
    for _ in range(5):
        QTest.keyClick(lanes, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not window.session.episode.cuts
    QTest.keyClick(lanes, Qt.Key.Key_E)
    assert window.session.monitor.mode is MonitorMode.REMOVED


def test_a_selection_is_cut_and_put_back_by_mouse(window, qtbot):
    lanes, view = window.lanes, window.view
    window.go_step(Step.EDIT)
    drag(lanes, (200, 90), (300, 90))
    start, end = window.selection.range
    assert start == pytest.approx(200 * view.per_pixel, abs=2 * view.per_pixel)
    window.actions_by_id["cut"].run()
    (cut,) = window.session.episode.cuts
    assert (cut.start_frame, cut.end_frame) == (start, end)
    program = window.session.monitor.program()
    expected = window.session.monitor.program(window.session.map.__class__([(0, window.session.episode.frames)]))
    np.testing.assert_array_equal(program.read(start + 3000, start + 9000), expected.read(end + 3000, end + 9000))
    drag(lanes, (300, 90), (320, 90))  # the edge of the cut
    assert window.session.episode.cuts[0].end_frame > end
    QTest.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=lanes.rect().center().__class__(250, 90))
    assert window.selection.cut == window.session.episode.cuts[0]
    window.actions_by_id["put-back"].run()
    assert not window.session.episode.cuts


def test_marks_follow_a_setting_at_once(window):
    window.go_step(Step.EDIT)
    edit = window.pages[Step.EDIT]
    few = len(window.session.analyses.pauses())
    edit.pauses.form.fields["longer_than_s"].setValue(2.0)
    assert 0 < len(window.session.analyses.pauses()) < few
    assert edit.pauses.rows.value("pauses").startswith(f"{len(window.session.analyses.pauses())} found")
    edit.pauses.automatic.click()
    assert window.session.episode.pauses.quieter_than_db is not None


def test_strength_is_previewed_and_one_undo_step(window, qtbot):
    window.go_step(Step.REPAIR)
    card = window.pages[Step.REPAIR].sections["dehum"].card
    card.switch.click()
    settle(qtbot, window)
    steps = len(window.session.document.history.done)
    drag(card.slider, (card.slider.width() * 0.9, 11), (card.slider.width() * 0.4, 11))
    lane = window.session.episode.lanes[0]
    assert lane.repairs[0].strength == pytest.approx(39, abs=3)
    assert len(window.session.document.history.done) == steps + 1
    window.actions_by_id["undo"].run()
    assert window.session.episode.lanes[0].repairs[0].strength > 80


def test_folded_and_unfolded_show_the_same_place(window):
    window.pages[Step.EDIT].acts.pausing.toggle_all()
    view = window.view
    place = window.session.map.to_session(window.session.map.program_frames // 2)
    unfolded = view.x_of(place)
    window.actions_by_id["fold"].run()
    assert view.frames == window.session.map.program_frames
    assert view.session_at(view.x_of(place) + 0.5) == pytest.approx(place, abs=2 * view.per_pixel)
    window.actions_by_id["fold"].run()
    assert view.x_of(place) == pytest.approx(unfolded, abs=1)


def test_playing_moves_the_head_in_real_time_and_what_is_heard_is_the_program(window, qtbot):
    window.navigation.go(10 * RATE)
    window.playing.toggle()
    qtbot.waitUntil(lambda: window.selection.head > 10.6 * RATE, timeout=5000)
    window.session.monitor.set_mode(MonitorMode.RECORDED)
    qtbot.waitUntil(lambda: window.selection.head > 11.2 * RATE, timeout=5000)
    window.playing.toggle()
    assert not window.player.is_playing
    heard = window.player.sink.heard()
    expected = window.session.monitor.program().read(10 * RATE, 10 * RATE + 24000)
    np.testing.assert_allclose(heard[:, :24000], expected, atol=1e-6)
    session = (10 * RATE, 10 * RATE + heard.shape[1])
    sides = [window.session.monitor.program(mode=mode).read(*session) for mode in (MonitorMode.RECORDED, MonitorMode.TREATED)]
    assert np.max(np.abs(np.diff(heard))) <= max(np.max(np.abs(np.diff(x))) for x in sides) * 1.05


def test_a_seam_is_heard_and_the_head_comes_back(window, qtbot):
    window.pages[Step.EDIT].acts.pausing.toggle_all()
    window.seam_walk.go(1)
    at = window.selection.head
    window.seam_walk.hear()
    qtbot.waitUntil(lambda: not window.player.is_playing, timeout=10_000)
    assert window.selection.head == at
    assert rms_db(window.player.sink.heard()) > -60


def test_a_missing_recording_leaves_the_episode_usable(open_window, demo):
    (demo.parent / "tobias-kitchen-table.wav").unlink()
    window = open_window(demo)
    assert "not found" in window.notices.text.text()
    window.lanes.grab()
    assert window.session.analyses.report(window.session.episode.lanes[0]) is not None


def test_every_page_paints_by_day_and_night(window):
    for night in (False, True):
        window.theme.set_night(night)
        for step in Step:
            window.go_step(step)
            image = window.grab().toImage()
            assert image.width() >= 1024
    window.theme.set_night(False)
