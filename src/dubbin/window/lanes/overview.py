"""The whole episode at a glance: all lanes as one wave, seams, the part that is seen, the play head."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.core.episode.cut_union import cut_union
from dubbin.core.texts import tr
from dubbin.window.lanes.density import counts_of, covered_shares, is_crowded, paint_counts, paint_shares
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.lanes.wave_image import gathered, wave_image
from dubbin.window.parts.moving_keys import ACROSS, FAR
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

HEIGHT = 58
BAND_H, BIN_PX = 9, 4  # of the band that tells how much is cut; of a bin of seams


def joined(bands: Sequence[tuple[float, float]], nearest: float = 0.5) -> list[tuple[float, float]]:
    """(left, right) of bands given as (left, width), sorted; those that touch, or nearly, are one."""
    out: list[tuple[float, float]] = []
    for left, width in sorted(bands):
        if out and left <= out[-1][1] + nearest:
            out[-1] = out[-1][0], max(out[-1][1], left + width)
        else:
            out.append((left, left + width))
    return out


class Overview(QWidget):
    """Click or drag, or arrow and page keys, to move the part that is seen."""

    own_keys = ACROSS | FAR

    def __init__(self, session: Session, view: Viewport, selection: Selection, theme: Theme) -> None:
        super().__init__()
        self._session, self._view, self._selection, self._theme = session, view, selection, theme
        self._image: tuple[object, QImage] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(tr("Overview"))
        self.setAccessibleDescription(tr("The part of the episode that is seen; arrow and page keys move it, Home and End go to its ends."))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for signal in (session.episode_changed, session.sounds_changed, theme.changed):
            signal.connect(self._on_changed)
        view.changed.connect(self.update)
        selection.head_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(400, HEIGHT)

    def _on_changed(self, *_: object) -> None:
        self._image = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._go(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event.position().x())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        view, key = self._view, Qt.Key(event.key()) if event else None
        shares = {Qt.Key.Key_Left: -0.1, Qt.Key.Key_Right: 0.1, Qt.Key.Key_PageUp: -0.9, Qt.Key.Key_PageDown: 0.9}
        if key in shares:
            view.scroll(shares[key] * view.width)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            seen = view.width * view.per_pixel
            start = 0.0 if key == Qt.Key.Key_Home else view.frames - seen
            view.show_range(start, start + seen)
        else:
            super().keyPressEvent(event)

    def _go(self, x: float) -> None:
        view = self._view
        middle = x / max(self.width(), 1) * view.frames
        seen = view.width * view.per_pixel
        view.show_range(middle - seen / 2, middle + seen / 2)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c, view = self._theme.colours, self._view
        p.fillRect(self.rect(), c.q("wash"))
        frames = view.frames
        if not frames:
            return
        p.drawImage(0, 4, self._wave())
        scale = self.width() / frames
        pen = QPen(c.q("thread"), 1.4)
        pen.setDashPattern([2.4, 2.0])
        if view.folded:
            places = np.asarray(view.map.seams(), np.float64) * scale
            if is_crowded(places):
                paint_counts(p, c.q("thread"), counts_of(places, self.width(), BIN_PX), BIN_PX, HEIGHT - 4 - BAND_H, BAND_H)
            else:
                p.setPen(pen)
                for x in places.tolist():
                    p.drawLine(QPointF(x, 4), QPointF(x, HEIGHT - 4))
        else:
            cuts = cut_union(self._session.episode).stretches
            at = view.map.many_to_program(np.array([a for a, _ in cuts], np.int64)).astype(np.float64)
            lengths = np.array([b - a for a, b in cuts], np.float64)[at >= 0]
            left = at[at >= 0] * scale
            paint_shares(p, c.q("thread", 210), covered_shares(left, left + lengths * scale, self.width()), HEIGHT - 4, BAND_H)
        for marker in self._session.episode.chapters:
            x = view.map.to_program_or_next(marker.frame) * scale
            p.fillRect(QRectF(x, 2, 2, HEIGHT - 4), c.q("fern"))
            p.fillRect(QRectF(x, 2, 7, 5), c.q("fern"))
        seen = QRectF(view.start * scale + 1, 1, max(view.width * view.per_pixel * scale - 2, 4), HEIGHT - 2)
        if seen.width() < self.width() - 4:
            p.setPen(QPen(c.q("ink"), 2))
            p.setBrush(c.q("ink", 18))
            p.drawRoundedRect(seen, 3, 3)
        x = view.map.to_program_or_next(self._selection.head) * scale
        p.setPen(QPen(c.q("ink"), 1.4))
        p.drawLine(QPointF(x, 0), QPointF(x, HEIGHT))
        if self.hasFocus():
            p.setPen(QPen(c.q("indigo"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _wave(self) -> QImage:
        key = (self.width(), self._view.folded, self.devicePixelRatioF())
        if self._image is None or self._image[0] != key:
            self._image = (key, self._draw())
        return self._image[1]

    def _draw(self) -> QImage:
        ratio = self.devicePixelRatioF()
        view, width = self._view, max(round(self.width() * ratio), 1)
        per_pixel = view.frames / width
        columns = np.zeros((width, 2), np.float32)
        for lane in self._session.episode.lanes:
            copy = self._session.recordings.copy(lane.recording)
            if copy is None:
                continue
            part = gathered(view.map, copy.peaks, lane.channels, lane.start_frame, 0.0, per_pixel, width)
            columns[:, 0] = np.minimum(columns[:, 0], part[:, 0])
            columns[:, 1] = np.maximum(columns[:, 1], part[:, 1])
        loudest = max(float(np.max(np.abs(columns))), 0.05)
        image = wave_image(columns, round((HEIGHT - 8) * ratio), self._theme.colours.q("indigo", 150), 0.95 / loudest)
        image.setDevicePixelRatio(ratio)
        return image
