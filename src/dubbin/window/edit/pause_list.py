"""Pauses found and cuts made by hand, each with a tick that cuts it or puts it back."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.episode.commands.cuts import cut_pause, put_back
from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut, CutKind
from dubbin.core.figures import clock, span_text
from dubbin.core.speech.pauses import Pause
from dubbin.core.texts import tr
from dubbin.window.edit.pausing import Pausing
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

COLUMNS = (tr("Cut"), tr("At"), tr("Pause"), tr("Removed"), tr("Left"))
NAMES = {CutKind.HAND: tr("by hand"), CutKind.FILLER: "filler", CutKind.RETAKE: "retake", CutKind.PAUSE: "pause"}


class PauseList(ActiveTable):
    def __init__(self, session: Session, selection: Selection, acts: Pausing, go: Callable[[int], None]) -> None:
        """go: moves the play head to a session frame."""
        super().__init__(
            tr("Pauses and cuts"),
            COLUMNS,
            None,
            tr("Pauses are found as soon as the recordings are measured; what is cut by hand stands here too."),
        )
        self._session, self._selection, self._acts, self._go_to = session, selection, acts, go
        self._entries: list[Pause | Cut] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        episode, found = self._session.episode, self._session.analyses.pauses()
        of_pauses = {self._acts.cut_of(p) for p in found}
        others = [c for c in episode.cuts if c not in of_pauses and c.start_frame < PARKED_FROM_FRAME]
        entries: list[tuple[float, Pause | Cut]] = [(p.start_s, p) for p in found]
        entries += [(c.start_frame / episode.rate, c) for c in others]
        entries.sort(key=lambda e: e[0])
        self._entries = [e for _, e in entries]
        self.fill([self._texts(e) for e in self._entries], ticks=True)

    def _texts(self, entry: Pause | Cut) -> tuple[object, ...]:
        rate = self._session.episode.rate
        if isinstance(entry, Cut):
            return (True, clock(entry.start_frame / rate, 1), NAMES[entry.kind], span_text(entry.frames / rate), "–")
        length, taken = entry.end_s - entry.start_s, entry.cut_end_s - entry.cut_start_s
        return (
            self._acts.cut_of(entry) is not None,
            clock(entry.start_s, 1),
            span_text(length),
            span_text(taken),
            span_text(length - taken),
        )

    def _tick(self, row: int, on: bool) -> None:
        entry, episode = self._entries[row], self._session.episode
        if isinstance(entry, Cut):
            if not on:
                self._session.do(put_back(episode, entry))
        elif on:
            self._session.do(cut_pause(episode, entry))
        elif (cut := self._acts.cut_of(entry)) is not None:
            self._session.do(put_back(episode, cut))

    def _go(self, row: int) -> None:
        if not 0 <= row < len(self._entries):
            return
        entry, rate = self._entries[row], self._session.episode.rate
        if isinstance(entry, Pause):
            self._go_to(round(entry.start_s * rate))
            self._selection.pick_cut(self._acts.cut_of(entry))
        else:
            self._go_to(entry.start_frame)
            self._selection.pick_cut(entry)
