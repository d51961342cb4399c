"""Pauses found and cuts made by hand, each with a tick that cuts it or puts it back."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.episode.commands import cut_pause, put_back
from dubbin.core.episode.model import ATTIC, Cut, CutKind
from dubbin.core.speech.pauses import Pause
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.edit_lists import ActiveTable
from dubbin.window.parts.figures import clock, span_text

COLUMNS = ("Cut", "At", "Pause", "Taken out", "Left")
NAMES = {CutKind.HAND: "by hand", CutKind.FILLER: "filler", CutKind.RETAKE: "retake", CutKind.PAUSE: "pause"}


class PauseList(ActiveTable):
    def __init__(self, desk: Desk, selection: Selection, go: Callable[[int], None]) -> None:
        super().__init__("Pauses and cuts", COLUMNS)
        self._desk, self._selection, self._go_to = desk, selection, go
        self._entries: list[Pause | Cut] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def _cut_of(self, pause: Pause) -> Cut | None:
        return self._desk.episode.cut_at(round((pause.cut_start_s + pause.cut_end_s) / 2 * self._desk.episode.rate))

    def refresh(self) -> None:
        episode, found = self._desk.episode, self._desk.pauses()
        of_pauses = {self._cut_of(p) for p in found}
        others = [c for c in episode.cuts if c not in of_pauses and c.start_frame < ATTIC]
        entries: list[tuple[float, Pause | Cut]] = [(p.start_s, p) for p in found]
        entries += [(c.start_frame / episode.rate, c) for c in others]
        entries.sort(key=lambda e: e[0])
        self._entries = [e for _, e in entries]
        self.fill([self._texts(e) for e in self._entries], ticks=True)

    def _texts(self, entry: Pause | Cut) -> tuple[object, ...]:
        rate = self._desk.episode.rate
        if isinstance(entry, Cut):
            return (True, clock(entry.start_frame / rate, 1), NAMES[entry.kind], span_text(entry.frames / rate), "–")
        length, taken = entry.end_s - entry.start_s, entry.cut_end_s - entry.cut_start_s
        return (self._cut_of(entry) is not None, clock(entry.start_s, 1), span_text(length), span_text(taken), span_text(length - taken))

    def _tick(self, row: int, on: bool) -> None:
        entry, episode = self._entries[row], self._desk.episode
        if isinstance(entry, Cut):
            if not on:
                self._desk.do(put_back(episode, entry))
        elif on:
            self._desk.do(cut_pause(episode, entry))
        elif (cut := self._cut_of(entry)) is not None:
            self._desk.do(put_back(episode, cut))

    def _go(self, row: int) -> None:
        if not 0 <= row < len(self._entries):
            return
        entry, rate = self._entries[row], self._desk.episode.rate
        if isinstance(entry, Pause):
            self._go_to(round(entry.start_s * rate))
            self._selection.pick_cut(self._cut_of(entry))
        else:
            self._go_to(entry.start_frame)
            self._selection.pick_cut(entry)
