"""The recordings of the open episode: added, read into working copies in the background, and found again at another place."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.recordings import add_recordings, relink
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.importing import ImportedFile, import_file, recording_source
from dubbin.core.episode.lining_up import LinedUp, line_up, lined_up
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.sound.source import PickedChannels, Source
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.texts import tr
from dubbin.window.session.job_bridge import JobBridge


def _added(episode: Episode, imported: Sequence[ImportedFile]) -> Change:
    return add_recordings(episode, [item.recording for item in imported], [lane for item in imported for lane in item.lanes])


class Recordings(QObject):
    """Working copies by the ids of recordings. broken: by the same, why a file can't be read."""

    changed = pyqtSignal()  # a recording was read, or can't be
    read = pyqtSignal(str)  # the id of one that was read
    said = pyqtSignal(str)
    added = pyqtSignal(list)  # the ids of recordings that somebody added

    def __init__(self, jobs: JobBridge, copies: WorkingCopies, document: Document) -> None:
        super().__init__()
        self._jobs, self.copies, self._document = jobs, copies, document
        self.broken: dict[str, str] = {}
        self._copies_by_id: dict[str, WorkingCopy] = {}
        self._read_as: dict[str, tuple[str, str, float]] = {}

    @property
    def _episode(self) -> Episode:
        return self._document.episode

    def set_document(self, document: Document) -> None:
        """Let go of everything; another episode is open."""
        self._document = document
        self.broken.clear()
        self._copies_by_id.clear()
        self._read_as.clear()

    def __contains__(self, recording_id: object) -> bool:
        return recording_id in self._copies_by_id

    def __iter__(self) -> Iterator[str]:
        return iter(self._copies_by_id)

    def __len__(self) -> int:
        return len(self._copies_by_id)

    def copy(self, recording_id: str) -> WorkingCopy | None:
        """The working copy of a recording; None while it is being read."""
        return self._copies_by_id.get(recording_id)

    @property
    def are_all_read(self) -> bool:
        return bool(self._episode.lanes) and all(r.id in self._copies_by_id for r in self._episode.recordings)

    def source(self, lane: Lane) -> Source | None:
        """A lane's sound as recorded; None while it is being read."""
        copy = self.copy(lane.recording)
        if copy is None:
            return None
        return copy if lane.channels == tuple(range(copy.channels)) else PickedChannels(copy, lane.channels)

    def add_files(self, paths: list[Path]) -> None:
        """Import files in the background; what can't be read is said and left out."""
        of = self._document

        def work(task: Task) -> tuple[list[ImportedFile], list[str]]:
            return self._import(paths, of.episode.rate, task)

        def done(result: tuple[list[ImportedFile], list[str]]) -> None:
            imported, problems = result
            if imported and self._document is of:
                of.do(_added(self._episode, imported))
                self.added.emit([item.recording.id for item in imported])
            self._say(imported, problems)

        names = paths[0].name if len(paths) == 1 else tr("{count} files").format(count=len(paths))
        self._jobs.start(("add", tuple(paths)), tr("Reading {names}").format(names=names), work, done)

    def add_folder(self, folder: Path, paths: list[Path]) -> None:
        """Import the microphones of a folder in the background and line them up by their sound, in one step; the folder names the episode."""
        of = self._document

        def work(task: Task) -> tuple[list[ImportedFile], list[str], list[LinedUp]]:
            imported, problems = self._import(paths, of.episode.rate, task.part(0.0, 0.5))
            alone = _added(new_episode(), imported).episode
            return imported, problems, line_up(alone, self.copies, task.part(0.5, 1.0))

        def done(result: tuple[list[ImportedFile], list[str], list[LinedUp]]) -> None:
            imported, problems, found = result
            if imported and self._document is of:
                episode = lined_up(_added(self._episode, imported).episode, found).episode
                of.do(Change(tr("Add the recordings of {name}").format(name=folder.name), replace(episode, title=folder.name)))
                self.added.emit([item.recording.id for item in imported])
            self._say(imported, [*problems, *(text for item in found for text in item.texts())])

        self._jobs.start(("add", tuple(paths)), tr("Reading {name}").format(name=folder.name), work, done)

    def _import(self, paths: list[Path], rate: int, task: Task) -> tuple[list[ImportedFile], list[str]]:
        """Files as they were read, and sentences about those that can't be."""
        imported, problems = [], []
        for path, part in zip(paths, task.shares(len(paths)), strict=True):
            try:
                imported.append(import_file(path, self.copies, rate, part))
            except DubbinError as error:
                problems.append(str(error))
        return imported, problems

    def _say(self, imported: list[ImportedFile], problems: list[str]) -> None:
        sentences = problems + [remark for item in imported for remark in item.remarks]
        if sentences:
            self.said.emit("\n".join(sentences))

    def relink(self, recording_id: str, path: Path) -> None:
        """Take a recording from another place, in the background."""
        rate = self._episode.rate

        def work(task: Task) -> ImportedFile:
            return import_file(path, self.copies, rate, task)

        def done(imported: ImportedFile) -> None:
            self._document.do(relink(self._episode, recording_id, imported.recording))

        self._jobs.start(("relink", recording_id), tr("Reading {name}").format(name=path.name), work, done)

    def load(self) -> None:
        """Read what is not read yet, and what lies elsewhere or has another clock now."""
        for recording in self._episode.recordings:
            self._load(recording)

    def _load(self, recording: Recording) -> None:
        now = (recording.path, recording.fingerprint, recording.drift_ppm)
        slot = ("load", recording.id)
        if self._read_as.get(recording.id) == now and (recording.id in self._copies_by_id or self._jobs.is_busy(slot)):
            return
        self._read_as[recording.id] = now
        self._copies_by_id.pop(recording.id, None)
        self.broken.pop(recording.id, None)
        rate = self._episode.rate

        def work(task: Task) -> WorkingCopy | DubbinError:
            try:
                return recording_source(recording, self.copies, rate, task)
            except DubbinError as error:
                return error

        def done(result: WorkingCopy | DubbinError) -> None:
            if isinstance(result, DubbinError):
                self.broken[recording.id] = str(result)
                self.said.emit(str(result))
            else:
                self._copies_by_id[recording.id] = result
                self.read.emit(recording.id)
            self.changed.emit()

        self._jobs.start(slot, tr("Reading {name}").format(name=Path(recording.path).name), work, done)
