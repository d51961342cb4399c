"""Keeps what is selected true while the episode changes: words stay selected where they stand now, what is gone is let go."""

from __future__ import annotations

import numpy as np

from dubbin.core.speech.word_table import WordTable
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

Name = tuple[str, int, int]  # of a word, whatever its row: its lane, and where it lies in the recording


class SelectionKeeper:
    """Rows are places in a table that is made anew when lanes or words change: the same numbers are other words then, and a cut would take those.

    To be made before all else that listens to the session, so that nobody sees old rows with a new table.
    """

    def __init__(self, session: Session, speech: Speech, selection: Selection) -> None:
        self._session, self._speech, self._selection = session, speech, selection
        self._table: WordTable | None = None
        self._words: list[Name] = []
        selection.changed.connect(self._remember)
        session.episode_changed.connect(self._follow)

    def _remember(self) -> None:
        rows = self._selection.rows
        self._table = self._speech.table if rows else None
        self._words = _names(self._table, rows) if self._table is not None else []

    def _follow(self, *_: object) -> None:
        selection, episode = self._selection, self._session.episode
        cut_is_gone = selection.cut is not None and selection.cut not in episode.cuts
        if cut_is_gone or (selection.placed is not None and all(p.id != selection.placed for p in episode.placed)):
            selection.clear()
        elif selection.rows and self._speech.table is not self._table:
            self._find_words_again(self._speech.table)

    def _find_words_again(self, table: WordTable) -> None:
        rows_by_name = {name: row for row, name in enumerate(_names(table, range(len(table))))}
        rows = tuple(rows_by_name[name] for name in self._words if name in rows_by_name)
        if len(rows) < len(self._words):
            self._selection.clear()
        elif self._selection.spans:
            self._selection.select_scattered(rows, tuple((int(table.starts[r]), int(table.ends[r])) for r in rows))
        else:
            at = np.array(rows)
            self._selection.select_words(rows, int(table.starts[at[0]]), int(table.ends[at].max()))


def _names(table: WordTable, rows: tuple[int, ...] | range) -> list[Name]:
    lanes = [voice.lane for voice in table.voices]
    return [(lanes[table.voice_of[row]], table.words[row].start_frame, table.words[row].end_frame) for row in rows]
