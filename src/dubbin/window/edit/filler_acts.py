"""Fillers: cut one by one or all, put back, and gone to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dubbin.core.episode.commands.cuts import cut_stretches, put_back_many
from dubbin.core.episode.cut_union import cut_union
from dubbin.core.episode.model import CutKind, Episode
from dubbin.core.mix.word_cuts import FoundFiller
from dubbin.core.texts import tr
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.session.stepping import neighbour


class Fillers:
    def __init__(self, session: Session, selection: Selection, speech: Speech, playing: Playing) -> None:
        self._session, self._selection, self._speech, self._playing = session, selection, speech, playing
        self._cuts_all = False  # as soon as they are found
        speech.changed.connect(self._go_on)
        session.episode_changed.connect(self._on_episode_changed)

    def _span(self, filler: FoundFiller) -> tuple[int, int]:
        """Session frames of the filler's sound."""
        return int(self._speech.table.starts[filler.row]), int(self._speech.table.ends[filler.row])

    def count_cut(self, fillers: Sequence[FoundFiller]) -> int:
        """How many of them are cut."""
        table, rows = self._speech.table, [f.row for f in fillers]
        return int(np.count_nonzero(cut_union(self._session.episode).covers((table.starts[rows] + table.ends[rows]) // 2)))

    def is_cut(self, filler: FoundFiller) -> bool:
        return self._session.episode.cut_at(sum(self._span(filler)) // 2) is not None

    def cut(self, fillers: list[FoundFiller], title: str | None = None) -> None:
        """Cut hesitations in one step; those that are tightly joined only when they are asked for one by one."""
        wanted = [f for f in fillers if not self.is_cut(f)]
        if len(fillers) > 1:
            wanted = [f for f in wanted if not f.cut.is_tight]
        if not wanted:
            self._session.said.emit(tr("There is no filler left to cut.") if fillers else tr("No filler was found."))
            return
        stretches = [(f.cut.start_frame, f.cut.end_frame) for f in wanted]
        title = title or (
            tr("Cut {count} fillers").format(count=len(wanted)) if len(wanted) > 1 else tr("Cut “{text}”").format(text=wanted[0].text)
        )
        self._session.do(cut_stretches(self._session.episode, stretches, CutKind.FILLER, title))

    def cut_all(self) -> None:
        """Cut them now, or as soon as they are found."""
        found = self._speech.found_fillers()
        self._cuts_all = found is None
        if found is not None:
            self.cut(found)

    def _go_on(self) -> None:
        if self._cuts_all:
            self.cut_all()

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self._cuts_all = False

    def put_back(self, fillers: list[FoundFiller]) -> None:
        cuts = set()
        for filler in fillers:
            middle = sum(self._span(filler)) // 2
            cuts |= {c for c in self._session.episode.cuts if c.kind is CutKind.FILLER and c.start_frame <= middle < c.end_frame}
        if cuts:
            title = tr("Put back {count} fillers").format(count=len(cuts)) if len(cuts) > 1 else tr("Put back a filler")
            self._session.do(put_back_many(self._session.episode, cuts, title))

    def toggle(self) -> None:
        """Cut the filler at the play head, or put it back."""
        head, rate = self._selection.head, self._session.episode.rate
        near = [f for f in self._speech.fillers() if f.cut.start_frame - rate // 4 <= head <= f.cut.end_frame + rate // 4]
        if not near:
            self._session.said.emit(tr("There is no filler at the play head. U goes to the next one."))
            return
        filler = min(near, key=lambda f: abs(self._span(f)[0] - head))
        (self.put_back if self.is_cut(filler) else self.cut)([filler])

    def hear(self, filler: FoundFiller) -> None:
        self._playing.play_place(*self._span(filler))

    def hear_next(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) filler, and play it."""
        fillers = self._speech.fillers()
        filler = neighbour(fillers, self._selection.head, direction, lambda f: self._span(f)[0])
        if filler is None:
            self._session.said.emit(tr("There is no further filler.") if fillers else tr("No filler is known yet."))
        else:
            self.hear(filler)
