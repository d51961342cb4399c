"""Measures the program and makes masters in the background; keeps what came of it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.encode import Format
from dubbin.core.deliver.master import Master, make_masters, safe_name
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.measure.history import LoudnessHistory, measure_history
from dubbin.core.mix.hear import Hear
from dubbin.window.desk import Desk
from dubbin.window.playing import sounds_otherwise


class Mastering(QObject):
    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.masters: list[Master] = []
        self.measured: LoudnessHistory | None = None
        self._measured_of: Episode | None = None
        self._made_of: Episode | None = None
        desk.episode_changed.connect(self._on_changed)
        desk.balancing.changed.connect(self._forget)

    def _forget(self) -> None:
        """The balance is known better: what was measured of the program is old."""
        self._measured_of = None

    @property
    def is_busy(self) -> bool:
        return bool(self._desk.jobs.is_busy("master"))

    @property
    def is_out_of_date(self) -> bool:
        """Whether the masters were made of another state of the episode."""
        return bool(self.masters) and not _same_sound(self._made_of, self._desk.episode)

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.masters, self.measured, self._measured_of = [], None, None
            self.changed.emit()
        elif self.masters:
            self.changed.emit()

    def all_read(self) -> bool:
        episode = self._desk.episode
        return bool(episode.lanes) and all(r.id in self._desk.recordings for r in episode.recordings)

    def measure(self) -> None:
        """Measure the program, if it has changed since the last time."""
        episode = self._desk.document.history.episode
        known = _same_sound(self._measured_of, episode)
        if not self.all_read() or (known and (self.measured is not None or self._desk.jobs.is_busy("program"))):
            return
        self._measured_of, self.measured = episode, None
        program = self._desk.program(hear=Hear.TREATED)

        def done(result: LoudnessHistory) -> None:
            self.measured = result
            self.changed.emit()

        self._desk.jobs.start("program", "Measuring the program", lambda task: measure_history(program, task), done)

    def make(self, folder: Path) -> None:
        """Make the chosen masters in a folder."""
        episode = self._desk.episode
        targets = [find_target(name) for name in episode.delivery.targets]
        formats = [Format(f) for f in episode.delivery.formats]
        program = self._desk.program(hear=Hear.TREATED)
        path = self._desk.document.path
        recordings = [Path(r.path) for r in episode.recordings]
        name = path.stem if path else safe_name(episode.title)

        def work(task: Task) -> list[Master]:
            return make_masters(program, folder, name, targets, formats, episode.delivery.tags, task, recordings)

        def done(masters: list[Master]) -> None:
            self.masters, self._made_of = masters, episode
            self.changed.emit()

        self._desk.jobs.start("master", f"Making {len(targets) * len(formats)} masters", work, done)
        self.changed.emit()


def _same_sound(a: Episode | None, b: Episode) -> bool:
    return a is not None and not sounds_otherwise(a, b)
