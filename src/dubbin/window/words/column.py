"""The paragraphs of the words pane under one another: laid out from the top on, as far as they are seen, the rest little by little."""

from __future__ import annotations

import math
import time
from collections.abc import Iterable

from dubbin.core.speech.word_table import WordTable
from dubbin.window.words.flow import Flow, Laid
from dubbin.window.words.stream import Paragraph

TOP = 8.0


class Column:
    """laid: paragraphs so far; tops: where each begins, in pixels. rows: of the word table, in the order in which they stand; order: the place of each row; firsts: the place
    of each paragraph's first row, and behind the last."""

    def __init__(self, table: WordTable, parts: Iterable[Paragraph] = ()) -> None:
        """table: of which the paragraphs are; words may be others before all are laid out."""
        self.table = table
        self.laid: list[Laid] = []
        self.tops: list[float] = []
        self.rows: list[int] = []
        self.order: dict[int, int] = {}
        self.firsts = [0]
        self.height = TOP
        self._left = iter(parts)
        self._next = next(self._left, None)

    @property
    def is_whole(self) -> bool:
        """Whether all is laid out."""
        return self._next is None

    def go_on(self, flow: Flow, opened: frozenset[int], seen_to: float = math.inf, budget_s: float = math.inf) -> None:
        """Lay out down to `seen_to` pixels, and beyond as much as can be done in `budget_s`; one more paragraph at least."""
        until = time.perf_counter() + budget_s
        while (part := self._next) is not None:
            self._next = next(self._left, None)
            one = flow.lay(part, self.table, opened)
            self.laid.append(one)
            self.tops.append(self.height)
            self.height += one.height
            rows = part.rows.tolist()
            self.order.update(zip(rows, range(len(self.rows), len(self.rows) + len(rows)), strict=True))
            self.rows += rows
            self.firsts.append(len(self.rows))
            if self.height > seen_to and time.perf_counter() > until:
                return
        flow.keep_only(self.laid)
