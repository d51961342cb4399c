"""All that stands on the lanes besides the sound: ruler, cuts and seams, pauses, findings, markers, selection and play head."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPolygonF

from dubbin.core.episode.model import Lane, Marker
from dubbin.core.figures import clock, span_text
from dubbin.core.measure.finding import Finding
from dubbin.core.measure.spectrogram import share_of
from dubbin.core.speech.pauses import Pause
from dubbin.window.lanes.density import counts_of, covered_shares, is_crowded, paint_counts, paint_shares
from dubbin.window.lanes.overview import joined
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.ruler import digits_for, tick_step_s
from dubbin.window.parts.theme import Theme, font
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

RULER_H, LENGTHS_H = 34, 20
TINY_CUT_PX, NARROW_CUT_PX = 3, 16
BAND_TOP, BAND_H = 7, 11  # of the band below the lanes that tells how much is cut where cuts are too small to be seen
LONGEST_TITLE = 40  # letters at a flag
BIN_PX, FINDINGS_H = 4, 6


class Marks:
    """Paints one kind of mark at a time, over lanes that lie where `lay` was told."""

    def __init__(self, session: Session, view: Viewport, selection: Selection, theme: Theme) -> None:
        self._session, self._view, self._selection, self._theme = session, view, selection, theme
        self._rects: list[tuple[Lane, QRectF]] = []
        self._width, self._bottom = 0, 0.0
        self._places: dict[int, tuple[Finding, NDArray[np.int64]]] = {}

    def lay(self, width: int, rects: list[tuple[Lane, QRectF]], bottom: float) -> None:
        """Say where the lanes lie, before painting."""
        self._width, self._rects, self._bottom = width, rects, bottom

    def ruler(self, p: QPainter) -> None:
        c, view = self._theme.colours, self._view
        p.fillRect(QRectF(0, 0, self._width, RULER_H), c.q("paper"))
        p.setFont(font(13))
        rate = self._session.episode.rate
        step = tick_step_s(view.per_pixel / rate)
        digits = digits_for(step)
        first = int(view.start / rate / step)
        p.setPen(QPen(c.q("muted"), 1))
        for k in range(first, int(view.stop / rate / step) + 1):
            x = view.x_of_display(k * step * rate)
            p.drawLine(QPointF(x, RULER_H - 9), QPointF(x, RULER_H - 1))
            p.drawText(QPointF(x + 5, RULER_H - 8), clock(k * step, digits))

    def cuts(self, p: QPainter) -> None:
        c = self._theme.colours
        top, bottom = float(RULER_H), self._bottom
        cuts = self._session.episode.cuts
        if not cuts:
            return
        left, right = self._pixels([cut.start_frame for cut in cuts]), self._pixels([cut.end_frame for cut in cuts])
        seen = (right >= 0) & (left <= self._width)
        unpicked, picked_cut = np.ones(len(cuts), np.bool_), self._selection.cut
        if picked_cut is not None and picked_cut in cuts:
            unpicked[cuts.index(picked_cut)] = False
        tiny = seen & (right - left < TINY_CUT_PX) & unpicked
        if tiny.any():
            # From afar what stays is seen in full, and how much went in a band below it.
            shares = covered_shares(*_apart(left[tiny], right[tiny]), self._width)
            paint_shares(p, c.q("thread"), shares, bottom + BAND_TOP + BAND_H, BAND_H)
        # Nearer a cut is a pale band: stitches on both sides would hide the waves.
        narrow = seen & ~tiny & (right - left < NARROW_CUT_PX) & unpicked
        bands = [(float(left[k]), max(float(right[k] - left[k]), 1.5)) for k in np.flatnonzero(narrow).tolist()]
        far = [QRectF(a, top, b - a, bottom - top) for a, b in joined(bands)]
        if far:
            p.setPen(Qt.PenStyle.NoPen)
            p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            for name, alpha in (("paper", 185), ("thread", 70)):
                p.setBrush(c.q(name, alpha))
                p.drawRects(*far)
        for k in np.flatnonzero(seen & ~narrow & ~tiny).tolist():
            cut, a, b = cuts[k], float(left[k]), float(right[k])
            area = QRectF(a, top, max(b - a, 1.5), bottom - top)
            picked = not unpicked[k]
            p.fillRect(area, c.q("paper", 185))
            p.fillRect(area, QBrush(c.q("thread", 60), Qt.BrushStyle.BDiagPattern))
            self._stitch(p, a, top, bottom, picked)
            self._stitch(p, b, top, bottom, picked)
            if picked:
                p.setPen(QPen(c.q("thread"), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(area)
            if b - a > 30:
                self._length_text(p, (a + b) / 2, b - a, span_text(cut.frames / self._session.episode.rate), "thread_text")

    def seams(self, p: QPainter) -> None:
        view = self._view
        top, bottom = float(RULER_H), self._bottom
        places = (np.asarray(view.map.seams(), np.float64) - view.start) / view.per_pixel
        places = places[(places >= -2) & (places <= self._width + 2)]
        if is_crowded(places):
            paint_counts(p, self._theme.colours.q("thread"), counts_of(places, self._width, BIN_PX), BIN_PX, bottom + BAND_TOP, BAND_H)
            return
        for x in places.tolist():
            self._stitch(p, x, top, bottom, False)

    def pauses(self, p: QPainter) -> None:
        """Pauses that would go with the present settings: a bar under the lanes."""
        c, rate = self._theme.colours, self._session.episode.rate
        y, top = self._bottom + 2, float(RULER_H)
        pauses = self._session.analyses.pauses()
        if not pauses:
            return
        left, right = self._pixels([round(q.cut_start_s * rate) for q in pauses]), self._pixels([round(q.cut_end_s * rate) for q in pauses])
        seen = [k for k in np.flatnonzero((right >= 0) & (left <= self._width)).tolist() if not self._is_gone(pauses[k])]
        # From afar there are hundreds: those that touch are one band, and all are painted in one go.
        far = joined([(float(left[k]), max(float(right[k] - left[k]), 1.0)) for k in seen if right[k] - left[k] < NARROW_CUT_PX])
        if far:
            p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            p.setPen(Qt.PenStyle.NoPen)
            for alpha, begin, height in ((130, y, 4.0), (24, top, self._bottom - top)):
                p.setBrush(c.q("thread", alpha))
                p.drawRects(*(QRectF(a, begin, b - a, height) for a, b in far))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k in seen:
            a, b = float(left[k]), float(right[k])
            if b - a < NARROW_CUT_PX:
                continue
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c.q("thread", 130))
            p.drawRoundedRect(QRectF(a, y, b - a, 4), 2, 2)
            p.fillRect(QRectF(a, top, b - a, self._bottom - top), c.q("thread", 24))
            if b - a > 30:
                self._length_text(p, (a + b) / 2, b - a, span_text(pauses[k].cut_end_s - pauses[k].cut_start_s), "muted")

    def _is_gone(self, pause: Pause) -> bool:
        """Whether a pause is cut already."""
        episode = self._session.episode
        return episode.cut_at(round((pause.cut_start_s + pause.cut_end_s) / 2 * episode.rate)) is not None

    def crosstalk(self, p: QPainter, crosstalk: Sequence[tuple[tuple[str, ...], float, float]]) -> None:
        """Where two speak at once: a bar along the lower edge of both lanes."""
        c, view, rate = self._theme.colours, self._view, self._session.episode.rate
        rects = {lane.id: rect for lane, rect in self._rects}
        for lanes, start_s, end_s in crosstalk:
            a, b = view.x_of(round(start_s * rate)), view.x_of_end(round(end_s * rate))
            for lane_id in lanes:
                if lane_id in rects and b > 0 and a < self._width:
                    p.fillRect(QRectF(a, rects[lane_id].bottom() - 4, max(b - a, 3), 4), c.q("brick", 200))

    def findings(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        """Places of findings: small triangles along the top of the lane, bars where a place is long."""
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.q("brick", 210))
        for finding in self._session.analyses.findings(lane):
            places = self._frames_of(finding)
            left, right = (self._pixels(lane.start_frame + places[:, k]) for k in (0, 1))
            seen = np.flatnonzero((right >= -4) & (left <= self._width + 4))
            if is_crowded(left[seen]) and float(np.median(right[seen] - left[seen])) <= 6:
                paint_counts(p, c.q("brick"), counts_of(left[seen], self._width, BIN_PX), BIN_PX, rect.top() + 2, FINDINGS_H)
                continue
            last = -100.0
            for a, b in zip(left[seen].tolist(), right[seen].tolist(), strict=True):
                if b - a > 6:
                    p.drawRect(QRectF(a, rect.top() + 2, b - a, 3))
                elif abs(a - last) > 3:
                    top = rect.top() + 2
                    p.drawPolygon(QPolygonF([QPointF(a - 4, top + 7), QPointF(a + 4, top + 7), QPointF(a, top)]))
                    last = a

    def _frames_of(self, finding: Finding) -> NDArray[np.int64]:
        """(places, 2) frames of the recording; kept, since hours have thousands and every frame that is drawn asks."""
        kept = self._places.get(id(finding))
        if kept is None or kept[0] is not finding:
            if len(self._places) > 200:
                self._places.clear()
            frames = np.round(np.array(finding.places_s, np.float64).reshape(-1, 2) * self._session.episode.rate).astype(np.int64)
            kept = self._places[id(finding)] = (finding, frames)
        return kept[1]

    def touch_ups(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        view, rate = self._view, self._session.episode.rate
        p.setPen(QPen(self._theme.colours.q("saddle"), 1.4, Qt.PenStyle.DotLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for spot in lane.touch_ups:
            a = view.x_of(lane.start_frame + round(spot.start_s * rate))
            b = view.x_of(lane.start_frame + round(spot.end_s * rate))
            low, high = (rect.bottom() - share_of(hz, rate) * rect.height() for hz in (spot.low_hz, spot.high_hz))
            p.drawRect(QRectF(a, high, max(b - a, 2.0), low - high))

    def markers(self, p: QPainter) -> None:
        c, view = self._theme.colours, self._view
        p.setFont(font(13, 500))
        seen = [
            (view.x_of(m.frame), m)
            for m in self._session.episode.markers
            if m.is_chapter or not view.folded or view.map.to_program(m.frame) is not None
        ]
        seen.sort(key=lambda item: item[0])
        rooms = [*(following[0] - here[0] for here, following in pairwise(seen)), float(self._width)][: len(seen)]
        for (x, marker), next_px in zip(seen, rooms, strict=True):
            if not -200 < x < self._width + 10:
                continue
            colour = "fern" if marker.is_chapter else "muted" if marker.is_done else "indigo"
            p.setPen(QPen(c.q(colour), 1.2))
            p.drawLine(QPointF(x, RULER_H - 2), QPointF(x, self._bottom))
            if marker.is_chapter:
                flag = QPolygonF([QPointF(x, 3), QPointF(x + 9, 3), QPointF(x + 6, 7), QPointF(x + 9, 11), QPointF(x, 11)])
            else:
                flag = QPolygonF([QPointF(x, 3), QPointF(x + 9, 7), QPointF(x, 11)])
            p.setBrush(c.q(colour))
            p.drawPolygon(flag)
            p.drawLine(QPointF(x, 3), QPointF(x, RULER_H))
            # A text ends where the next flag stands.
            text = p.fontMetrics().elidedText(_title(marker), Qt.TextElideMode.ElideRight, max(int(next_px) - 16, 0))
            if len(text) > 1:
                room = QRectF(x + 10, 1, p.fontMetrics().horizontalAdvance(text) + 8, 15)
                p.fillRect(room, c.q("paper", 235))
                p.drawText(QPointF(x + 13, 13), text)

    def selection(self, p: QPainter) -> None:
        for start, end in self._selection.spans:
            a, b = self._view.x_of(start), self._view.x_of_end(end)
            if b >= 0 and a <= self._width:
                p.fillRect(QRectF(a, RULER_H, max(b - a, 2), self._bottom - RULER_H), self._theme.colours.q("saddle", 70))
        if self._selection.range is None:
            return
        c, view = self._theme.colours, self._view
        a, b = view.x_of(self._selection.range[0]), view.x_of_end(self._selection.range[1])
        area = QRectF(a, RULER_H, max(b - a, 1), self._bottom - RULER_H)
        band = self._selection.band
        for lane, rect in self._rects:
            if band is not None and lane.id == band.lane_id:
                rate = self._session.episode.rate
                low, high = (rect.bottom() - share_of(hz, rate) * rect.height() for hz in (band.low_hz, band.high_hz))
                area = QRectF(a, high, max(b - a, 1), low - high)
                p.setPen(QPen(c.q("saddle"), 1.2))
                p.drawLine(area.topLeft(), area.topRight())
                p.drawLine(area.bottomLeft(), area.bottomRight())
        p.fillRect(area, c.q("saddle", 40))
        p.setPen(QPen(c.q("saddle"), 1.2))
        p.drawLine(area.topLeft(), area.bottomLeft())
        p.drawLine(area.topRight(), area.bottomRight())
        seconds = max(b - a, 0.0) * view.per_pixel / self._session.episode.rate
        self._length_text(p, (a + b) / 2, 1e9, span_text(seconds), "saddle")

    def head(self, p: QPainter) -> None:
        c = self._theme.colours
        x = round(self._view.x_of(self._selection.head)) + 0.5
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(c.q("ink"), 1.4))
        p.drawLine(QPointF(x, RULER_H - 10), QPointF(x, self._bottom))
        p.setBrush(c.q("ink"))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawPolygon(QPolygonF([QPointF(x - 6, RULER_H - 13), QPointF(x + 6, RULER_H - 13), QPointF(x, RULER_H - 4)]))

    def _pixels(self, frames: Sequence[int] | NDArray[np.int64]) -> NDArray[np.float64]:
        """x_of for many session frames."""
        at = self._view.map.many_to_program_or_next(np.asarray(frames, np.int64))
        return np.asarray((at - self._view.start) / self._view.per_pixel, np.float64)

    def _stitch(self, p: QPainter, x: float, top: float, bottom: float, strong: bool) -> None:
        pen = QPen(self._theme.colours.q("thread"), 2.6 if strong else 1.8)
        pen.setDashPattern([3.2, 2.4])
        p.setPen(pen)
        p.drawLine(QPointF(x, top), QPointF(x, bottom))

    def _length_text(self, p: QPainter, middle: float, room: float, text: str, colour: str) -> None:
        p.setFont(font(13, 700))
        width = p.fontMetrics().horizontalAdvance(text)
        if room > width + 6:
            p.setPen(self._theme.colours.q(colour))
            p.drawText(
                QRectF(middle - width, self._bottom + 1, 2 * width, LENGTHS_H),
                Qt.AlignmentFlag.AlignCenter,
                text,
            )


def _apart(left: NDArray[np.float64], right: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Spans that may overlap, sorted by their begins, each without what an earlier one covers."""
    ends = np.maximum.accumulate(right)
    begins = left.copy()
    begins[1:] = np.maximum(begins[1:], ends[:-1])
    return begins, np.maximum(right, begins)


def _title(marker: Marker) -> str:
    """What stands at a marker's flag: of a comment also whose it is."""
    text = " ".join((f"{marker.author}:" if marker.author else "", *marker.text.split())).strip()
    return text if len(text) <= LONGEST_TITLE else f"{text[: LONGEST_TITLE - 1]}…"
