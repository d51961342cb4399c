"""Gain reduction beside the wave: along the top of a lane, downwards, how far its compressor and its de-esser turn it down."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.theme import Colours

SHOWN_DB, HEIGHT_SHARE = 18.0, 0.45


def paint_reduction(
    p: QPainter,
    c: Colours,
    view: Viewport,
    rect: QRectF,
    start_frame: int,
    rate: int,
    gain_db: NDArray[np.float64],
    step_s: float,
    colour: str,
) -> None:
    """gain_db: change of level every step_s of the recording, NaN for silence; start_frame: where it begins on the session clock."""
    display = (view.start + view.per_pixel * np.arange(view.width + 1)).astype(np.int64)
    inside = display[:-1] < view.frames
    at = view.map.many_to_session(np.minimum(display, max(view.frames - 1, 0)))
    index = ((at - start_frame) / rate / step_s).astype(np.int64)
    first, last = index[:-1], np.maximum(index[1:], index[:-1] + 1)
    known = inside & (first >= 0) & (first < len(gain_db))
    if not known.any():
        return
    depth = np.zeros(view.width)
    clean = np.append(np.nan_to_num(-gain_db, nan=0.0), 0.0)
    near = known & (last - first < 4096) & (last <= len(gain_db))
    pairs = np.stack([first[near], last[near]], axis=1).ravel()
    if len(pairs):
        depth[near] = np.maximum.reduceat(clean, pairs)[::2]
    depth = np.clip(depth / SHOWN_DB, 0.0, 1.0) * rect.height() * HEIGHT_SHARE
    top = rect.top() + 1
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(c.q(colour, 200))
    points = [QPointF(0, top), *(QPointF(x + 0.5, top + float(depth[x])) for x in range(view.width)), QPointF(view.width, top)]
    p.drawPolygon(QPolygonF(points))
