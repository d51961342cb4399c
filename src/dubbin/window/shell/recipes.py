"""Recipes in the window: the settings of an episode saved for the next one of the show, and taken over."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.recipe import SUFFIX, apply_recipe, load_recipe, recipe_of, save_recipe
from dubbin.core.errors import DubbinError
from dubbin.window.session.session import Session

RECIPES = "Recipes (*.json);;All files (*)"


class Recipes:
    def __init__(self, window: QWidget, session: Session, folder: Callable[[], str]) -> None:
        self._window, self._session, self._folder = window, session, folder

    def choose_to_save(self) -> None:
        path = self._session.document.path
        name = path.stem if path else safe_name(self._session.episode.title)
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save the settings as a recipe", str(Path(self._folder()) / f"{name}{SUFFIX}"), RECIPES
        )
        if chosen:
            self.save_to(Path(chosen if chosen.endswith(".json") else chosen + SUFFIX))

    def save_to(self, path: Path) -> None:
        try:
            save_recipe(recipe_of(self._session.episode), path)
        except DubbinError as error:
            self._session.said.emit(str(error))
        else:
            self._session.said.emit(f"The recipe is in {path}: take it over in the next episode, or run it over many with dubbin batch.")

    def choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Take a recipe over", self._folder(), RECIPES)
        if name:
            self.apply_from(Path(name))

    def apply_from(self, path: Path) -> None:
        try:
            self._session.do(apply_recipe(self._session.episode, load_recipe(path)))
        except DubbinError as error:
            self._session.said.emit(str(error))
