"""What is said, and what follows from it: who speaks at once, which words there are, what of them is a filler or was said again, and how each would be cut."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Lane
from dubbin.core.jobs import Task
from dubbin.core.mix import word_cuts
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.cover import OTHER
from dubbin.core.mix.overlaps import Overlaps, find_overlaps
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.word_cuts import FoundFiller, FoundRetake
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.retakes import Retake, find_retakes
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.core.speech.word_table import WordTable
from dubbin.core.texts import tr
from dubbin.window.session.lookup import Lookup
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.session import Session
from dubbin.window.session.transcribing import Transcribing


class Speech(QObject):
    """Everything is made from the episode and what was measured; nothing here is a second copy of it."""

    changed = pyqtSignal()

    def __init__(self, session: Session, preferences: Preferences) -> None:
        super().__init__()
        self._session = session
        self.transcribing = Transcribing(session, preferences, self.changed.emit)
        self._overlaps = Lookup[Overlaps](session.jobs, "overlaps", tr("Looking for overlaps"), self.changed.emit)
        self._overlaps_of: tuple[Any, ...] = ()
        self._table: tuple[Any, Any, WordTable] | None = None
        self._retakes: dict[str, tuple[tuple[Word, ...], list[Retake]]] = {}
        self._placed_retakes: tuple[Any, Any, list[FoundRetake]] | None = None
        self._fillers = Lookup[tuple[WordTable, list[FoundFiller]]](session.jobs, "fillers", tr("Looking for fillers"), self.changed.emit)
        self._last_takes = Lookup[list[tuple[int, int]]](
            session.jobs, "last takes", tr("Looking for what retakes leave"), self.changed.emit
        )
        self._of = session.document
        session.episode_changed.connect(self._on_episode_changed)
        session.findings_changed.connect(self._on_measured)

    # -- who speaks -------------------------------------------------------------------

    def _overlapping(self) -> Overlaps:
        """Where two speak at once; while that is looked for, what was known last of the same lanes."""
        voices, rate = self.transcribing.activities(), self._session.episode.rate
        lanes = tuple((lane.id, lane.start_frame, id(a), tuple(c for c in lane.covers if c.kind in OTHER)) for lane, a in voices)
        transcripts = tuple(t for t in self._session.episode.transcripts if t.together)
        key = (lanes, tuple((t.lane, t.together) for t in transcripts))
        if key != self._overlaps_of:
            self._overlaps_of = key
        found = self._overlaps.of((self._overlaps_of,), lambda _: find_overlaps(voices, rate, transcripts))
        if found is None and (latest := self._overlaps.latest) is not None:
            ids = {lane.id for lane, _ in voices}
            found = latest if ids.issuperset(id for lanes, _, _ in latest.places for id in lanes) else None
        return found or Overlaps()

    def hears_the_other(self) -> Sequence[str]:
        """For every place at which two speak, the id of the lane whose microphone hears the other one."""
        return self._overlapping().hearing

    def crosstalk(self) -> Sequence[tuple[tuple[str, ...], float, float]]:
        """Where two speak at once: (ids of their lanes, or of the one they share, start and end in seconds of the session)."""
        return self._overlapping().places

    # -- words ------------------------------------------------------------------------

    @property
    def table(self) -> WordTable:
        """The words of all lanes on the session clock."""
        episode = self._session.episode
        rows = [(t, lane.start_frame, lane.voice) for t in episode.transcripts for lane in episode.lanes if lane.id == t.lane]
        key = tuple((id(t), start, voice) for t, start, voice in rows)  # the rows are kept along: what is gone gives its id to others
        if self._table is None or self._table[0] != key:
            self._table = (key, rows, WordTable(rows))
        return self._table[2]

    def _mix(self) -> SessionMix:
        """All lanes as they are recorded: what a cut must not be heard in."""
        episode = self._session.episode
        sources = {lane.id: source for lane in episode.lanes if (source := self._session.recordings.source(lane)) is not None}
        return SessionMix(episode, sources)

    def reading_cuts(self, rows: Sequence[int], *, joined: bool = True) -> list[tuple[int, int]]:
        """Stretches of words that were selected by reading; joined: they reach up to cuts that are there already."""
        episode = self._session.episode
        return word_cuts.reading_cuts(self.table, self._mix(), episode.rate, rows, episode.cuts if joined else ())

    def clip_around(self, rows: Sequence[int]) -> tuple[int, int]:
        """From where to where a clip of words is taken, in session frames."""
        return word_cuts.clip_around(self.table, self._mix(), self._session.episode.rate, rows)

    def fillers(self) -> list[FoundFiller]:
        """All hesitations, each with the cut that would take it out. While they are looked for, those of before whose words are still there."""
        found = self.found_fillers()
        if found is not None or self._fillers.latest is None:
            return found or []
        before, fillers = self._fillers.latest
        rows = {id(word): row for row, word in enumerate(self.table.words)}
        return [replace(f, row=row) for f in fillers if (row := rows.get(id(before.words[f.row]))) is not None]

    def found_fillers(self) -> list[FoundFiller] | None:
        """The same; None while they are looked for, in the background, and while the recordings are being read."""
        table, rate = self.table, self._session.episode.rate
        if not table.has_fillers:
            return []
        if any(self._session.recordings.source(lane) is None for lane in self.transcribing.voices()):
            return None
        mix, activities = self._mix(), self.transcribing.activities()

        def work(_: Task) -> tuple[WordTable, list[FoundFiller]]:
            return table, word_cuts.find_fillers(table, mix, rate, _check_of(mix, activities, table))

        found = self._fillers.of((table,), work)
        return None if found is None else found[1]

    def retakes(self) -> list[FoundRetake]:
        """Lines that were said again; looked for in the background when the words change."""
        rows = []
        episode = self._session.episode
        for transcript in episode.transcripts:
            lane = next((lane for lane in episode.lanes if lane.id == transcript.lane), None)
            if lane is None:
                continue
            known = self._retakes.get(transcript.lane)
            if known is None or known[0] is not transcript.words:
                self._look_for_retakes(transcript)
                continue
            rows.append((lane.id, lane.start_frame, known[1]))
        key = tuple(
            (lane_id, start, id(found)) for lane_id, start, found in rows
        )  # the rows are kept along: what is gone gives its id to others
        if self._placed_retakes is None or self._placed_retakes[0] != key:
            placed = [found for row in rows for found in word_cuts.found_retakes(*row)]
            self._placed_retakes = (key, rows, sorted(placed, key=lambda r: r.spans[0]))
        return self._placed_retakes[2]

    def _look_for_retakes(self, transcript: Transcript) -> None:
        slot = ("retakes", transcript.lane)
        if self._session.jobs.is_busy(slot):
            return
        voicing, rate, words, language = (
            self.transcribing.voicings.get(transcript.lane),
            self._session.episode.rate,
            transcript.words,
            transcript.language,
        )

        def work(task: Task) -> list[Retake]:
            return find_retakes(words, rate, voicing, language, task)

        def done(found: list[Retake]) -> None:
            self._retakes[transcript.lane] = (words, found)
            self.changed.emit()

        self._session.jobs.start(slot, tr("Looking for retakes"), work, done, quiet=True)

    def take_cuts(self, found: FoundRetake, keep: int) -> list[tuple[int, int]]:
        """What goes when one take is kept: every other take, and the pause to the next one where nobody else speaks in it."""
        table, mix, rate = self.table, self._mix(), self._session.episode.rate
        cuts, check = word_cuts.take_cuts(table, mix, rate, found, keep), _check_of(mix, self.transcribing.activities(), table)
        return [check.settled(*cut) or cut for cut in cuts]  # somebody asked for it

    # -- what is cut by itself --------------------------------------------------------

    def last_take_cuts(self) -> list[tuple[int, int]] | None:
        """What goes when of every line its last take is kept; None while takes and their cuts are looked for, in the background."""
        found, episode = self.retakes(), self._session.episode
        known = {lane_id: words for lane_id, (words, _) in self._retakes.items()}
        if any(known.get(t.lane) is not t.words for t in episode.transcripts):
            return None
        heard = [r for r in found if sum(episode.cut_at((a + b) // 2) is None for a, b in r.spans) > 1]
        if not heard:
            return []
        table, mix, activities = self.table, self._mix(), self.transcribing.activities()

        def work(_: Task) -> list[tuple[int, int]]:
            return word_cuts.last_take_cuts(table, mix, episode.rate, heard, _check_of(mix, activities, table))

        return self._last_takes.of((table, episode.cuts, *(takes for _, takes in self._retakes.values())), work)

    def unheard_filler_cuts(self) -> list[tuple[int, int]] | None:
        """What can be cut of the hesitations without being heard; None while they are looked for."""
        found = self.found_fillers()
        return None if found is None else word_cuts.unheard_filler_cuts(self._session.episode, found)

    @property
    def knows_fillers(self) -> bool:
        """Whether all of them have been looked for; until then those are shown that were known before."""
        return self.found_fillers() is not None

    @property
    def can_look_for_fillers(self) -> bool:
        """Whether the recordings of all voices can be read: else fillers are not even looked for."""
        return not any(lane.recording in self._session.recordings.broken for lane in self.transcribing.voices())

    @property
    def knows_retakes(self) -> bool:
        """Whether they have been looked for in the words of all voices."""
        lanes = {lane.id for lane in self._session.episode.lanes}
        heard = [t for t in self._session.episode.transcripts if t.lane in lanes]
        return all(t.lane in self._retakes and self._retakes[t.lane][0] is t.words for t in heard)

    @property
    def is_looking(self) -> bool:
        """Whether fillers, or what retakes leave, are being looked for."""
        return self._fillers.is_looking or self._last_takes.is_looking

    # -- following the model ----------------------------------------------------------

    def _on_episode_changed(self, before: Any, after: Any) -> None:
        if self._session.document is not self._of:  # another one; a copy of an episode has its id
            self._of = self._session.document
            self.transcribing.forget()
            self._retakes.clear()
            for lookup in (self._fillers, self._last_takes, self._overlaps):
                lookup.forget()
        if before.transcripts is not after.transcripts or before.lanes is not after.lanes:
            self.changed.emit()

    def _on_measured(self) -> None:
        self.transcribing.on_measured()
        self.changed.emit()


def _check_of(mix: SessionMix, activities: list[tuple[Lane, Activity]], table: WordTable) -> CutCheck:
    return CutCheck(mix, [(lane.start_frame, activity) for lane, activity in activities], table)
