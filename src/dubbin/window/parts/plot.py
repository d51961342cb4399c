"""Plots in the colours of the house."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPen
from PyQt6.QtWidgets import QGraphicsItem

from dubbin.core.figures import clock, number
from dubbin.core.measure.frequency_scale import FREQUENCIES
from dubbin.window.parts.ruler import tick_step_s
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


# Names at the curves: where the first stands along the axis, how far apart they stand, how broad one is, all as shares of the axis.
FIRST_NAME, NEXT_NAME, NAME_SHARE = 0.88, 0.21, 0.14
MANY_POINTS = 200  # from which on painting takes longer than keeping a picture
FEW_POINTS = 20  # of a curve that is straight between them
TEXT_COLOURS = {"thread": "thread_text", "wash": "muted", "line": "muted"}  # where a line's colour is too pale for text


def _clock_texts(values: Sequence[float], scale: float, spacing: float) -> list[str]:
    return [clock(max(v * scale, 0.0), 0 if spacing * scale >= 1 else 1) for v in values]


def _clock_spacing(low: float, high: float, size: float) -> list[tuple[float, float]]:
    """Seconds between the figures at an axis of `size` pixels: round on the clock."""
    return [(tick_step_s((high - low) / max(size, 1.0)), 0.0)]


def _tick_texts(values: Sequence[float], scale: float, spacing: float) -> list[str]:
    """Figures at an axis, with true minus signs."""
    digits = max(0, int(np.ceil(-np.log10(spacing * scale)))) if spacing * scale > 0 else 0
    return [number(v * scale, digits) for v in values]


class Plot(pg.PlotWidget):  # type: ignore[misc]
    """A plot that one looks at: fixed axes, no menus, thin grid. Axis labels carry the units."""

    def __init__(self, theme: Theme, name: str, x_label: str, y_label: str, *, clock_axis: bool = False) -> None:
        """clock_axis: seconds along the bottom are written as minutes and seconds."""
        super().__init__(enableMenu=False)  # menus that nobody sees take a hundredth of a second each
        self._theme, self._clock_axis = theme, clock_axis
        self._names: dict[str, tuple[pg.TextItem, str]] = {}
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # there is nothing to do in it
        self.viewport().setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._labels = {"bottom": x_label, "left": y_label}
        self._curves: dict[str, Any] = {}
        self._colours: dict[str, tuple[str, float, bool]] = {}
        item = self.getPlotItem()
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
            if self._clock_axis and side == "bottom":
                axis.tickStrings, axis.tickSpacing = _clock_texts, _clock_spacing
            axis.setPen(c.q("line"))
            axis.setTextPen(c.q("muted"))
            axis.setTickFont(font(13))
            axis.setLabel(text, **{"font-size": "13px", "color": c.muted})
        for name, curve in self._curves.items():
            curve.setPen(self._pen(name))
        for name in self._names:
            self._dress_name(name)

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

    def name_curve(self, name: str, text: str) -> None:
        """What stands at a curve, so that it is known without its colour; empty: nothing."""
        if name not in self._names:
            item = pg.TextItem(anchor=(0.5, 1.0))
            item.setFont(font(13, 500))
            item.setZValue(10)
            self.getPlotItem().addItem(item, ignoreBounds=True)
            self._names[name] = (item, "")
        item, _ = self._names[name]
        self._names[name] = (item, text)
        self._dress_name(name)
        item.setText(text)
        self._place_name(name)

    def _dress_name(self, name: str) -> None:
        c, (item, _), colour = self._theme.colours, self._names[name], self._colours[name][0]
        item.fill = pg.mkBrush(c.q("card", 190))
        item.setColor(c.q(TEXT_COLOURS.get(colour, colour)))

    def names_shown(self) -> list[str]:
        """What stands at the curves now."""
        return [text for item, text in self._names.values() if item.isVisible()]

    def _place_name(self, name: str) -> None:
        """Where the curve is, each name at a place of its own along the axis."""
        if name not in self._names:
            return
        item, text = self._names[name]
        x, y = self._curves[name].getData()
        known = x is not None and len(x) > 0
        item.setVisible(bool(known and text))
        if not known:
            return
        low, high = self.getPlotItem().viewRange()[0]
        order = list(self._names).index(name)
        wanted = low + (high - low) * (FIRST_NAME - order * NEXT_NAME % (FIRST_NAME - NAME_SHARE))
        finite = np.flatnonzero(np.isfinite(y))
        if not len(finite):
            item.setVisible(False)
            return
        drawn, x, y = len(x), x[finite], y[finite]
        near = np.abs(x - wanted) <= (high - low) * NAME_SHARE / 2
        if not near.any() and drawn > FEW_POINTS:  # a gap: where the curve is nearest
            wanted = float(x[np.argmin(np.abs(x - wanted))])
            near = np.abs(x - wanted) <= (high - low) * NAME_SHARE / 2
        at = float(np.max(y[near])) if near.any() else float(np.interp(wanted, x, y))
        bottom, top = self.getPlotItem().viewRange()[1]
        below = at > top - (top - bottom) * NAME_SHARE
        item.setAnchor((0.5, 0.0 if below else 1.0))
        item.setPos(wanted, at)

    def show_curve(self, name: str, x: np.ndarray, y: np.ndarray) -> None:
        """Draw y over x, which goes up; NaN is a gap. Of many points those are drawn that can be seen."""
        points = thinned(np.asarray(x, float), np.asarray(y, float))
        self._curves[name].setData(*points)
        # A plot that comes into sight is painted twice, and again with whatever lies over it: of a curve of many points the picture is kept.
        modes = QGraphicsItem.CacheMode
        self._curves[name].curve.setCacheMode(modes.DeviceCoordinateCache if len(points[0]) > MANY_POINTS else modes.NoCache)
        self._place_name(name)

    def hide_curve(self, name: str) -> None:
        self._curves[name].setData([], [])
        self._place_name(name)

    def data_of(self, name: str) -> tuple[np.ndarray | None, np.ndarray | None]:
        """What a curve shows (for tests)."""
        return self._curves[name].getData()  # type: ignore[no-any-return]

    def set_range(self, x: tuple[float, float], y: tuple[float, float]) -> None:
        self.getPlotItem().setXRange(*x, padding=0)
        self.getPlotItem().setYRange(*y, padding=0)
        for name in self._names:
            self._place_name(name)

    def set_ticks(self, side: str, ticks: list[tuple[float, str]]) -> None:
        self.getPlotItem().getAxis(side).setTicks([ticks])


def frequency_ticks() -> list[tuple[float, str]]:
    """Ticks of an axis on which the decimal logarithm of the frequency stands."""
    return [(float(np.log10(f)), text) for f, text in FREQUENCIES]
