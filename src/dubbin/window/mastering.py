"""Measures the program, makes masters and all that goes along with them in the background; keeps what came of it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.clip import Clip
from dubbin.core.deliver.delivery import Delivered, Order, clip_order, deliver, order_of, write_stems
from dubbin.core.deliver.encode import Format
from dubbin.core.deliver.master import HEADROOM_DB, Master, safe_name
from dubbin.core.deliver.notes import draft_notes
from dubbin.core.deliver.prediction import Prediction, ProgramFigures, measure_program, predict
from dubbin.core.deliver.publication import publication_of
from dubbin.core.deliver.targets import Target, all_targets
from dubbin.core.deliver.video import check_uncut, put_into_video
from dubbin.core.episode.model import Episode
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.measure.history import LoudnessHistory
from dubbin.core.mix.hear import Hear
from dubbin.core.mix.stems import stem_programs
from dubbin.window.desk import Desk, HeardMaster
from dubbin.window.playing import sounds_otherwise


class Mastering(QObject):
    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.delivered = Delivered()
        self.figures: ProgramFigures | None = None
        self._measured_of: Episode | None = None
        self._made_of: Episode | None = None
        try:
            self.targets: dict[str, Target] = all_targets(desk.folders.state)
        except DubbinError as error:
            self.targets = all_targets()
            desk.said.emit(str(error))
        desk.episode_changed.connect(self._on_changed)
        desk.balancing.changed.connect(self._forget)

    def _forget(self) -> None:
        """The balance is known better: what was measured of the program is old."""
        self._measured_of = None

    @property
    def masters(self) -> tuple[Master, ...]:
        return self.delivered.masters

    @property
    def measured(self) -> LoudnessHistory | None:
        """Loudness of the program; None while it is being measured."""
        return self.figures.history if self.figures is not None else None

    @property
    def is_busy(self) -> bool:
        return bool(self._desk.jobs.is_busy("master"))

    @property
    def is_out_of_date(self) -> bool:
        """Whether the masters were made of another state of the episode."""
        return bool(self.masters) and not _same_sound(self._made_of, self._desk.episode)

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.delivered, self.figures, self._measured_of = Delivered(), None, None
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
        if not self.all_read() or (known and (self.figures is not None or self._desk.jobs.is_busy("program"))):
            return
        self._measured_of, self.figures = episode, None
        program = self._desk.program(hear=Hear.TREATED)

        def done(result: ProgramFigures) -> None:
            self.figures = result
            self.changed.emit()

        self._desk.jobs.start("program", "Measuring the program", lambda task: measure_program(program, task), done)

    def chosen(self) -> list[Target]:
        return [self.targets[name] for name in self._desk.episode.delivery.targets if name in self.targets]

    def prediction(self, target: Target) -> Prediction | None:
        """What a target will come to; None while the program is being measured."""
        return predict(self.figures, target) if self.figures is not None else None

    def hear(self, target: Target | None, as_loud: bool = False) -> None:
        """Hear the program as its master will be; None: as it is."""
        prediction = self.prediction(target) if target is not None else None
        if target is None or prediction is None:
            self._desk.hear_master(None)
        else:
            self._desk.hear_master(HeardMaster(prediction.gain_db, target.true_peak_dbtp - HEADROOM_DB, as_loud))

    # -- making -----------------------------------------------------------------------

    @property
    def name(self) -> str:
        """Of files: the episode's."""
        path = self._desk.document.path
        return path.stem if path else safe_name(self._desk.episode.title)

    def order(self) -> Order:
        """What the episode delivers now."""
        desk = self._desk
        reports = {lane.id: (desk.report(lane), desk.after(lane)) for lane in desk.episode.lanes}
        formats = [Format(f) for f in desk.episode.delivery.formats]
        return order_of(desk.episode, self.name, self.chosen(), formats, None, reports, desk.balancing.report(desk.episode))

    def make(self, folder: Path, span: tuple[int, int] | None = None) -> None:
        """Make the chosen masters in a folder; span: program frames of which alone they are made."""
        episode, order = self._desk.episode, self.order()
        program = self._desk.program(hear=Hear.TREATED)
        if span is not None:
            order = clip_order(order, span[0] / program.rate, span[1] / program.rate)

        def work(task: Task) -> Delivered:
            return deliver(program if span is None else Clip(program, *span), folder, order, task)

        def done(result: Delivered) -> None:
            if span is None:
                self.delivered, self._made_of = result, episode
            self._say(result, folder, span is not None)
            self.changed.emit()

        self._desk.jobs.start("master", f"Making {len(order.targets) * len(order.formats)} masters", work, done)
        self.changed.emit()

    def _say(self, result: Delivered, folder: Path, clip: bool) -> None:
        failed = [f"{f.format.value} for {f.target} was not made: {f.reason}" for f in result.failed] + list(result.problems)
        if failed:
            self._desk.said.emit("\n".join(failed))
        elif clip:
            self._desk.said.emit(f"The clip is in {folder}: " + ", ".join(m.file.name for m in result.masters))

    def make_stems(self, folder: Path) -> None:
        """A file a voice, music apart."""
        desk = self._desk
        sounds = {lane.id: sound for lane in desk.episode.lanes if (sound := desk.sound(lane)) is not None}
        stems = dict(stem_programs(desk.episode, sounds, desk.balancing.now(desk.episode)))
        recordings = [Path(r.path) for r in desk.episode.recordings]

        def done(files: list[Path]) -> None:
            desk.said.emit(f"{len(files)} stems are in {folder}: " + ", ".join(p.name for p in files))

        desk.jobs.start("stems", f"Writing {len(stems)} stems", lambda task: write_stems(stems, folder, self.name, task, recordings), done)  # type: ignore[arg-type]

    def videos(self) -> list[Path]:
        """Recordings that may have a picture."""
        return [Path(r.path) for r in self._desk.episode.recordings if Path(r.path).suffix.lower() in (".mp4", ".m4v", ".mov", ".mkv", ".webm")]

    def make_video(self, video: Path, out: Path) -> None:
        """Put the program's sound into one of the recordings' videos; says why where it can't be."""
        episode = self._desk.episode
        recording = next(r for r in episode.recordings if Path(r.path) == video)
        start = check_uncut(episode, recording)
        program = self._desk.program(hear=Hear.TREATED)

        def done(_: None) -> None:
            self._desk.said.emit(f"{out} has the treated sound; its picture is that of {video.name}.")

        self._desk.jobs.start("video", f"Putting the sound into {out.name}", lambda task: put_into_video(program, video, start, out, task), done)

    def drafted_notes(self) -> str:
        return draft_notes(publication_of(self._desk.episode), self._desk.episode.title)


def _same_sound(a: Episode | None, b: Episode) -> bool:
    return a is not None and not sounds_otherwise(a, b)
