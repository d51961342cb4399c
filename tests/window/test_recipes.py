"""Recipes in the real window: what they hold is listed with ticks; applied, they make no stale cuts and forget nothing."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog

from dubbin.core.deliver.recipe import MusicRecipe, RecipePart, load_recipe, recipe_of, save_recipe
from dubbin.core.episode.commands.lanes import change_lane, remove_lane
from dubbin.core.episode.commands.treatments import change_use, find_use
from dubbin.core.episode.model import CutKind, Role
from dubbin.core.speech.pauses import STARTING_POINTS
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.shell import recipes as recipes_module
from dubbin.window.shell.recipe_dialog import RecipeDialog
from dubbin.window.shell.step import Step
from tests.window.conftest import LONG_MS, put_down, settle
from tests.window.test_editing import edit

__all__ = ["edit"]


@pytest.fixture
def answered(monkeypatch):
    """Dialogs that a person fills in at once: unticks parts, and goes on."""

    def answer(*unticked: RecipePart, path: Path) -> list[RecipeDialog]:
        shown: list[RecipeDialog] = []

        def run(dialog: RecipeDialog) -> int:
            shown.append(dialog)
            for part in unticked:
                dialog.boxes[part].click()
            return 1

        monkeypatch.setattr(recipes_module.RecipeDialog, "exec", run)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
        return shown

    return answer


def pause_cuts(window) -> list:
    return [c for c in window.session.episode.cuts if c.kind is CutKind.PAUSE]


def test_what_a_recipe_holds_is_listed_before_it_is_saved_and_only_what_is_ticked_is_kept(edit, answered, tmp_path):
    lane = edit.session.episode.session_voices[0]
    edit.session.do(change_use(edit.session.episode, lane.id, "dehum", "", on=True, strength=70))
    shown = answered(RecipePart.REPAIRS, RecipePart.TEXTS, path=tmp_path / "show.recipe.json")
    edit.actions_by_id["save-recipe"].run()
    (dialog,) = shown
    assert dialog.isWindow() and {RecipePart.PAUSES, RecipePart.MUSIC, RecipePart.MASTERS} <= set(dialog.boxes)
    recipe = load_recipe(tmp_path / "show.recipe.json")
    assert RecipePart.REPAIRS not in recipe.holds and all(v.repairs is None for v in recipe.voices)
    answered(path=tmp_path / "whole.recipe.json")
    edit.actions_by_id["save-recipe"].run()
    assert load_recipe(tmp_path / "whole.recipe.json").voices[0].repairs == (find_use(edit.session.episode.lane(lane.id), "dehum"),)


def test_a_dialog_in_which_nothing_is_ticked_goes_nowhere(edit):
    dialog = RecipeDialog(recipe_of(edit.session.episode), "Save", "About", "Save …")
    for box in dialog.boxes.values():
        box.click()
    assert not dialog.ok.isEnabled() and dialog.parts() == ()


def test_an_applied_recipe_cuts_pauses_fillers_and_retakes_and_none_is_stale(qtbot, edit, answered, tmp_path):
    edit.actions_by_id["all-pauses"].run()
    before = len(pause_cuts(edit))
    recipe = replace(recipe_of(edit.session.episode), pauses=STARTING_POINTS["Brisk"], fillers=True, retakes=True)
    save_recipe(recipe, tmp_path / "show.recipe.json")
    answered(path=tmp_path / "show.recipe.json")
    edit.actions_by_id["apply-recipe"].run()
    settle(qtbot, edit)
    qtbot.waitUntil(lambda: not edit.recipes.waiting, timeout=LONG_MS)  # retakes are looked for without being shown as work
    episode = edit.session.episode
    assert episode.pauses == STARTING_POINTS["Brisk"] and episode.pauses_on and len(pause_cuts(edit)) > before
    acts = edit.pages[Step.EDIT].acts
    assert all(acts.pausing.cut_of(p) is not None for p in edit.session.analyses.pauses())
    assert {c.kind for c in episode.cuts} >= {CutKind.FILLER, CutKind.RETAKE}


def test_words_that_were_there_all_the_same_are_cut_after_somebody_stopped_the_transcribing(qtbot, edit):
    edit.speech.transcribing.stop()
    edit.recipes.apply(replace(recipe_of(edit.session.episode), fillers=True, retakes=True))
    qtbot.waitUntil(lambda: not edit.recipes.waiting, timeout=LONG_MS)
    assert {c.kind for c in edit.session.episode.cuts} >= {CutKind.FILLER, CutKind.RETAKE}


def test_music_of_the_show_comes_from_its_file_and_a_missing_one_is_said(qtbot, edit, tmp_path):
    bed = edit.session.episode.beds[0]
    edit.session.do(change_lane(edit.session.episode, bed.id, "", level_db=-7.0, fade_out_frames=4800))
    recipe = recipe_of(edit.session.episode)
    edit.session.do(remove_lane(edit.session.episode, bed.id))
    lost = MusicRecipe("Lost", str(tmp_path / "lost.flac"))
    edit.recipes.apply(replace(recipe, music=(*recipe.music, lost)))
    settle(qtbot, edit)
    (again,) = edit.session.episode.beds
    assert (again.voice, again.role, again.level_db, again.fade_out_frames) == (bed.voice, Role.MUSIC, -7.0, 4800)
    assert "lost.flac" in edit.notices.text.text()


def test_cuts_by_words_wait_until_the_words_are_there_and_are_forgotten_with_the_episode(qtbot, window, short_demo, monkeypatch):
    settle(qtbot, window)
    monkeypatch.setattr(window.speech.transcribing, "_transcribe", lambda *_, **__: None)
    monkeypatch.setattr(window.speech.transcribing, "is_busy", lambda: True)
    window.recipes.apply(replace(recipe_of(window.session.episode), fillers=True, pauses_on=False))
    assert window.recipes.waiting == {CutKind.FILLER} and "as soon as" in window.notices.text.text()
    put_down(qtbot, window, short_demo / EPISODE_FILE)
    assert not window.recipes.waiting and not window.session.episode.cuts
    window.recipes.apply(replace(recipe_of(window.session.episode), fillers=True, pauses_on=False))
    window.speech.transcribing.stop()
    assert not window.recipes.waiting, "what somebody stopped does not cut by itself later on"
