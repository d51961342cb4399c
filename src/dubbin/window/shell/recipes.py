"""Recipes in the window: the settings of an episode saved for the next one of the show, and applied to it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.recipe import (
    ALL_PARTS,
    SUFFIX,
    MusicRecipe,
    Recipe,
    RecipePart,
    apply_recipe,
    load_recipe,
    missing_music,
    recipe_of,
    save_recipe,
    with_music,
)
from dubbin.core.episode.commands.cuts import cut_stretches, set_pauses
from dubbin.core.episode.importing import ImportedFile, import_file
from dubbin.core.episode.model import CutKind, Episode
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.texts import tr, tr_count
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.shell.recipe_dialog import RecipeDialog

RECIPES = tr("Recipes (*.json);;All files (*)")
OF_WORDS = (CutKind.FILLER, CutKind.RETAKE)


class Recipes:
    """waiting: kinds of cuts that are made as soon as what they need is known."""

    def __init__(self, window: QWidget, session: Session, speech: Speech, folder: Callable[[], str]) -> None:
        self._window, self._session, self._speech, self._folder = window, session, speech, folder
        self.waiting: set[CutKind] = set()
        self._of = session.document
        session.findings_changed.connect(self._go_on)
        speech.changed.connect(self._go_on)
        session.episode_changed.connect(self._on_episode_changed)

    # -- saving -----------------------------------------------------------------------

    def choose_to_save(self) -> None:
        dialog = RecipeDialog(
            recipe_of(self._session.episode),
            tr("Save as a recipe"),
            tr(
                "For the next episode of the show. What is not ticked stays out: without repairs, every recording gets what it asks for itself."
            ),
            tr("Save …"),
            self._window,
        )
        if not dialog.exec():
            return
        path = self._session.document.path
        name = path.stem if path else safe_name(self._session.episode.title)
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, tr("Save the settings as a recipe"), str(Path(self._folder()) / f"{name}{SUFFIX}"), RECIPES
        )
        if chosen:
            self.save_to(Path(chosen if chosen.endswith(".json") else chosen + SUFFIX), dialog.parts())

    def save_to(self, path: Path, parts: Collection[RecipePart] = ALL_PARTS) -> None:
        try:
            save_recipe(recipe_of(self._session.episode, parts=parts), path)
        except DubbinError as error:
            self._session.said.emit(str(error))
        else:
            self._session.said.emit(
                tr("The recipe is in {path}: apply it to the next episode, or run it over many with dubbin batch.").format(path=path)
            )

    # -- applying ---------------------------------------------------------------------

    def choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Apply a recipe"), self._folder(), RECIPES)
        recipe = self._load(Path(name)) if name else None
        if recipe is None:
            return
        about = tr("What “{name}” holds. What is not ticked stays in this episode as it is.").format(name=recipe.name)
        dialog = RecipeDialog(recipe, tr("Apply a recipe"), about, tr("Apply"), self._window)
        if dialog.exec():
            self.apply(recipe, dialog.parts())

    def _load(self, path: Path) -> Recipe | None:
        try:
            return load_recipe(path)
        except DubbinError as error:
            self._session.said.emit(str(error))
            return None

    def apply_from(self, path: Path, parts: Collection[RecipePart] = ALL_PARTS) -> None:
        recipe = self._load(path)
        if recipe is not None:
            self.apply(recipe, parts)

    def apply(self, recipe: Recipe, parts: Collection[RecipePart] = ALL_PARTS) -> None:
        """Settings at once, music when its files are read, cuts when it is known where they fall."""
        session = self._session
        session.do(apply_recipe(session.episode, recipe, parts))
        session.end_merge()
        if RecipePart.MUSIC in parts:
            for music in missing_music(session.episode, recipe):
                self._add_music(music)
        of = {CutKind.PAUSE: RecipePart.PAUSES, CutKind.FILLER: RecipePart.FILLERS, CutKind.RETAKE: RecipePart.RETAKES}
        self.waiting = {kind for kind, part in of.items() if part in parts and recipe.cuts(kind)}
        if self.waiting & set(OF_WORDS) and any(session.episode.transcript(v.id) is None for v in self._speech.transcribing.voices()):
            self._speech.transcribing.start()
            session.said.emit(tr("Fillers and retakes are cut as soon as the words are there."))
        self._go_on()

    def _add_music(self, music: MusicRecipe) -> None:
        session, of = self._session, self._session.document
        rate, copies = session.episode.rate, session.recordings.copies

        def work(task: Task) -> ImportedFile:
            return import_file(Path(music.path), copies, rate, task)

        def done(imported: ImportedFile) -> None:
            if session.document is of:
                session.do(with_music(session.episode, music, imported))

        session.jobs.start((tr("recipe music"), music.path), tr("Reading {name}").format(name=Path(music.path).name), work, done)

    def _go_on(self) -> None:
        """Make the cuts that can be made now."""
        session, speech = self._session, self._speech
        if not self.waiting or any(session.analyses.activity(lane) is None for lane in speech.transcribing.voices()):
            return
        if CutKind.PAUSE in self.waiting:
            self.waiting.discard(CutKind.PAUSE)
            session.do(set_pauses(session.episode, session.episode.pauses, session.analyses.pauses(), on=True))
        missing = any(session.episode.transcript(v.id) is None for v in speech.transcribing.voices())
        if missing and speech.transcribing.was_stopped:
            self.waiting.clear()  # what somebody stopped does not cut by itself later on
        if missing or speech.transcribing.is_busy():
            return
        for kind, cuts in ((CutKind.RETAKE, speech.last_take_cuts), (CutKind.FILLER, speech.unheard_filler_cuts)):
            if kind in self.waiting and (stretches := cuts()) is not None:
                self.waiting.discard(kind)
                if stretches:
                    session.do(cut_stretches(session.episode, stretches, kind, _title(kind, len(stretches))))

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if self._session.document is not self._of:
            self._of = self._session.document
            self.waiting.clear()


def _title(kind: CutKind, count: int) -> str:
    """How a step is called that cuts what a recipe asks for."""
    if kind is CutKind.RETAKE:
        return tr_count("Cut {count} retake", "Cut {count} retakes", count)
    return tr_count("Cut {count} filler", "Cut {count} fillers", count)
