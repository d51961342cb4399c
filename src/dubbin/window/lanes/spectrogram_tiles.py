"""Spectrograms of the lanes as tiles: drawn in the background, kept, and put together while one scrolls."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter

from dubbin.core.episode.model import Lane
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.jobs import Task
from dubbin.core.measure.spectrogram import spectrogram
from dubbin.core.sound.source import Source
from dubbin.core.texts import tr
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.theme import Colours, Theme
from dubbin.window.session.session import Session

TILE_PX = 128
ROWS = 128
MOST_TILES = 600
Key = tuple[object, ...]


@dataclass(frozen=True)
class _Wanted:
    key: Key
    source: Source
    time_map: TimeMap
    offset: int
    display: float
    per_pixel: float


@dataclass(frozen=True)
class _Tile:
    """levels: what was measured, as indices; picture: those in colours, as Qt draws them fastest."""

    levels: QImage
    picture: QImage


class SpectrogramTiles(QObject):
    """Asks for what is missing when it is painted, and tells when some of it has come."""

    changed = pyqtSignal()

    def __init__(self, session: Session, view: Viewport, theme: Theme) -> None:
        super().__init__()
        self._session, self._view, self._theme = session, view, theme
        self._tiles: OrderedDict[Key, _Tile] = OrderedDict()
        self._asked: dict[str, tuple[Key, ...]] = {}
        # Of every lane the scale at which it was seen whole: drawn stretched while tiles of another are on their way.
        self._whole: dict[str, tuple[Key, float]] = {}
        theme.changed.connect(self._recolour)

    def paint(self, p: QPainter, lane: Lane, rect: QRectF, source: Source, side: object) -> None:
        """Draw a lane's spectrogram into rect; side: a name for which sound it is (recorded, treated with what …)."""
        view = self._view
        spans = tuple((s.start, s.end) for s in view.map.spans)
        base: Key = (lane.id, side, hash(spans))
        scale: Key = (*base, round(view.per_pixel, 6))
        wanted, there = [], []
        for index in self._in_view(view.per_pixel):
            key = (*scale, index)
            tile = self._tiles.get(key)
            if tile is None:
                wanted.append(_Wanted(key, source, view.map, lane.start_frame, index * TILE_PX * view.per_pixel, view.per_pixel))
            else:
                self._tiles.move_to_end(key)
                there.append((index, tile.picture))
        if wanted:
            self._paint_whole(p, lane, rect, base)
        else:
            self._whole[lane.id] = (scale, view.per_pixel)
        for index, image in there:
            p.drawImage(self._place(rect, index, view.per_pixel), image)
        self._ask(lane, wanted)

    def _paint_whole(self, p: QPainter, lane: Lane, rect: QRectF, base: Key) -> None:
        """The last whole picture of the same sound, stretched to the present scale."""
        scale, per_pixel = self._whole.get(lane.id, ((), 0.0))
        if scale[: len(base)] != base:
            return
        for index in self._in_view(per_pixel):
            tile = self._tiles.get((*scale, index))
            if tile is not None:
                p.drawImage(self._place(rect, index, per_pixel), tile.picture)

    def _in_view(self, per_pixel: float) -> range:
        """Numbers of the tiles of a scale that are seen."""
        view, width = self._view, TILE_PX * per_pixel
        return range(int(view.start // width), int((view.start + view.width * view.per_pixel) // width) + 1)

    def _place(self, rect: QRectF, index: int, per_pixel: float) -> QRectF:
        """Where a tile of a scale stands."""
        width = TILE_PX * per_pixel
        x = (index * width - self._view.start) / self._view.per_pixel
        return QRectF(rect.left() + x, rect.top() + 1, width / self._view.per_pixel, rect.height() - 1)

    def _ask(self, lane: Lane, wanted: list[_Wanted]) -> None:
        keys = tuple(w.key for w in wanted)
        if not wanted or self._asked.get(lane.id) == keys:
            return
        self._asked[lane.id] = keys

        def work(task: Task) -> list[tuple[Key, np.ndarray]]:
            out = []
            for k, w in enumerate(wanted):
                task.step(k / len(wanted))
                out.append((w.key, _levels(w)))
            return out

        def done(result: list[tuple[Key, np.ndarray]]) -> None:
            self._asked.pop(lane.id, None)
            for key, levels in result:
                self._tiles[key] = _coloured(_image(levels), self._theme.colours)
            while len(self._tiles) > MOST_TILES:
                self._tiles.popitem(last=False)
            self.changed.emit()

        self._session.jobs.start(("spectrogram", lane.id), tr("Drawing spectrograms"), work, done, quiet=True)

    def _recolour(self) -> None:
        for key, tile in self._tiles.items():
            self._tiles[key] = _coloured(tile.levels, self._theme.colours)


def _levels(w: _Wanted) -> np.ndarray:
    """The tile's columns, gathered from the spans of the session that lie under them."""
    out = np.zeros((ROWS, TILE_PX), np.uint8)
    for index in w.time_map.spans_between(int(w.display), int(w.display + TILE_PX * w.per_pixel) + 1):
        span = w.time_map.spans[index]
        first = max(int(np.floor((span.program - w.display) / w.per_pixel)), 0)
        last = min(int(np.ceil((span.program + span.frames - w.display) / w.per_pixel)), TILE_PX)
        if last > first:
            at = span.start + (w.display + first * w.per_pixel - span.program) - w.offset
            part = spectrogram(w.source, at, w.per_pixel, last - first, ROWS)
            out[:, first:last] = np.maximum(out[:, first:last], part)
    return out


def _image(levels: np.ndarray) -> QImage:
    rows, columns = levels.shape
    data = np.ascontiguousarray(levels).tobytes()  # held until it is copied: the picture only points to it
    return QImage(data, columns, rows, columns, QImage.Format.Format_Indexed8).copy()


def _coloured(levels: QImage, colours: Colours) -> _Tile:
    levels.setColorTable(list(_colours(colours)))
    return _Tile(levels, levels.convertToFormat(QImage.Format.Format_RGB32))


@lru_cache(maxsize=4)
def _colours(c: Colours) -> tuple[int, ...]:
    """Printed ink on paper: one neutral ramp, from the card's own colour where it is quiet to ink where it is loud."""
    quiet, loud = QColor(c.card), QColor(c.ink)
    return tuple(_mixed(quiet, loud, k / 255).rgb() for k in range(256))


def _mixed(a: QColor, b: QColor, share: float) -> QColor:
    parts = zip((a.red(), a.green(), a.blue()), (b.red(), b.green(), b.blue()), strict=True)
    return QColor(*(round(x + (y - x) * share) for x, y in parts))
