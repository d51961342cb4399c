"""What is too small and too frequent to be seen one by one is shown as how much of it there is: a low band, a column a pixel."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

LEAST_PX = 1.5  # of height, where there is anything at all
CROWDED_PX = 8.0  # marks nearer to one another on average are not told apart


def covered_shares(left: NDArray[np.float64], right: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    """How much of each pixel column, 0 to 1, spans lie over (left, right in pixels, not overlapping); (width,)."""
    edges = np.arange(width + 1, dtype=np.float64)
    order = np.argsort(left, kind="stable")
    left, right = left[order], np.maximum(right[order], left[order])
    # The covered length up to each edge: all of the spans that end before it, and the part of the one that it lies in.
    before = np.concatenate([[0.0], np.cumsum(right - left)])
    index = np.searchsorted(left, edges, side="right")
    inside = (
        np.where(index > 0, np.minimum(edges, right[np.maximum(index - 1, 0)]) - left[np.maximum(index - 1, 0)], 0.0) if len(left) else 0.0
    )
    upto = np.where(index > 0, before[np.maximum(index - 1, 0)] + inside, 0.0)
    return np.clip(np.diff(upto), 0.0, 1.0)


def counts_of(places: Sequence[float] | NDArray[np.float64], width: int, bin_px: int) -> NDArray[np.int64]:
    """How many places (pixels) lie in each bin of so many pixels."""
    inside = np.asarray(places, np.float64)
    inside = inside[(inside >= 0) & (inside < width)]
    return np.bincount((inside // bin_px).astype(np.int64), minlength=-(-width // bin_px))


def is_crowded(places: NDArray[np.float64]) -> bool:
    """Whether places (pixels, sorted) are too near to one another to be told apart."""
    return len(places) > 2 and float(places[-1] - places[0]) / (len(places) - 1) < CROWDED_PX


def paint_shares(p: QPainter, colour: QColor, shares: NDArray[np.float64], bottom: float, height: float) -> None:
    """Columns that grow upwards from `bottom`, as high as their share of `height`."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(colour)
    columns = [(x, max(float(shares[x]) * height, LEAST_PX)) for x in np.flatnonzero(shares > 0).tolist()]
    if columns:
        p.drawRects(*(QRectF(x, bottom - high, 1.0, high) for x, high in columns))


def paint_counts(p: QPainter, colour: QColor, counts: NDArray[np.int64], bin_px: int, top: float, height: float) -> None:
    """Bars along `top`, the denser the more there are."""
    most = int(counts.max(initial=0))
    for k in np.flatnonzero(counts).tolist():
        shade = QColor(colour)
        shade.setAlphaF(0.25 + 0.65 * counts[k] / most)
        p.fillRect(QRectF(k * bin_px, top, bin_px - 1.0, height), shade)
