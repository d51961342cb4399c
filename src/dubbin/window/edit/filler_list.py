"""The list of fillers."""

from __future__ import annotations

from dubbin.core.figures import clock, span_text
from dubbin.core.mix.word_cuts import FoundFiller
from dubbin.core.texts import tr
from dubbin.window.edit.filler_acts import Fillers
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech


class FillerList(ActiveTable):
    """A row for each word of each voice to cut them by kind, then every filler by itself."""

    def __init__(self, session: Session, speech: Speech, acts: Fillers) -> None:
        super().__init__(
            tr("Fillers"),
            (tr("Cut"), tr("Filler"), tr("Voice"), tr("At"), tr("Length"), tr("Note")),
            5,
            tr("Fillers are found in the words: choose Transcribe on the card."),
        )
        self._session, self._speech, self._acts = session, speech, acts
        self._entries: list[list[FoundFiller]] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        fillers, table, rate = self._speech.fillers(), self._speech.table, self._session.episode.rate
        kinds: dict[tuple[str, str], list[FoundFiller]] = {}
        for filler in fillers:
            kinds.setdefault((filler.text.lower(), filler.voice), []).append(filler)
        rows: list[tuple[object, ...]] = []
        self._entries = []
        for (text, voice), group in sorted(kinds.items(), key=lambda k: -len(k[1])):
            cut = sum(self._acts.is_cut(f) for f in group)
            tight = sum(f.cut.is_tight and not self._acts.is_cut(f) for f in group)
            note = tr("{cut} cut").format(cut=cut) + (tr(", {tight} tightly joined").format(tight=tight) if tight else "")
            rows.append((cut == len(group), tr("all “{text}”, {count}").format(text=text, count=len(group)), voice, "", "", note))
            self._entries.append(group)
        for filler in fillers:
            start, end = int(table.starts[filler.row]), int(table.ends[filler.row])
            note = tr("tightly joined: listen before you cut") if filler.cut.is_tight else ""
            rows.append(
                (self._acts.is_cut(filler), f"“{filler.text}”", filler.voice, clock(start / rate, 1), span_text((end - start) / rate), note)
            )
            self._entries.append([filler])
        self.fill(rows, ticks=True)

    def _tick(self, row: int, on: bool) -> None:
        group = self._entries[row]
        (self._acts.cut if on else self._acts.put_back)(group)
        self._shown = None
        self.refresh()

    def _go(self, row: int) -> None:
        if row < len(self._entries) and len(self._entries[row]) == 1:
            self._acts.hear(self._entries[row][0])
