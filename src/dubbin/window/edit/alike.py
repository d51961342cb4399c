"""All of a kind: a word, a filler or a sound selected wherever it stands, to be cut, put back, marked or covered together; pauses and fillers as markers."""

from __future__ import annotations

from collections.abc import Sequence

from dubbin.core.episode.commands.markers import add_markers
from dubbin.core.figures import span_text
from dubbin.core.speech.transcript import WordKind
from dubbin.core.texts import tr, tr_count
from dubbin.window.edit.wording import Wording
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech


class Alike:
    def __init__(self, session: Session, selection: Selection, speech: Speech, wording: Wording) -> None:
        self._session, self._selection, self._speech, self._wording = session, selection, speech, wording

    def select(self) -> None:
        """Select every word, filler or sound like the selected one, or like the one at the play head."""
        found = self._wording.selected()
        if found is None:
            self._session.said.emit(tr("Click a word, a filler or a sound first."))
            return
        self.select_rows(self._speech.table.alike(found[0]))

    def select_rows(self, rows: Sequence[int]) -> None:
        """Select words that stand anywhere."""
        table = self._speech.table
        if not rows:
            return
        self._selection.select_scattered(tuple(rows), tuple((int(table.starts[r]), int(table.ends[r])) for r in rows))
        self._session.said.emit(
            tr("{count} × “{text}” selected: X cuts them, B puts them back, Ctrl+Shift+K marks them, Shift+B bleeps them.").format(
                count=len(rows), text=table.words[rows[0]].text
            )
        )

    def has_selected(self) -> bool:
        return bool(self._selection.rows) or self._selection.range is not None

    def mark(self) -> None:
        """A marker at each word that is selected, with its text; at a stretch, where it begins."""
        table, rows, span = self._speech.table, self._selection.rows, self._selection.range
        if rows:
            self._mark([(int(table.starts[r]), table.words[r].text) for r in rows], "words")
        elif span is not None:
            self._mark([(span[0], "")], "places")
        else:
            self._session.said.emit(tr("Select words or a stretch first."))

    def mark_fillers(self) -> None:
        table = self._speech.table
        self._mark([(int(table.starts[k]), w.text) for k, w in enumerate(table.words) if w.kind is WordKind.FILLER], "fillers")

    def mark_pauses(self) -> None:
        rate = self._session.episode.rate
        self._mark(
            [
                (round(p.start_s * rate), tr("pause {end_s}").format(end_s=span_text(p.end_s - p.start_s)))
                for p in self._session.analyses.pauses()
            ],
            "pauses",
        )

    def _mark(self, places: list[tuple[int, str]], what: str) -> None:
        if not places:
            self._session.said.emit(tr("There are no {what} to mark.").format(what=what))
            return
        self._session.do(add_markers(self._session.episode, places, tr("Mark {count} {what}").format(count=len(places), what=what)))
        self._session.said.emit(
            tr_count(
                "{count} marker: V goes there; it is listed under Program.",
                "{count} markers: V goes from one to the next; they are listed under Program.",
                len(places),
            )
        )
