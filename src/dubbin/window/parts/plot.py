"""Plots in the colours of the house."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPen

from dubbin.core.measure.frequency_scale import FREQUENCIES
from dubbin.window.parts.figures import number
from dubbin.window.parts.theme import Theme, font

MOST_POINTS = 1800  # about two for each pixel of a wide plot; painting an hour's hundred thousand takes half a second


def thinned(x: np.ndarray, y: np.ndarray, most: int = MOST_POINTS) -> tuple[np.ndarray, np.ndarray]:
    """A curve of about `most` points that looks like x, y (n,): of every few points the lowest and the highest, in their order. Gaps (NaN) stay."""
    if len(x) <= most:
        return x, y
    size = -(-2 * len(x) // most)
    missing = -len(x) % size
    values = np.pad(y, (0, missing), mode="edge").reshape(-1, size)
    picked = np.stack(
        [np.argmin(np.where(np.isnan(values), np.inf, values), axis=1), np.argmax(np.where(np.isnan(values), -np.inf, values), axis=1)], 1
    )
    picked.sort(axis=1)
    at = np.minimum((picked + np.arange(len(values))[:, None] * size).ravel(), len(x) - 1)
    return x[at], y[at]


def _tick_texts(values: Sequence[float], scale: float, spacing: float) -> list[str]:
    """Figures at an axis, with true minus signs."""
    digits = max(0, int(np.ceil(-np.log10(spacing * scale)))) if spacing * scale > 0 else 0
    return [number(v * scale, digits) for v in values]


class Plot(pg.PlotWidget):  # type: ignore[misc]
    """A plot that one looks at: fixed axes, no menus, thin grid. Axis labels carry the units."""

    def __init__(self, theme: Theme, name: str, x_label: str, y_label: str) -> None:
        super().__init__()
        self._theme = theme
        self.setAccessibleName(name)
        self._labels = {"bottom": x_label, "left": y_label}
        self._curves: dict[str, Any] = {}
        self._colours: dict[str, tuple[str, float, bool]] = {}
        item = self.getPlotItem()
        item.setMenuEnabled(False)
        item.hideButtons()
        item.setMouseEnabled(False, False)
        item.showGrid(x=True, y=True, alpha=0.12)
        self.setFrameShape(pg.PlotWidget.Shape.NoFrame)
        theme.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        c = self._theme.colours
        self.setBackground(c.q("card"))
        for side, text in self._labels.items():
            axis = self.getPlotItem().getAxis(side)
            axis.tickStrings = _tick_texts
            axis.setPen(c.q("line"))
            axis.setTextPen(c.q("muted"))
            axis.setTickFont(font(13))
            axis.setLabel(text, **{"font-size": "13px", "color": c.muted})
        for name, curve in self._curves.items():
            curve.setPen(self._pen(name))

    def _pen(self, name: str) -> QPen:
        colour, width, dashed = self._colours[name]
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        out: QPen = pg.mkPen(self._theme.colours.q(colour), width=width, style=style)
        out.setCapStyle(Qt.PenCapStyle.RoundCap if not dashed else Qt.PenCapStyle.FlatCap)
        return out

    def curve(self, name: str, colour: str, width: float = 2.0, dashed: bool = False) -> None:
        """Have a curve of that name, drawn in a colour of the theme."""
        self._colours[name] = (colour, width, dashed)
        if name not in self._curves:
            item = self._curves[name] = self.getPlotItem().plot(antialias=True, pen=self._pen(name), connect="finite")
            if not dashed:
                # As one path, a broad line of thousands of points is cut with itself before it is filled: a third of a second for each curve.
                item.curve.setSegmentedLineMode("on")

    def show_curve(self, name: str, x: np.ndarray, y: np.ndarray) -> None:
        """Draw y over x, which goes up; NaN is a gap. Of many points those are drawn that can be seen."""
        self._curves[name].setData(*thinned(np.asarray(x, float), np.asarray(y, float)))

    def hide_curve(self, name: str) -> None:
        self._curves[name].setData([], [])

    def data_of(self, name: str) -> tuple[np.ndarray | None, np.ndarray | None]:
        """What a curve shows (for tests)."""
        return self._curves[name].getData()  # type: ignore[no-any-return]

    def set_range(self, x: tuple[float, float], y: tuple[float, float]) -> None:
        self.getPlotItem().setXRange(*x, padding=0)
        self.getPlotItem().setYRange(*y, padding=0)

    def set_ticks(self, side: str, ticks: list[tuple[float, str]]) -> None:
        self.getPlotItem().getAxis(side).setTicks([ticks])


def frequency_ticks() -> list[tuple[float, str]]:
    """Ticks of an axis on which the decimal logarithm of the frequency stands."""
    return [(float(np.log10(f)), text) for f, text in FREQUENCIES]
