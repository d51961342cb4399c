"""An open episode with all that belongs to it: everything in the window looks here.

It keeps no second copy of the episode: it listens to the document and starts the background work that a change asks for.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.document import Document
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.folders import Folders
from dubbin.core.giving_way import ALONE_S, give_way
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.texts import tr
from dubbin.core.treat.tiles import DiskTileCache, prune
from dubbin.window.session.analyses import Analyses
from dubbin.window.session.balancing import Balancing
from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.session.monitor import Monitor
from dubbin.window.session.open_episode import OpenEpisode
from dubbin.window.session.recordings import Recordings


class Session(QObject):
    """Signals carry no data but the episode before and after: who listens looks at the session."""

    episode_changed = pyqtSignal(object, object)  # before, after
    sounds_changed = pyqtSignal()
    findings_changed = pyqtSignal()
    lane_picked = pyqtSignal()
    said = pyqtSignal(str)
    offered = pyqtSignal(str, object)  # a sentence, and (caption, function) of what can be done about it

    def __init__(self, folders: Folders, jobs: JobBridge, document: Document) -> None:
        super().__init__()
        self.folders, self.jobs = folders, jobs
        self._open = OpenEpisode(document)
        self.is_telling = False  # of a change: who listens to it, and to something that follows from it, comes to its turn
        self.tile_cache, self.kept = DiskTileCache(folders.tiles), KeptResults(folders.results)
        jobs.start("prune", tr("Making room in the cache"), lambda _: self._prune(), lambda _: None, quiet=True)
        self.recordings = Recordings(jobs, WorkingCopies(folders.copies), document)
        self.analyses = Analyses(jobs, self.recordings, self.tile_cache, self.kept, lambda: self._open.episode, lambda: self.picked_lane)
        self.balancing = Balancing(jobs, self.analyses, self.kept)
        self.monitor = Monitor(self._open, self.analyses, self.balancing)
        self._stop_listening = document.listen(self._on_changed)
        self._connect()
        self.recordings.load()

    def _connect(self) -> None:
        self.recordings.said.connect(self.said)
        self.recordings.read.connect(self._on_read)
        self.recordings.changed.connect(self.sounds_changed)
        self.analyses.changed.connect(self.look_at_balance)
        self.analyses.changed.connect(self.findings_changed)
        self.balancing.changed.connect(self.findings_changed)
        self.balancing.changed.connect(self._on_balance_known)
        self.monitor.changed.connect(self.analyses.want_evidence)

    def _prune(self) -> None:
        prune(self.folders.tiles, self.folders.most_tile_bytes)
        self.kept.prune()

    # -- the episode ------------------------------------------------------------------

    @property
    def document(self) -> Document:
        return self._open.document

    @property
    def episode(self) -> Episode:
        """The present episode; the preview while there is one."""
        return self._open.episode

    @property
    def map(self) -> TimeMap:
        """From program time to session time and back."""
        return program_map(self.episode)

    def set_document(self, document: Document) -> None:
        """Open another episode in place of this one."""
        self._stop_listening()
        self.jobs.cancel_all()
        before, closed = self.episode, self.document
        closed.close()
        self._open.document, self._open.picked_id = document, None
        self.recordings.set_document(document)
        self.analyses.forget_failures()
        self._stop_listening = document.listen(self._on_changed)
        self.watch_journal()
        self.recordings.load()
        self.episode_changed.emit(before, self.episode)
        self.sounds_changed.emit()

    def watch_journal(self) -> None:
        """Have it said when steps can't be kept on the disk."""
        self.document.watch_trouble(self._say)

    def _say(self, text: str) -> None:
        self.said.emit(text)

    def do(self, change: Change) -> None:
        self.document.do(change)

    def preview(self, change: Change) -> None:
        self.document.preview(change.episode)

    def end_preview(self) -> None:
        """Back to the last step (Esc during a drag)."""
        self.document.end_preview()

    def end_merge(self) -> None:
        """A drag has ended: the next change is a step of its own."""
        self.document.history.end_merge()

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.recordings != after.recordings:
            self.recordings.load()
        if self.document.episode is self.document.history.episode:  # what is only tried waits for work, and work must not wait for it
            give_way(ALONE_S)
            self.analyses.look()
            self.look_at_balance()
        self.is_telling = True
        try:
            self.episode_changed.emit(before, after)
        finally:
            self.is_telling = False

    def _on_read(self, _: str) -> None:
        self.analyses.look()
        self.look_at_balance()

    def look_at_balance(self) -> None:
        """Measure what the balance needs and is not known yet."""
        self.balancing.look(self.document.history.episode)

    def _on_balance_known(self) -> None:
        if any(lane.levelling.on or lane.bleed.on for lane in self.episode.lanes) or self.episode.beds:
            self.monitor.changed.emit()

    # -- the picked lane --------------------------------------------------------------

    @property
    def picked_lane(self) -> Lane | None:
        """The lane that the job card is about; the first, unless another was picked."""
        return self._open.picked_lane

    def pick_lane(self, lane_id: str) -> None:
        if lane_id != self._open.picked_id:
            self._open.picked_id = lane_id
            self.lane_picked.emit()
            self.analyses.want_evidence()

    def close(self) -> None:
        self._stop_listening()
        self.document.close()
