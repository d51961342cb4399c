"""Asks where to write what is delivered, and has it made: masters, a clip, stems, the sound of a video."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.errors import DubbinError
from dubbin.core.sound.writing import check_folder
from dubbin.core.texts import tr
from dubbin.window.master.clips import Clips
from dubbin.window.master.mastering import Mastering
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step


class Exporting:
    def __init__(self, shared: Shared, mastering: Mastering) -> None:
        self._window, self._session, self._selection, self._folder = shared.window, shared.session, shared.selection, shared.folder
        self._speech, self._go_step, self._mastering = shared.speech, shared.go_step, mastering

    def choose_export(self) -> None:
        self._go_step(Step.MASTER)
        if self._session.recordings.are_all_read and self._mastering.chosen():
            self._in_folder(tr("Folder for the masters"), self.export_to)

    def choose_clip(self) -> None:
        if self._selection.range is not None:
            self._in_folder(tr("Folder for the clip"), self.clip_to)

    def choose_clips(self, clips: Clips) -> None:
        """Ask where the ticked passages go as clips."""
        if clips.chosen() and self._session.recordings.are_all_read and self._mastering.chosen():
            self._in_folder(tr("Folder for the clips"), lambda folder: self._try(lambda: clips.make(folder)))

    def choose_stems(self) -> None:
        self._in_folder(tr("Folder for the stems"), self.stems_to)

    def choose_video(self) -> None:
        videos = self._mastering.videos()
        if not videos:
            self._session.said.emit(tr("None of the recordings is a video."))
            return
        video = videos[0]
        picked = self._session.picked_lane
        if picked is not None:
            path = Path(self._session.episode.recording(picked.recording).path)
            video = path if path in videos else video
        if self._session.recordings.are_all_read and self._mastering.chosen():
            self._in_folder(tr("Folder for the video {name}").format(name=video.name), lambda folder: self.video_to(video, folder))

    def has_videos(self) -> bool:
        return bool(self._mastering.videos())

    def _in_folder(self, title: str, act: Callable[[Path], None]) -> None:
        folder = QFileDialog.getExistingDirectory(self._window, title, self._folder())
        if folder:
            act(Path(folder))

    def export_to(self, folder: Path) -> None:
        """Make the chosen masters in a folder."""
        self._into(folder, lambda: self._mastering.make(folder))

    def clip_to(self, folder: Path) -> None:
        """Make masters of the selection alone."""
        if self._selection.range is None:
            return
        time_map = self._session.map
        a, b = self._clip_range(*self._selection.range)
        span = time_map.to_program_or_next(a), time_map.to_program_or_next(max(b - 1, 0)) + 1
        self._into(folder, lambda: self._mastering.make(folder, span))

    def _clip_range(self, start: int, end: int) -> tuple[int, int]:
        """The selected stretch; of words their sound as a whole, as far as what lies beside them is heard beside them now."""
        rows = self._selection.rows
        if not rows or rows[0] != min(rows):  # words that were moved: nothing in the session lies beside them
            return start, end
        a, b = self._speech.clip_around(rows)
        return a if self._is_heard_through(a, start) else start, b if self._is_heard_through(end - 1, b - 1) else end

    def _is_heard_through(self, start: int, end: int) -> bool:
        """Whether the program goes from one session frame straight on to another."""
        first, last = self._session.map.to_program(start), self._session.map.to_program(end)
        return first is not None and last is not None and last - first == end - start

    def stems_to(self, folder: Path) -> None:
        self._into(folder, lambda: self._mastering.make_stems(folder))

    def video_to(self, video: Path, folder: Path) -> None:
        self._into(folder, lambda: self._mastering.make_video(video, folder))

    def _into(self, folder: Path, act: Callable[[], None]) -> None:
        """Do what writes into a folder, where that can be written to."""

        def checked() -> None:
            check_folder(folder)
            act()

        self._try(checked)

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except DubbinError as error:
            self._session.said.emit(str(error))
