"""Paints the page of words: headings, speakers, words with their marks, pauses and stitches."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPen

from dubbin.core.figures import clock
from dubbin.core.speech.word_table import WordTable
from dubbin.window.parts.theme import Colours, font
from dubbin.window.words.column import Column
from dubbin.window.words.flow import GUTTER, MARGIN, Item, ItemKind, Laid

DOUBTFUL = 0.35  # confidence below which a word is marked


def text_font(px: int) -> QFont:
    """Of words."""
    return font(px)


def small_font(px: int) -> QFont:
    """Of what stands between words."""
    return font(max(px - 4, 12), 500)


@dataclass(frozen=True)
class Marked:
    """Rows of words that are selected, that were found, and the one that is heard now."""

    selected: frozenset[int]
    found: frozenset[int]
    here: int | None


class WordPainter:
    """For one painting. px: size of the text; width: of the page."""

    def __init__(self, p: QPainter, colours: Colours, table: WordTable, rate: int, px: int, width: int) -> None:
        self._p, self._c, self._table, self._rate, self._px, self._width = p, colours, table, rate, px, width

    def page(self, column: Column, offset: float, height: float, marked: Marked) -> None:
        """What is seen of a page. offset: of it that is scrolled away; height: that is seen, both in pixels."""
        first = max(bisect_right(column.tops, offset) - 1, 0)
        last_voice = column.laid[first - 1].paragraph.voice if first else None
        for k, laid in enumerate(column.laid[first:], first):
            top = column.tops[k] - offset
            if top > height:
                break
            self.headings(laid, top)
            self.speaker(laid, top + laid.heading_height, laid.paragraph.voice != last_voice or k == first)
            last_voice = laid.paragraph.voice
            for n, items in enumerate(laid.lines):
                y = top + laid.heading_height + n * laid.line_height
                if -laid.line_height < y < height:
                    self.line(items, y, laid.line_height, marked)

    def headings(self, laid: Laid, top: float) -> None:
        """Chapters and breaks that stand over a paragraph."""
        c = self._c
        count = len(laid.paragraph.headings)
        for k, heading in enumerate(laid.paragraph.headings):
            h = laid.heading_height / count
            area = QRectF(GUTTER, top + k * h, self._width - GUTTER - MARGIN, h)
            self._p.setFont(font(self._px + (2 if heading.kind == "chapter" else -1), 700))
            self._p.setPen(c.q("ink" if heading.kind == "chapter" else "thread_text"))
            self._p.drawText(area, Qt.AlignmentFlag.AlignVCenter, heading.text)
            width = self._p.fontMetrics().horizontalAdvance(heading.text)
            self._p.setPen(QPen(c.q("line"), 1))
            self._p.drawLine(QPointF(area.left() + width + 12, area.center().y()), QPointF(area.right(), area.center().y()))

    def speaker(self, laid: Laid, y: float, named: bool) -> None:
        """Who speaks, at the left, and since when."""
        c = self._c
        table = self._table
        area = QRectF(12, y, GUTTER - 24, laid.line_height)
        if named and laid.paragraph.voice < len(table.voices):
            self._p.setFont(font(max(self._px - 2, 13), 700))
            self._p.setPen(c.q("saddle"))
            name = self._p.fontMetrics().elidedText(
                table.voices[laid.paragraph.voice].name, Qt.TextElideMode.ElideRight, round(area.width())
            )
            self._p.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)
            if len(laid.lines) > 1:
                self._p.setFont(font(13))
                self._p.setPen(c.q("muted"))
                start = int(table.starts[laid.paragraph.rows[0]]) / self._rate
                self._p.drawText(area.translated(0, laid.line_height * 0.86), Qt.AlignmentFlag.AlignVCenter, clock(start))

    def line(self, items: tuple[Item, ...], y: float, height: float, marked: Marked) -> None:
        """A line of words, pauses and stitches."""
        c, table = self._c, self._table
        plain, small = text_font(self._px), small_font(self._px)
        metrics = QFontMetricsF(plain)
        base = y + (height - metrics.height()) / 2 + metrics.ascent()  # a text at a point is painted twice as fast as one in a rectangle
        for item in items:
            area = QRectF(item.x, y, item.width, height)
            back = area.adjusted(-2.5, 2, 2.5, -2)
            if item.kind in (ItemKind.STITCH, ItemKind.PAUSE):
                self._mark(item, area)
                continue
            if item.row in marked.selected:
                self._p.fillRect(back, c.q("saddle", 62))
            elif item.row in marked.found:
                self._p.fillRect(back, c.q("thread", 95))
            here = item.row == marked.here
            if here:
                self._p.setPen(Qt.PenStyle.NoPen)
                self._p.setBrush(c.q("indigo", 46))
                self._p.drawRoundedRect(back, 4, 4)
                self._p.fillRect(QRectF(back.left(), back.bottom() - 2, back.width(), 2), c.q("indigo"))
            if item.kind is ItemKind.SOUND:
                self._p.setFont(small)
                self._p.setPen(c.q("muted"))
                self._p.drawText(area, Qt.AlignmentFlag.AlignCenter, item.text)
                self._p.setPen(QPen(c.q("line"), 1))
                self._p.setBrush(Qt.BrushStyle.NoBrush)
                self._p.drawRoundedRect(area.adjusted(0, 5, 0, -5), 6, 6)
                continue
            self._p.setFont(plain)
            self._p.setPen(c.q("muted" if item.kind is not ItemKind.WORD else "ink"))
            self._p.drawText(QPointF(item.x, base), item.text)
            middle = y + height * 0.52
            if item.kind is ItemKind.OPENED:
                self._p.setPen(QPen(c.q("thread"), 1.6))
                self._p.drawLine(QPointF(area.left(), middle), QPointF(area.right(), middle))
            elif item.kind is ItemKind.FILLER:
                self._underline(area, "thread", Qt.PenStyle.DashLine)
            elif table.words[item.row].confidence < DOUBTFUL:
                self._underline(area, "brick", Qt.PenStyle.DotLine)

    def _underline(self, area: QRectF, colour: str, style: Qt.PenStyle) -> None:
        self._p.setPen(QPen(self._c.q(colour), 1.6, style))
        y = area.bottom() - area.height() * 0.16
        self._p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))

    def _mark(self, item: Item, area: QRectF) -> None:
        c = self._c
        if item.kind is ItemKind.PAUSE:
            bar = QRectF(area.left(), area.center().y() - 2, area.width(), 4)
            self._p.setPen(Qt.PenStyle.NoPen)
            self._p.setBrush(c.q("line"))
            self._p.drawRoundedRect(bar, 2, 2)
            return
        box = area.adjusted(0, 4, 0, -4)
        self._p.setPen(Qt.PenStyle.NoPen)
        self._p.setBrush(c.q("thread", 34))
        self._p.drawRoundedRect(box, 4, 4)
        pen = QPen(c.q("thread"), 1.8)
        pen.setDashPattern([2.4, 1.8])
        self._p.setPen(pen)
        self._p.drawLine(QPointF(box.left() + 1, box.top()), QPointF(box.left() + 1, box.bottom()))
        self._p.drawLine(QPointF(box.right() - 1, box.top()), QPointF(box.right() - 1, box.bottom()))
        self._p.setPen(c.q("thread_text"))
        self._p.setFont(small_font(self._px))
        self._p.drawText(area, Qt.AlignmentFlag.AlignCenter, item.text)
