"""Arrays as what Qt's painters take."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF


def polygon(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """A line or an area through the points x, y (n,), in pixels."""
    return QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])
