"""Passages worth a clip: found in the background, heard, ticked, and made into clips with captions of their own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.passages import Passage, find_passages
from dubbin.core.deliver.publication import publication_of
from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.sound.writing import check_folder
from dubbin.core.texts import tr
from dubbin.window.master.mastering import Mastering
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

SLOT = "passages"


class Clips(QObject):
    """`changed` when passages were found. ticked: those of which clips are to be made, by their beginnings in the program."""

    changed = pyqtSignal()

    def __init__(self, session: Session, selection: Selection, playing: Playing, mastering: Mastering) -> None:
        super().__init__()
        self._session, self._selection, self._playing, self._mastering = session, selection, playing, mastering
        self.found: list[Passage] = []
        self.ticked: set[float] = set()
        self._of: object = None

    def look(self) -> None:
        """Look for passages in the program as it is now."""
        episode = self._session.episode
        key = (episode.id, episode.transcripts, episode.cuts, episode.placed, tuple((x.id, x.start_frame, x.voice) for x in episode.lanes))
        if key == self._of:
            return
        self._of = key

        def work(task: Task, episode: Episode = episode) -> list[Passage]:
            publication = publication_of(episode)
            return find_passages(publication.words, languages=publication.languages)

        self._session.jobs.start(SLOT, tr("Looking for passages worth a clip"), work, self._done, quiet=True)

    def _done(self, found: list[Passage]) -> None:
        self.found = found
        self.ticked &= {p.start_s for p in found}
        self.changed.emit()

    @property
    def is_looking(self) -> bool:
        return bool(self._session.jobs.is_busy(SLOT))

    def hear(self, passage: Passage) -> None:
        """Select a passage and play it as it is heard in the program."""
        time_map, rate = self._session.map, self._session.episode.rate
        start, end = (time_map.to_session(round(t * rate)) for t in (passage.start_s, passage.end_s))
        self._selection.select(start, end, ordered=True)
        self._selection.set_head(start)
        program = self._session.monitor.audible()
        self._playing.player.play(program, round(passage.start_s * rate), round(passage.end_s * rate))

    def tick(self, passage: Passage, on: bool) -> None:
        (self.ticked.add if on else self.ticked.discard)(passage.start_s)
        self.changed.emit()

    def chosen(self) -> list[Passage]:
        return [p for p in self.found if p.start_s in self.ticked]

    def make(self, folder: Path) -> None:
        """Make clips of what is ticked. Raises CannotWrite."""
        check_folder(folder)
        rate = self._session.episode.rate
        self._mastering.make_clips(folder, [(round(p.start_s * rate), round(p.end_s * rate)) for p in self.chosen()])
