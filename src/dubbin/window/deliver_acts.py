"""Asks where to write what is delivered, and has it made: masters, a clip, stems, the sound of a video."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from dubbin.core.deliver.recipe import SUFFIX, apply_recipe, load_recipe, recipe_of, save_recipe
from dubbin.core.deliver.video import CONTAINERS
from dubbin.core.errors import DubbinError
from dubbin.core.sound.writing import check_folder
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.mastering import Mastering

RECIPES = "Recipes (*.json);;All files (*)"


class DeliverActs:
    def __init__(self, parent: QWidget, desk: Desk, selection: Selection, mastering: Mastering, last_folder: Callable[[], str]) -> None:
        self._parent, self._desk, self._selection, self._mastering, self._last_folder = parent, desk, selection, mastering, last_folder

    def choose_export(self) -> None:
        if self._mastering.all_read() and self._mastering.chosen():
            self._in_folder("Folder for the masters", self.export_to)

    def choose_clip(self) -> None:
        if self._selection.range is not None:
            self._in_folder("Folder for the clip", self.clip_to)

    def choose_stems(self) -> None:
        self._in_folder("Folder for the stems", self.stems_to)

    def choose_video(self) -> None:
        videos = self._mastering.videos()
        if not videos:
            self._desk.said.emit("None of the recordings is a video.")
            return
        video = videos[0]
        picked = self._desk.picked_lane
        if picked is not None:
            path = Path(self._desk.episode.recording(picked.recording).path)
            video = path if path in videos else video
        suggestion = video.with_name(f"{video.stem}-treated{video.suffix}")
        endings = " ".join(f"*{e}" for e in CONTAINERS)
        name, _ = QFileDialog.getSaveFileName(self._parent, f"{video.name} with the treated sound", str(suggestion), f"Video ({endings})")
        if name:
            self.video_to(video, Path(name))

    def has_videos(self) -> bool:
        return bool(self._mastering.videos())

    def choose_recipe_to_save(self) -> None:
        suggestion = Path(self._last_folder()) / f"{self._mastering.name}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self._parent, "Save the settings as a recipe", str(suggestion), RECIPES)
        if name:
            self.save_recipe_to(Path(name if name.endswith(".json") else name + SUFFIX))

    def save_recipe_to(self, path: Path) -> None:
        def save() -> None:
            save_recipe(recipe_of(self._desk.episode), path)
            self._desk.said.emit(f"The recipe is in {path}: take it over in the next episode, or run it over many with dubbin batch.")

        self._try(save)

    def choose_recipe(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._parent, "Take a recipe over", self._last_folder(), RECIPES)
        if name:
            self.apply_recipe_from(Path(name))

    def apply_recipe_from(self, path: Path) -> None:
        self._try(lambda: self._desk.do(apply_recipe(self._desk.episode, load_recipe(path))))

    def _in_folder(self, title: str, act: Callable[[Path], None]) -> None:
        folder = QFileDialog.getExistingDirectory(self._parent, title, self._last_folder())
        if folder:
            act(Path(folder))

    def export_to(self, folder: Path) -> None:
        """Make the chosen masters in a folder."""
        self._try(lambda: (check_folder(folder), self._mastering.make(folder)))

    def clip_to(self, folder: Path) -> None:
        """Make masters of the selection alone."""
        if self._selection.range is None:
            return
        time_map = self._desk.map
        a, b = self._selection.range
        span = time_map.to_program_or_next(a), time_map.to_program_or_next(max(b - 1, 0)) + 1
        self._try(lambda: (check_folder(folder), self._mastering.make(folder, span)))

    def stems_to(self, folder: Path) -> None:
        self._try(lambda: (check_folder(folder), self._mastering.make_stems(folder)))

    def video_to(self, video: Path, out: Path) -> None:
        self._try(lambda: self._mastering.make_video(video, out))

    def _try(self, act: Callable[[], object]) -> None:
        try:
            act()
        except DubbinError as error:
            self._desk.said.emit(str(error))
