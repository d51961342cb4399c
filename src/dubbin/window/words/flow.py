"""Lays paragraphs out in lines: words, pauses as wide as they are long, stitches where something was cut."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from PyQt6.QtGui import QFont, QFontMetricsF

from dubbin.core.figures import span_text
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.word_table import WordTable
from dubbin.window.words.stream import Paragraph

PX_PER_S, NARROWEST_PAUSE, WIDEST_PAUSE = 26.0, 7.0, 150.0
STITCH_PAD, GUTTER, MARGIN = 7.0, 104.0, 14.0
HEADING_FACTOR = 2.0  # lines that a heading takes
AFTER_PARAGRAPH = 0.45  # lines


class ItemKind(StrEnum):
    WORD = "word"
    FILLER = "filler"
    SOUND = "sound"
    PAUSE = "pause"
    STITCH = "stitch"
    OPENED = "opened"  # a cut word that is shown


@dataclass(frozen=True, slots=True)
class Item:
    """Something on a line. x, width in pixels; row: of the word table, of the word that it is or stands before; rows: what a stitch folds."""

    kind: ItemKind
    x: float
    width: float
    row: int
    text: str = ""
    rows: tuple[int, ...] = ()


@dataclass(frozen=True)
class Laid:
    """A paragraph in lines; height in pixels, headings included."""

    paragraph: Paragraph
    lines: tuple[tuple[Item, ...], ...]
    line_height: float
    heading_height: float

    @property
    def height(self) -> float:
        return self.heading_height + (len(self.lines) + AFTER_PARAGRAPH) * self.line_height


class Flow:
    """Keeps what was laid out under the paragraphs' keys, for one width and font."""

    def __init__(self, font: QFont, small: QFont, width: float) -> None:
        self._metrics, self._small = QFontMetricsF(font), QFontMetricsF(small)
        self.width = width
        self.line_height = round(self._metrics.height() * 1.32)
        self._space = self._metrics.horizontalAdvance(" ")
        self._widths: dict[str, float] = {}
        self._small_widths: dict[str, float] = {}
        self._kept: dict[object, Laid] = {}

    def lay(self, paragraph: Paragraph, table: WordTable, opened: frozenset[int]) -> Laid:
        """opened: rows of cut words that are shown."""
        shown = frozenset(r for r in paragraph.rows.tolist() if r in opened) if opened else frozenset()
        key = (paragraph.key, shown)
        known = self._kept.get(key)
        if known is None:
            known = self._kept[key] = self._lay(paragraph, table, shown)
        return known

    def keep_only(self, laid: list[Laid]) -> None:
        """Forget what is not shown any more, now and then."""
        if len(self._kept) > 4 * len(laid) + 200:
            alive = {id(item) for item in laid}
            self._kept = {key: value for key, value in self._kept.items() if id(value) in alive}

    def _advance(self, text: str) -> float:
        width = self._widths.get(text)
        if width is None:
            width = self._widths[text] = self._metrics.horizontalAdvance(text)
        return width

    def _small_advance(self, text: str) -> float:
        width = self._small_widths.get(text)
        if width is None:
            width = self._small_widths[text] = self._small.horizontalAdvance(text)
        return width

    def _lay(self, paragraph: Paragraph, table: WordTable, opened: frozenset[int]) -> Laid:
        lines: list[tuple[Item, ...]] = []
        line: list[Item] = []
        left, right = GUTTER, max(self.width - MARGIN, GUTTER + 120.0)
        x = left

        def put(kind: ItemKind, width: float, row: int, text: str, rows: tuple[int, ...] = ()) -> None:
            nonlocal x, line
            if x + width > right and line:
                lines.append(tuple(line))
                line, x = [], left
            line.append(Item(kind, x, width, row, text, rows))
            x += width + self._space

        folded: list[int] = []
        for k, row in enumerate(paragraph.rows.tolist()):
            word = table.words[row]
            if paragraph.is_cut[k]:
                if row in opened:
                    put(ItemKind.OPENED, self._advance(word.text), row, word.text)
                else:
                    folded.append(row)
                continue
            gone, pause = float(paragraph.gone[k]), float(paragraph.pauses[k])
            if gone > 0.0 or folded:
                text = f"−{span_text(gone)}" if gone > 0.0 else ""
                put(ItemKind.STITCH, self._small_advance(text) + 2 * STITCH_PAD, row, text, tuple(folded))
                folded = []
            if pause > 0.0:
                put(ItemKind.PAUSE, min(max(pause * PX_PER_S, NARROWEST_PAUSE), WIDEST_PAUSE), row, span_text(pause))
            if word.kind is WordKind.SOUND:
                put(ItemKind.SOUND, self._small_advance(word.text) + 8, row, word.text)
            else:
                put(ItemKind.FILLER if word.kind is WordKind.FILLER else ItemKind.WORD, self._advance(word.text), row, word.text)
        if folded:
            put(ItemKind.STITCH, 4 * STITCH_PAD, folded[0], "", tuple(folded))
        lines.append(tuple(line))
        heading = len(paragraph.headings) * HEADING_FACTOR * self.line_height * 0.8
        return Laid(paragraph, tuple(lines), self.line_height, heading)
