"""Waves as pictures: the stretch between lowest and highest sample of every column, smooth at the edges."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from dubbin.core.episode.time_map import TimeMap
from dubbin.core.errors import UnusableSound
from dubbin.core.sound.peaks import BASE_FRAMES, PeakPyramid
from dubbin.core.sound.source import Source
from dubbin.window.parts.painting import painting

Columns = NDArray[np.float32]


class Stretch(Protocol):
    """What part of the time axis is drawn: a viewport, or one of finer pixels."""

    start: float
    per_pixel: float
    width: int

    @property
    def map(self) -> TimeMap: ...

    @property
    def stop(self) -> float: ...

    def x_of_display(self, frame: float) -> float: ...


class FinePixels:
    """The stretch of a view in the pixels of the screen, of which a high-resolution one has several in each of ours."""

    def __init__(self, view: Stretch, ratio: float) -> None:
        self._view = view
        self.start, self.per_pixel, self.width = view.start, view.per_pixel / ratio, round(view.width * ratio)

    @property
    def map(self) -> TimeMap:
        return self._view.map

    @property
    def stop(self) -> float:
        return self.start + self.width * self.per_pixel

    def x_of_display(self, frame: float) -> float:
        return (frame - self.start) / self.per_pixel


MANY_SPANS = 40  # from which spans are not read one by one
PARTS = 4  # of a pixel that are looked up then


def gathered(
    time_map: TimeMap, peaks: PeakPyramid, channels: Sequence[int], offset: int, start: float, per_pixel: float, width: int
) -> Columns:
    """(width, 2) lowest and highest sample for every pixel, however many spans lie under it; right to a quarter of a pixel at seams."""
    display = (start + per_pixel * (np.arange(width * PARTS) + 0.5) / PARTS).astype(np.int64)
    inside = display < time_map.program_frames
    frames = time_map.many_to_session(np.where(inside, display, 0)) - offset
    found = peaks.around(channels, np.where(inside, frames, -1), per_pixel / PARTS).reshape(width, PARTS, 2)
    return np.stack([found[..., 0].min(axis=1), found[..., 1].max(axis=1)], axis=1)


def columns_of(view: Stretch, peaks: PeakPyramid, source: Source, offset: int, ratio: float = 1.0) -> Columns:
    """(width, 2) lowest and highest sample of all channels for every pixel column of the view.

    offset: session frame at which the source begins. Close up the samples themselves are read.
    """
    width = view.width
    out = np.zeros((width, 2), np.float32)
    time_map = view.map
    spans = time_map.spans_between(int(view.start), int(view.stop) + 1)
    if len(spans) > MANY_SPANS and view.per_pixel >= PARTS * BASE_FRAMES:
        return gathered(time_map, peaks, range(peaks.channels), offset, view.start, view.per_pixel, width)
    for index in spans:
        span = time_map.spans[index]
        first = max(int(np.floor(view.x_of_display(span.program))), 0)
        last = min(int(np.ceil(view.x_of_display(span.program + span.frames))), width)
        if last <= first:
            continue
        at = span.start + (view.start + first * view.per_pixel - span.program) - offset
        part = _columns(peaks, source, at, view.per_pixel, last - first)
        np.minimum(out[first:last, 0], part[:, 0], out=out[first:last, 0])
        np.maximum(out[first:last, 1], part[:, 1], out=out[first:last, 1])
    return out


def _columns(peaks: PeakPyramid, source: Source, start: float, per_pixel: float, count: int) -> Columns:
    if per_pixel >= BASE_FRAMES:
        return _known_columns(peaks, start, per_pixel, count)
    edges = np.floor(start + per_pixel * np.arange(count + 1)).astype(np.int64)
    a, b = max(int(edges[0]), 0), min(int(edges[-1]) + 2, source.frames)
    out = np.zeros((count, 2), np.float32)
    if b <= a:
        return out
    try:
        x = source.read(a, b)
    except UnusableSound:  # its file was changed: who plays or measures it says so, and the picture is what was known
        return _known_columns(peaks, start, per_pixel, count)
    low, high = x.min(axis=0), x.max(axis=0)
    lo = np.clip(edges[:-1] - a, 0, len(low) - 1)
    hi = np.clip(np.maximum(edges[1:] + 1 - a, lo + 1), 1, len(low))
    pairs = np.stack([lo, hi], 1).ravel()
    out[:, 0] = np.minimum.reduceat(np.append(low, low[-1]), pairs)[::2]
    out[:, 1] = np.maximum.reduceat(np.append(high, high[-1]), pairs)[::2]
    outside = (edges[1:] <= 0) | (edges[:-1] >= source.frames)
    out[outside] = 0
    return out


def _known_columns(peaks: PeakPyramid, start: float, per_pixel: float, count: int) -> Columns:
    """What the peaks alone tell, of all channels together."""
    parts = [peaks.columns(c, start, per_pixel, count) for c in range(peaks.channels)]
    low = np.min([p[:, 0] for p in parts], axis=0)
    high = np.max([p[:, 1] for p in parts], axis=0)
    return np.stack([low, high], axis=1)


def wave_image(columns: Columns, height: int, colour: QColor, zoom: float) -> QImage:
    """One wave in one colour on nothing; zoom raises its height. Edges are as opaque as the pixel is covered."""
    width = len(columns)
    points = np.zeros((height, width), np.uint32)
    middle, half = height / 2, height / 2 - 1
    top = middle - np.clip(columns[:, 1] * zoom, -1, 1) * half - 0.5
    bottom = middle - np.clip(columns[:, 0] * zoom, -1, 1) * half + 0.5
    # Only the rows that the wave reaches: a quiet lane costs little.
    first, last = max(int(np.floor(top.min(initial=height))), 0), min(int(np.ceil(bottom.max(initial=0.0))), height)
    if last > first and colour.alpha():
        rows = np.arange(first, last, dtype=np.float32)[:, None] * 255
        covered = np.minimum(rows + 255, bottom.astype(np.float32) * 255)
        covered -= np.maximum(rows, top.astype(np.float32) * 255)
        np.clip(covered, 0.0, 255.0, out=covered)
        points[first:last] = _premultiplied(colour.rgba())[covered.astype(np.uint8)]
    return QImage(points.tobytes(), width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()


def laid_over(images: Sequence[QImage]) -> QImage:
    """Pictures of one size over one another, the first at the bottom."""
    out = images[0]
    if len(images) > 1:
        with painting(out) as p:
            for image in images[1:]:
                p.drawImage(0, 0, image)
    return out


@lru_cache(maxsize=64)
def _premultiplied(rgba: int) -> NDArray[np.uint32]:
    """ARGB with colours times opacity, for every share of a pixel (0 to 255) that a colour covers."""
    alpha = np.arange(256) / 255 * ((rgba >> 24 & 255) / 255)
    parts = [np.round(alpha * (rgba >> shift & 255)).astype(np.uint32) << np.uint32(shift) for shift in (16, 8, 0)]
    out: NDArray[np.uint32] = np.round(alpha * 255).astype(np.uint32) << np.uint32(24) | parts[0] | parts[1] | parts[2]
    return out
