"""Makes masters and all that goes along with them in the background; keeps what came of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.clip import Clip
from dubbin.core.deliver.conforming import Conformed, conform
from dubbin.core.deliver.delivery import Delivered, Order, clip_order, deliver, deliver_clips, order_of, write_stems
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import HEADROOM_DB, LONGEST_NAME, Master, safe_name
from dubbin.core.deliver.notes import draft_notes
from dubbin.core.deliver.prediction import Prediction, predict
from dubbin.core.deliver.publication import publication_of
from dubbin.core.deliver.targets import Target, all_targets
from dubbin.core.episode.model import Episode
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.stems import stem_programs
from dubbin.core.sound.writing import shortened
from dubbin.core.texts import tr, tr_count
from dubbin.window.session.made_files import say_made
from dubbin.window.session.monitor import MasterPreview
from dubbin.window.session.program_measure import ProgramMeasure, is_same_sound
from dubbin.window.session.session import Session

NOTES = "notes"  # slot in which they are drafted


class Mastering(QObject):
    """`changed` when masters were made, or begun, or are out of date."""

    changed = pyqtSignal()

    def __init__(self, session: Session, program: ProgramMeasure) -> None:
        super().__init__()
        self._session, self._program = session, program
        self.delivered = Delivered()
        self._made_of: Episode | None = None
        self.targets: dict[str, Target] = {}
        self.read_targets()
        session.episode_changed.connect(self._on_changed)

    def read_targets(self) -> None:
        """Take up the targets there are, a person's own among them."""
        try:
            self.targets = all_targets(self._session.folders.state)
        except DubbinError as error:
            self.targets = all_targets()
            self._session.said.emit(str(error))

    def title_of(self, target: str) -> str:
        """What a target is called; its name where it is not known any more."""
        return self.targets[target].title if target in self.targets else target

    @property
    def masters(self) -> tuple[Master, ...]:
        return self.delivered.masters

    @property
    def is_busy(self) -> bool:
        return self._session.jobs.is_busy("master")

    @property
    def is_out_of_date(self) -> bool:
        """Whether the masters were made of another state of the episode."""
        return bool(self.masters) and not is_same_sound(self._made_of, self._session.episode)

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.delivered = Delivered()
            self.changed.emit()
        elif self.masters:
            self.changed.emit()

    def chosen(self) -> list[Target]:
        return [self.targets[name] for name in self._session.episode.delivery.targets if name in self.targets]

    def prediction(self, target: Target) -> Prediction | None:
        """What a target will come to; None while the program is being measured."""
        return predict(self._program.figures, target) if self._program.figures is not None else None

    def hear(self, target: Target | None, as_loud: bool = False) -> None:
        """Hear the program as its master will be; None: as it is."""
        prediction = self.prediction(target) if target is not None else None
        if target is None or prediction is None:
            self._session.monitor.hear_master(None)
        else:
            self._session.monitor.hear_master(MasterPreview(prediction.gain_db, target.true_peak_dbtp - HEADROOM_DB, as_loud))

    # -- making -----------------------------------------------------------------------

    @property
    def name(self) -> str:
        """Of files: the episode's."""
        path = self._session.document.path
        return shortened(path.stem, LONGEST_NAME) if path else safe_name(self._session.episode.title)

    def order(self) -> Order:
        """What the episode delivers now."""
        session = self._session
        reports = {lane.id: (session.analyses.report(lane), session.analyses.after(lane)) for lane in session.episode.lanes}
        formats = [find_format(f) for f in session.episode.delivery.formats]
        return order_of(session.episode, self.name, self.chosen(), formats, None, reports, session.balancing.report(session.episode))

    def make(self, folder: Path, span: tuple[int, int] | None = None) -> None:
        """Make the chosen masters in a folder; span: program frames of which alone they are made."""
        episode, order = self._session.episode, self.order()
        program = self._session.monitor.program(mode=MonitorMode.TREATED)
        if span is not None:
            order = clip_order(order, span[0] / program.rate, span[1] / program.rate)

        def work(task: Task) -> Delivered:
            return deliver(program if span is None else Clip(program, *span), folder, order, task)

        def done(result: Delivered) -> None:
            if span is None:
                self.delivered, self._made_of = result, episode
            self._say(result, folder, span is not None)
            self.changed.emit()

        self._session.jobs.start(
            "master", tr_count("Making {count} master", "Making {count} masters", len(order.targets) * len(order.formats)), work, done
        )
        self.changed.emit()

    def make_clips(self, folder: Path, spans: Sequence[tuple[int, int]]) -> None:
        """Make the chosen masters of several stretches of the program (program frames), each with captions of its own."""
        order, program = self.order(), self._session.monitor.program(mode=MonitorMode.TREATED)

        def work(task: Task) -> Delivered:
            return deliver_clips(program, folder, order, spans, task)

        def done(result: Delivered) -> None:
            self._say(result, folder, True)
            self.changed.emit()

        self._session.jobs.start("master", tr_count("Making {count} clip", "Making {count} clips", len(spans)), work, done)
        self.changed.emit()

    def _say(self, result: Delivered, folder: Path, clip: bool) -> None:
        failed = [
            tr("{title} for {title_of} was not made: {reason}").format(
                title=f.format.title, title_of=self.title_of(f.target), reason=f.reason
            )
            for f in result.failed
        ] + list(result.problems)
        if failed:
            self._session.said.emit("\n".join(failed))
            return
        count = len(result.masters)
        if clip:
            names = ", ".join(m.file.name for m in result.masters)
            made = tr_count(
                "{count} clip made in {folder}: {names}.", "{count} clips made in {folder}: {names}.", count, folder=folder, names=names
            )
        else:
            passed = sum(m.proof.passes for m in result.masters)
            made = tr_count("{count} master made in {folder}.", "{count} masters made in {folder}.", count, folder=folder)
            made += tr(" {passed} of {count} pass.").format(passed=passed, count=count)
        say_made(self._session, made, folder)

    def make_stems(self, folder: Path) -> None:
        """A file a voice, music apart."""
        session = self._session
        sounds = {lane.id: sound for lane in session.episode.lanes if (sound := session.analyses.sound(lane)) is not None}
        stems = dict(stem_programs(session.episode, sounds, session.balancing.now(session.episode)))
        recordings = [Path(r.path) for r in session.episode.recordings]

        def done(files: list[Path]) -> None:
            say_made(
                session,
                tr_count("{count} stem is in {folder}: ", "{count} stems are in {folder}: ", len(files), folder=folder)
                + ", ".join(p.name for p in files),
                folder,
            )

        session.jobs.start(
            "stems",
            tr_count("Writing {count} stem", "Writing {count} stems", len(stems)),
            lambda task: write_stems(stems, folder, self.name, task, recordings),
            done,
        )

    def videos(self) -> list[Path]:
        """Recordings that may have a picture."""
        return [
            Path(r.path)
            for r in self._session.episode.recordings
            if Path(r.path).suffix.lower() in (".mp4", ".m4v", ".mov", ".mkv", ".webm")
        ]

    def make_video(self, video: Path, folder: Path) -> None:
        """What the picture of one of the recordings needs, for the first of the chosen targets: the video with its new sound, or the edit to cut it by."""
        episode, target = self._session.episode, self.chosen()[0]
        recording = next(r for r in episode.recordings if Path(r.path) == video)
        program = self._session.monitor.program(mode=MonitorMode.TREATED)

        def done(made: Conformed) -> None:
            names = ", ".join(p.name for p in made.files)
            if made.is_video:
                text = tr("The finished sound is under the picture of {name} again: {names}.").format(name=video.name, names=names)
            else:
                text = tr("The program is cut, so its picture is too: {names} conform {name} to it in a picture editor.").format(
                    name=video.name, names=names
                )
            if not made.proof.passes:
                text += " " + " ".join(made.proof.problems)
            say_made(self._session, text, folder)

        self._session.jobs.start(
            "video",
            tr("Making the sound of {name}").format(name=video.name),
            lambda task: conform(program, episode, recording, folder, self.name, target, task),
            done,
        )

    def draft_notes(self, done: Callable[[str], None]) -> None:
        """Have show notes drafted from what is said now: the words of an hour take longer than a window may be held."""
        episode = self._session.episode
        self._session.jobs.start(
            NOTES, tr("Drafting the show notes"), lambda _: draft_notes(publication_of(episode), episode.title), done, quiet=True
        )
