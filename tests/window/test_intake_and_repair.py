"""Intake and Repair as an engineer works them: findings, places, lining up, evidence, touch-ups."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.figures import clock
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.spectrogram import hz_of, share_of, spectrogram
from dubbin.core.mix.monitor import MonitorMode
from dubbin.window.intake.marker_list import NOTE, REMOVE
from dubbin.window.lanes.lane_pictures import Picture
from dubbin.window.parts.finding_row import FindingRow
from dubbin.window.shell.step import Step
from tests.conftest import RATE, noise, rms_db, tone
from tests.window.conftest import drag, settle
from tests.window.test_dialogs_by_hand import choosing, leave, with_hands


def rows_of(window, lane) -> list[FindingRow]:
    column = window.pages[Step.INTAKE]._cards[lane.id].findings
    return [column.itemAt(k).widget() for k in range(column.count())]


def test_findings_stand_on_the_card_and_a_click_goes_there_and_plays(window, qtbot):
    lane = window.session.episode.lanes[1]
    kinds = {row.finding.kind: row for row in rows_of(window, lane)}
    assert {"clicks", "noise", "echo"} <= set(kinds)
    row = kinds["clicks"]
    for place in row.finding.places_s[:2]:
        row.click()
        assert window.player.is_playing and window.session.picked_lane.id == lane.id
        assert window.playing._return_to == lane.start_frame + round(place[0] * RATE)
        window.playing.toggle()
    assert "audible" in row.accessibleName() or "severe" in row.accessibleName()


def test_places_are_walked_by_key_and_marked_while_one_listens(window, qtbot):
    window.session.pick_lane(window.session.episode.lanes[1].id)
    lanes = window.lanes
    lanes.setFocus()
    places = window.pages[Step.INTAKE].places.all()
    QTest.keyClick(lanes, Qt.Key.Key_V)
    assert window.playing._return_to == places[0][0]
    window.player.stop()
    window.navigation.go(places[0][0] + 10)
    QTest.keyClick(lanes, Qt.Key.Key_A)
    (marker,) = window.session.episode.markers
    assert marker.frame == places[0][0] + 10
    page = window.pages[Step.INTAKE]
    page.choice._choose("markers")
    note = page.markers.cellWidget(0, NOTE)
    note.setFocus()
    QTest.keyClicks(note, "cough")
    QTest.keyClick(note, Qt.Key.Key_Return)
    assert window.session.episode.markers[0].text == "cough"
    lanes.grab()
    page.markers.cellWidget(0, REMOVE).click()
    assert not window.session.episode.markers


def test_recordings_made_apart_are_lined_up(window, qtbot):
    lane = window.session.episode.lanes[1]
    window.session.do(nudge(window.session.episode, lane.id, round(1.234 * RATE)))
    window.pages[Step.INTAKE].align_button.click()
    settle(qtbot, window)
    first, second = window.session.episode.lanes[:2]
    assert second.start_frame - first.start_frame == pytest.approx(0, abs=0.001 * RATE)
    assert "begins" in window.notices.text.text()
    window.pages[Step.INTAKE]._cards[lane.id].nudges[10].click()
    assert window.session.episode.lanes[1].start_frame - second.start_frame == pytest.approx(480, abs=1)


def test_a_moved_recording_is_found_again(open_window, demo, qtbot, tmp_path):
    old = demo.parent / "tobias-kitchen-table.wav"
    new = tmp_path / "elsewhere.wav"
    old.rename(new)
    window = open_window(demo)
    lane = window.session.episode.lanes[1]
    card = window.pages[Step.INTAKE]._cards[lane.id]
    assert not card.relink.isHidden()
    with_hands(card.relink.click, leave)
    assert window.session.episode.recording(lane.recording).path == str(old)
    with_hands(card.relink.click, choosing(new))
    settle(qtbot, window)
    assert window.session.episode.recording(lane.recording).path == str(new)
    assert window.session.analyses.report(window.session.episode.lanes[1]) is not None and card.relink.isHidden()


def test_several_microphones_in_one_file_become_lanes(open_window, qtbot, tmp_path, speech):
    x = np.stack([speech[: 6 * RATE], np.roll(speech[: 6 * RATE], 9000)], 1)
    sf.write(tmp_path / "two mics.wav", x + noise(6, -60)[:, None], RATE)
    window = open_window()
    window.files.take([tmp_path / "two mics.wav"])
    settle(qtbot, window)
    lane = window.session.episode.lanes[0]
    window.pages[Step.INTAKE]._cards[lane.id].split.click()
    settle(qtbot, window)
    assert [part.channels for part in window.session.episode.lanes] == [(0,), (1,)]
    assert all(window.session.analyses.report(part) for part in window.session.episode.lanes)


def test_the_suggested_repairs_mend_the_demo(window, qtbot):
    window.go_step(Step.REPAIR)
    page, lane = window.pages[Step.REPAIR], window.session.episode.lanes[1]
    window.session.pick_lane(lane.id)
    before = window.session.analyses.report(lane)
    for suggestion in before.suggested:
        page.sections[suggestion.treatment].card.switch.click()
    settle(qtbot, window)
    lane = window.session.episode.lanes[1]
    after = measure_recording(window.session.analyses.sound(lane).repaired)
    assert after.noise.floor_dbfs < before.noise.floor_dbfs - 10
    assert after.clicks.count < before.clicks.count / 5
    assert after.echo.rt60_s is None or after.echo.rt60_s < 0.7 * before.echo.rt60_s
    for suggestion in before.suggested:
        text = page.sections[suggestion.treatment].card.rows.value("speech removed")
        assert "✓" in text, f"{suggestion.treatment}: {text}"
    for pane in ("places", "echo", "spectrum"):
        page.panes.choice._choose(pane)
        settle(qtbot, window)
        assert lane.voice in page.panes.title.text()
    assert page.panes.table.rowCount() > 10
    assert page.panes.echo.data_of("treated")[0] is not None


def test_a_treatment_that_eats_the_voice_is_warned_of_and_held_back(window, qtbot):
    window.go_step(Step.REPAIR)
    page, lane = window.pages[Step.REPAIR], window.session.episode.lanes[1]
    window.session.pick_lane(lane.id)
    page.sections["dereverb"].card.switch.click()
    page.sections["dereverb"].form.fields["depth_db"].setValue(24.0)
    settle(qtbot, window)
    lane = window.session.episode.lanes[1]
    guard = window.session.analyses.guard(lane, "dereverb")
    audible = guard.is_audible(lane.repairs[0].strength / 100)
    assert ("audible" in page.sections["dereverb"].card.rows.value("speech removed")) == audible
    assert page.suggesting.suggested(lane, "dereverb") <= 100 * guard.highest_strength


def test_treated_is_heard_as_loud_as_recorded(window, qtbot):
    window.go_step(Step.REPAIR)
    window.pages[Step.REPAIR].sections["derumble"].card.switch.click()
    settle(qtbot, window)
    span = (10 * RATE, 20 * RATE)
    plain = window.session.monitor.program().read(*span)
    window.actions_by_id["match"].run()
    matched = window.session.monitor.program().read(*span)
    assert np.max(np.abs(matched - plain)) > 0
    lane = window.session.episode.lanes[0]
    gain = window.session.analyses.report(lane).loudness.integrated_lufs - window.session.analyses.after(lane).loudness.integrated_lufs
    assert window.session.monitor.match_gains(MonitorMode.TREATED)[lane.id] == pytest.approx(gain)
    assert window.session.monitor.match_gains(MonitorMode.REMOVED) == {}


def test_places_of_a_recording_are_listed_in_time_each_by_its_number_among_its_kind(window, qtbot):
    lane = window.session.episode.lanes[1]
    window.session.pick_lane(lane.id)
    window.go_step(Step.REPAIR)
    evidence = window.pages[Step.REPAIR].evidence
    evidence.choice._choose("places")
    settle(qtbot, window)
    rows = [[evidence.table.item(k, c).text() for c in range(4)] for k in range(evidence.table.rowCount())]
    findings = {f.title: f for f in window.session.analyses.findings(lane) if f.places_s}
    assert len(rows) == sum(len(f.places_s) for f in findings.values()) > 3
    for title, finding in findings.items():
        of_kind = [row for row in rows if row[1] == title]
        assert [row[3] for row in of_kind] == [f"{k} of {len(finding.places_s)}" for k in range(1, len(of_kind) + 1)]
        assert [row[0] for row in of_kind] == [clock(a, 2) for a, _ in sorted(finding.places_s)]
    cell = evidence.table.visualItemRect(evidence.table.item(2, 1)).center()
    QTest.mouseClick(evidence.table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, cell)
    starts = sorted(a for f in findings.values() for a, _ in f.places_s)
    assert window.player.is_playing and window.playing._return_to == lane.start_frame + round(starts[2] * RATE)


def test_a_sound_is_taken_out_of_a_rectangle_on_the_spectrogram(window, qtbot):
    window.go_step(Step.REPAIR)
    window.lanes.setFocus()
    QTest.keyClick(window.lanes, Qt.Key.Key_G)
    QTest.keyClick(window.lanes, Qt.Key.Key_G)
    assert window.lanes.pictures.picture is Picture.SPECTROGRAM
    window.lanes.grab()
    qtbot.waitUntil(lambda: bool(window.lanes.pictures._spectrograms._tiles), timeout=10_000)
    window.lanes.grab()
    lane, rect = window.lanes.lane_rects()[0]
    a, b = QPoint(200, round(rect.top() + 30)), QPoint(320, round(rect.top() + 70))
    QTest.mousePress(window.lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, a)
    for k in (0.3, 0.7, 1.0):
        QTest.mouseMove(window.lanes, QPoint(round(a.x() + k * (b - a).x()), round(a.y() + k * (b - a).y())))
    QTest.mouseRelease(window.lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, b)
    band = window.selection.band
    assert band.lane_id == lane.id and band.low_hz < band.high_hz
    start, end = (f / RATE for f in window.selection.range)
    QTest.keyClick(window.lanes, Qt.Key.Key_T)
    settle(qtbot, window)
    (spot,) = window.session.episode.lanes[0].touch_ups
    assert (spot.start_s, spot.end_s) == pytest.approx((start, end)) and spot.depth_db == 18
    sound = window.session.analyses.sound(window.session.episode.lanes[0])
    inside = (round(start * RATE) + 2000, round(end * RATE) - 2000)
    removed = sound.recorded.read(*inside) - sound.repaired.read(*inside)
    assert rms_db(removed) > -90
    np.testing.assert_allclose(sound.repaired.read(0, 1000), sound.recorded.read(0, 1000), atol=1e-6)
    window.pages[Step.REPAIR].touch_card.list.itemAt(0).widget().click()
    assert not window.session.episode.lanes[0].touch_ups


def test_a_spectrogram_stays_in_sight_while_another_scale_is_drawn(window, qtbot):
    window.go_step(Step.REPAIR)
    window.lanes.pictures.set_picture(Picture.SPECTROGRAM)
    window.lanes.grab()
    settle(qtbot, window)
    _, rect = window.lanes.lane_rects()[0]
    area = rect.toRect().adjusted(300, 8, -300, -8)

    def inked() -> float:
        """Share of the lane's points that differ from bare card."""
        picture = window.lanes.grab(area).toImage()
        card = window.lanes._theme.colours.q("card").rgb()
        points = [(x, y) for x in range(0, picture.width(), 7) for y in range(0, picture.height(), 5)]
        return float(np.mean([picture.pixel(x, y) != card for x, y in points]))

    qtbot.waitUntil(lambda: inked() > 0.3, timeout=20_000)
    settle(qtbot, window)
    before = inked()
    window.view.zoom(0.5)
    assert inked() > 0.5 * before  # at once: nothing of the new scale can have come


def test_a_treatment_is_kept_to_the_selection(window, qtbot):
    window.go_step(Step.REPAIR)
    page = window.pages[Step.REPAIR]
    page.sections["derumble"].card.switch.click()
    drag(window.lanes, (200, 90), (300, 90))
    page.only["derumble"].click()
    settle(qtbot, window)
    use = window.session.episode.lanes[0].repairs[0]
    assert (use.spans[0].start_frame, use.spans[0].end_frame) == window.selection.range
    assert "1 stretch" in page.only["derumble"].text()
    window.selection.clear()
    page.only["derumble"].click()
    assert window.session.episode.lanes[0].repairs[0].spans == ()


@pytest.mark.parametrize("frequency", [150.0, 1000.0, 6000.0])
def test_a_tone_is_dark_at_its_height_in_the_spectrogram(frequency):
    picture = spectrogram(tone(frequency, 2, -20), 0, 480.0, 150, 128)
    row = int(np.argmax(picture[:, 75]))
    assert hz_of((127.5 - row) / 128, RATE) == pytest.approx(frequency, rel=0.1, abs=30)
    assert share_of(hz_of(0.4, RATE), RATE) == pytest.approx(0.4)
    assert not spectrogram(tone(frequency, 2, -20), 3 * RATE, 480.0, 20, 128).any()
