"""Master in the real window: from the choice of targets to the proof sheet; clips, stems, notes, and Run the card."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from dubbin.core.deliver.audition import Audition
from dubbin.core.deliver.recipe import load_recipe
from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.mix.card_entry import BalancePart, BalanceSwitch
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.window.shell.step import Step
from tests.window.conftest import LONG_MS, put_down, settle

RATE = 48000


@pytest.fixture(scope="module")
def two_recordings(request, tmp_path_factory):
    """An episode of two short recordings."""
    speech, folder = request.getfixturevalue("speech"), tmp_path_factory.mktemp("two")
    copies, lanes, recordings = WorkingCopies(folder / "copies"), [], []
    for k, name in enumerate(("ines", "tobias")):
        sf.write(folder / f"{name}.wav", speech[k * 6 * RATE : (k + 1) * 6 * RATE] * 0.5, RATE)
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
    page.panes.heard.chosen.emit("as loud")
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
    master.pages[Step.MASTER].exporting.clip_to(out)
    settle(qtbot, master)
    (clip,) = out.glob("*.wav")
    assert "clip-1s" in clip.name and sf.info(clip).duration == pytest.approx(3.0, abs=0.01)
    clip.unlink()
    master.pages[Step.MASTER].exporting.stems_to(out)
    settle(qtbot, master)
    stems = [sf.read(p, always_2d=True)[0] for p in sorted(out.glob("*.stem.*.wav"))]
    assert len(stems) == 2
    program = master.session.monitor.program()
    np.testing.assert_allclose(sum(stems).T, program.read(0, program.frames), atol=1e-6)


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
    master.card_sheet.show()
    dialog, before = master.card_sheet.dialog, master.session.episode
    dialog.start.click()
    assert master.card_sheet.run.is_running and dialog.stop.isVisible()
    qtbot.waitUntil(lambda: not master.card_sheet.run.is_running, timeout=LONG_MS)
    settle(qtbot, master)
    entries = master.card_sheet.run.entries
    assert entries and len(dialog.switches) == len(entries)
    row = next(k for k, e in enumerate(entries) if isinstance(e.switch, BalanceSwitch) and e.switch.part is BalancePart.LEVELLING)
    dialog.switches[row].click()
    assert not master.session.episode.lane(entries[row].switch.lane).levelling.on
    while master.session.document.undo():
        pass
    assert master.session.episode.lanes == () or master.session.episode.lanes == before.lanes
    QTest.keyClick(dialog, Qt.Key.Key_Escape)


def test_a_card_that_is_cancelled_changes_nothing(qtbot, master):
    master.card_sheet.show()
    before = master.session.episode
    master.card_sheet.dialog.start.click()
    master.card_sheet.dialog.stop.click()
    qtbot.waitUntil(lambda: not master.card_sheet.run.is_running, timeout=LONG_MS)
    settle(qtbot, master)
    assert master.session.episode == before and master.card_sheet.run.entries == ()
