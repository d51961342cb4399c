"""The paragraphs of the words pane under one another: laid out from the top on, as far as they are seen, the rest little by little."""

from __future__ import annotations

import math
import time
from bisect import bisect_right
from collections.abc import Iterable

from PyQt6.QtCore import QRectF

from dubbin.core.speech.word_table import WordTable
from dubbin.window.words.flow import Flow, Item, ItemKind, Laid
from dubbin.window.words.stream import Paragraph

TOP = 8.0


class Column:
    """laid: paragraphs so far; tops: where each begins, in pixels. rows: of the word table, in the order in which they stand; order: the place of each row; firsts: the place
    of each paragraph's first row, and behind the last."""

    def __init__(self, table: WordTable, parts: Iterable[Paragraph] = (), above: Column | None = None, count: int = 0) -> None:
        """table: of which the paragraphs are; words may be others before all are laid out. above: a column whose first `count` paragraphs stand over these."""
        self.table = table
        self.laid: list[Laid] = above.laid[:count] if above is not None else []
        self.tops: list[float] = above.tops[:count] if above is not None else []
        self.firsts: list[int] = above.firsts[: count + 1] if above is not None else [0]
        self.rows: list[int] = above.rows[: self.firsts[-1]] if above is not None else []
        self.order = dict(zip(self.rows, range(len(self.rows)), strict=True))
        self.height = self.tops[-1] + self.laid[-1].height if self.laid else TOP
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

    def item_at(self, x: float, y: float) -> Item | None:
        """The word or mark at a point of the page, in pixels; of empty room on a line, the last one before."""
        k = bisect_right(self.tops, y) - 1
        if k < 0:
            return self.laid[0].lines[0][0] if self.laid and self.laid[0].lines[0] else None
        laid = self.laid[k]
        line = int((y - self.tops[k] - laid.heading_height) // laid.line_height)
        items = laid.lines[min(max(line, 0), len(laid.lines) - 1)]
        before = [item for item in items if item.x - 2 <= x]
        return before[-1] if before else next(iter(items), None)

    def rect_of(self, row: int) -> QRectF | None:
        """Where a word stands, in pixels of the page; a word that is folded, its stitch. None: it is not laid out."""
        place = self.order.get(row)
        if place is None:
            return None
        k = bisect_right(self.firsts, place) - 1
        laid, top = self.laid[k], self.tops[k]
        rect = None
        for n, items in enumerate(laid.lines):
            for item in items:
                if item.row == row or row in item.rows:
                    rect = QRectF(item.x, top + laid.heading_height + n * laid.line_height, item.width, laid.line_height)
                    if item.kind not in (ItemKind.PAUSE, ItemKind.STITCH):
                        return rect
        return rect

    def row_beside(self, row: int | None, step: int) -> int | None:
        """The word that stands `step` words further on the page; the first, where `row` is none of it."""
        if not self.rows:
            return None
        if row is None or row not in self.order:
            return self.rows[0]
        return self.rows[min(max(self.order[row] + step, 0), len(self.rows) - 1)]
