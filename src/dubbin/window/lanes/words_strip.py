"""Words under the waves, and what lies over a lane: covers, splits, and what was put into the program."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPen

from dubbin.core.episode.model import CoverKind, Episode, Lane, PlacedKind
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.word_table import WordTable
from dubbin.core.texts import tr
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.theme import Colours, font

STRIP_H = 19.0
LEAST_PX_PER_S = 40.0  # below, hardly a word has room
READABLE_SHARE = 0.8  # of the words in sight that must have room; else none is shown
GAP_PX = 5.0
COVER_NAMES = {CoverKind.SILENCE: "muted", CoverKind.LOWER: "lowered", CoverKind.TONE: "bleep", CoverKind.NOISE: tr("room noise")}


@dataclass(frozen=True)
class ShownWord:
    """A word under the wave: where it begins, in pixels, and what stands there."""

    x: float
    text: str
    kind: WordKind


def words_to_show(view: Viewport, table: WordTable, lane: Lane, rate: int) -> list[ShownWord]:
    """The lane's words in sight, each with room to be read whole; none at all where most have no room."""
    if not len(table) or rate / view.per_pixel < LEAST_PX_PER_S:
        return []
    voices = [k for k, v in enumerate(table.voices) if v.lane == lane.id]
    at = view.map.many_to_program(table.middles)
    seen = np.flatnonzero(np.isin(table.voice_of, voices) & (at >= view.start - 2 * rate) & (at <= view.stop + 2 * rate) & (at >= 0))
    metrics = QFontMetricsF(font(14))
    wanted: list[tuple[float, float, ShownWord]] = []
    for row in seen.tolist():
        word = table.words[row]
        half = (int(table.ends[row]) - int(table.starts[row])) / 2
        x, width = view.x_of_display(at[row] - half), metrics.horizontalAdvance(word.text)
        wanted.append((x, width, ShownWord(x, word.text, word.kind)))
    wanted.sort(key=lambda item: item[0])
    shown: list[ShownWord] = []
    free_from = float("-inf")
    for x, width, word in wanted:
        if x >= free_from:
            shown.append(word)
            free_from = x + width + GAP_PX
    return shown if len(shown) >= READABLE_SHARE * len(wanted) else []


def paint_words(p: QPainter, c: Colours, words: list[ShownWord], rect: QRectF) -> None:
    """Words along a lane's lower edge, below its sound."""
    if not words:
        return
    strip = QRectF(rect.left(), rect.bottom() - STRIP_H, rect.width(), STRIP_H)
    p.setFont(font(14))
    for word in words:
        p.setPen(c.q("muted" if word.kind is not WordKind.WORD else "ink"))
        p.drawText(QRectF(word.x, strip.top(), 1000, STRIP_H), Qt.AlignmentFlag.AlignVCenter, word.text)
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(QPointF(word.x - 2.5, strip.top() + 3), QPointF(word.x - 2.5, strip.bottom() - 3))


def paint_covers(p: QPainter, c: Colours, view: Viewport, lane: Lane, rect: QRectF) -> None:
    """Stretches that are muted, lowered or bleeped."""
    for cover in lane.covers:
        a, b = view.x_of(lane.start_frame + cover.start_frame), view.x_of_end(lane.start_frame + cover.end_frame)
        if b < 0 or a > rect.right() or b <= a:
            continue
        area = QRectF(a, rect.top() + 1, max(b - a, 2), rect.height() - 2)
        p.fillRect(area, c.q("card", 150))
        if cover.kind is CoverKind.OTHER:
            continue  # that is another lane's: pale is enough
        p.fillRect(area, QBrush(c.q("brick", 110), Qt.BrushStyle.FDiagPattern))
        p.setPen(QPen(c.q("brick"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area)
        p.setFont(font(13, 700))
        text = COVER_NAMES[cover.kind]
        if p.fontMetrics().horizontalAdvance(text) + 6 < area.width():
            p.drawText(area, Qt.AlignmentFlag.AlignCenter, text)


def paint_placed(p: QPainter, c: Colours, view: Viewport, episode: Episode, top: float, bottom: float, picked: str | None) -> None:
    """What was moved, copied or put in: a band over all lanes with its name; and where it was taken from."""
    for span in view.map.spans:
        item = episode.placement(span.placed)
        if item is None:
            continue
        a, b = view.x_of_display(span.program), view.x_of_display(span.program + span.frames)
        if b < 0 or a > view.width:
            continue
        area = QRectF(a, top, max(b - a, 2), bottom - top)
        p.fillRect(area, c.q("fern" if item.kind in (PlacedKind.MOVE, PlacedKind.COPY) else "indigo", 22))
        if item.kind is PlacedKind.BREAK:
            p.fillRect(area, QBrush(c.q("indigo", 60), Qt.BrushStyle.Dense6Pattern))
        p.setPen(QPen(c.q("ink" if item.id == picked else "indigo"), 2.2 if item.id == picked else 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
        p.setFont(font(13, 700))
        text = item.name or {PlacedKind.MOVE: tr("moved here"), PlacedKind.COPY: tr("copy")}.get(item.kind, tr(item.kind.value))
        room = QRectF(a + 4, bottom - 20, max(b - a - 8, 0), 18)
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width())))
    if view.folded:
        return
    for item in episode.placed:
        if item.kind is not PlacedKind.MOVE:
            continue
        for piece in item.pieces:
            a, b = view.x_of(piece.start_frame), view.x_of_end(piece.end_frame)
            area = QRectF(a, top, max(b - a, 2), bottom - top)
            p.fillRect(area, c.q("paper", 150))
            p.fillRect(area, QBrush(c.q("fern", 70), Qt.BrushStyle.Dense7Pattern))
            p.setFont(font(13, 700))
            p.setPen(c.q("fern"))
            if area.width() > 90:
                p.drawText(area.adjusted(4, 0, -4, -4), Qt.AlignmentFlag.AlignBottom, tr("moved away"))


def paint_splits(p: QPainter, c: Colours, view: Viewport, episode: Episode, top: float, bottom: float) -> None:
    p.setPen(QPen(c.q("ink", 170), 1.2, Qt.PenStyle.DotLine))
    for frame in episode.splits:
        at = view.map.to_program(frame)
        if at is not None and 0 <= (x := view.x_of_display(at)) <= view.width:
            p.drawLine(QPointF(x, top), QPointF(x, bottom))
