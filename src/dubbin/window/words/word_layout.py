"""The page of words as it is laid out now: begun anew only where what is seen of the words has changed, and gone on with little by little."""

from __future__ import annotations

from dubbin.core.speech.word_table import WordTable
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.words.column import Column
from dubbin.window.words.flow import Flow
from dubbin.window.words.stream import NOTHING, headings, stream_of
from dubbin.window.words.word_painter import small_font, text_font


class WordLayout:
    """column: what is laid out so far; opened: rows of cut words that are shown; px: size of the letters."""

    def __init__(self, session: Session, speech: Speech, px: int) -> None:
        self._session, self._speech = session, speech
        self.px = px
        self.column = Column(WordTable(()))
        self._stream = NOTHING
        self.opened: frozenset[int] = frozenset()
        self.is_stale = True  # something has changed; whether it is one of the words is looked at before they are laid out anew
        self._flow: Flow | None = None
        self._shown: tuple[object, ...] = ()

    def restyle(self) -> None:
        """The letters are others: nothing that is laid out stays."""
        self._flow = None
        self.is_stale = True

    def open(self, rows: tuple[int, ...]) -> None:
        """Show cut words."""
        self.opened = self.opened | frozenset(rows)
        self.is_stale = True

    def close_opened(self) -> None:
        """Fold all cut words again."""
        self.opened = frozenset()
        self.is_stale = True

    def begin(self, width: int) -> bool:
        """Begin anew if anything of the page is another thing than it was; width: of the page, in pixels. Whether it was."""
        if self._flow is None or self._flow.width != width:
            self._flow = Flow(text_font(self.px), small_font(self.px), width)
            self._shown, self.is_stale = (), True
        table = self._speech.table
        if not self.is_stale and table is self.column.table:
            return False
        self.is_stale = False
        if any(row >= len(table) for row in self.opened):
            self.opened = frozenset()
        episode, program = self._session.episode, self._session.map
        shown = (table, program, tuple(headings(episode, program)), self.opened)
        if shown == self._shown:
            return False
        stream = stream_of(table, episode, program)
        # What was opened, and for which page it was laid out, holds for what stays.
        stays = min(stream.unchanged(self._stream), len(self.column.laid)) if self._shown[-1:] == (self.opened,) else 0
        self.column = Column(table, stream.paragraphs(stays), self.column, stays)
        self._shown, self._stream = shown, stream
        return True

    def go_on(self, seen_to: float, budget_s: float) -> None:
        """Lay out down to `seen_to` pixels of the page that was begun, and beyond as much as can be done in `budget_s`."""
        assert self._flow is not None
        self.column.go_on(self._flow, self.opened, seen_to, budget_s)
