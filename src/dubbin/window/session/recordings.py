"""The recordings of the open episode: added, read into working copies in the background, and found again at another place."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.commands.recordings import add_recordings, relink
from dubbin.core.episode.document import Document
from dubbin.core.episode.importing import ImportedFile, import_file, recording_source
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.sound.source import PickedChannels, Source
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.window.session.job_bridge import JobBridge


class Recordings(QObject):
    """Working copies by the ids of recordings. broken: by the same, why a file can't be read."""

    changed = pyqtSignal()  # a recording was read, or can't be
    read = pyqtSignal(str)  # the id of one that was read
    said = pyqtSignal(str)

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
        rate = self._episode.rate

        def work(task: Task) -> tuple[list[ImportedFile], list[str]]:
            imported, problems = [], []
            for k, path in enumerate(paths):
                try:
                    imported.append(import_file(path, self.copies, rate, task.part(k / len(paths), (k + 1) / len(paths))))
                except DubbinError as error:
                    problems.append(str(error))
            return imported, problems

        def done(result: tuple[list[ImportedFile], list[str]]) -> None:
            imported, problems = result
            if imported:
                lanes = [lane for item in imported for lane in item.lanes]
                self._document.do(add_recordings(self._episode, [item.recording for item in imported], lanes))
            remarks = [remark for item in imported for remark in item.remarks]
            if problems or remarks:
                self.said.emit("\n".join(problems + remarks))

        names = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self._jobs.start(("add", tuple(paths)), f"Reading {names}", work, done)

    def relink(self, recording_id: str, path: Path) -> None:
        """Take a recording from another place, in the background."""
        rate = self._episode.rate

        def work(task: Task) -> ImportedFile:
            return import_file(path, self.copies, rate, task)

        def done(imported: ImportedFile) -> None:
            self._document.do(relink(self._episode, recording_id, imported.recording))

        self._jobs.start(("relink", recording_id), f"Reading {path.name}", work, done)

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

        self._jobs.start(slot, f"Reading {Path(recording.path).name}", work, done)
