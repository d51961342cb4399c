"""The level of a lane through time, drawn over its wave: what levelling does, the line drawn by hand, fades, and where bleed control is down."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from dubbin.core.episode.balance_settings import LinePoint
from dubbin.core.episode.commands.balance import set_fades, set_line_point
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.mix.gain_curve import POINTS_PER_S
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session

SHOWN_DB = 18.0  # up and down, over the height of a lane
REACH_PX = 6.0
DOWN_DB = -1.0
HANDLE_PX = 9.0


@dataclass(frozen=True)
class Grip:
    """What of a lane was taken hold of: a point of the line (or, with none, a new one), or one of its fades."""

    lane_id: str
    kind: str  # "line", "fade in", "fade out"
    point: LinePoint | None = None


class LevelLine:
    """Paints and moves; it keeps nothing."""

    def __init__(self, session: Session, view: Viewport, theme: Theme) -> None:
        self._session, self._view, self._theme = session, view, theme

    # -- where things are -------------------------------------------------------------

    def recording_frames(self, lane: Lane, width: int) -> NDArray[np.int64]:
        """The frame of a lane's recording under the middle of every pixel; -1 where it is not heard."""
        display = (self._view.start + self._view.per_pixel * (np.arange(width) + 0.5)).astype(np.int64)
        inside = display < self._view.frames
        at = self._view.map.many_to_session(np.where(inside, display, 0))
        length = self._session.episode.recording(lane.recording).frames
        if lane.bed is not None:
            track = self._session.monitor.bed_track(lane)
            if track is None:
                return np.full(width, -1)
            program = display if self._view.folded else self._session.map.many_to_program(at)
            frames = track.recording_frames(np.where(inside, program, -1))
        else:
            frames = at - lane.start_frame
        return np.where(inside & (frames >= 0) & (frames < length), frames, -1)

    def _level_db(self, lane: Lane, frames: NDArray[np.int64]) -> NDArray[np.float64]:
        gain = self._session.balancing.now(self._session.episode).gains.get(lane.id)
        if gain is None:
            return np.zeros(len(frames))
        points = np.clip(np.round(frames / gain.rate * POINTS_PER_S).astype(np.int64), 0, len(gain.level_db) - 1)
        return np.asarray(gain.level_db[points])

    def _y(self, rect: QRectF, db: Any) -> Any:
        return rect.center().y() - np.clip(db / SHOWN_DB, -0.96, 0.96) * rect.height() / 2

    def _db(self, rect: QRectF, y: float) -> float:
        return float((rect.center().y() - y) / (rect.height() / 2) * SHOWN_DB)

    def _fade_ends(self, lane: Lane) -> dict[str, float]:
        """Pixel of the inner end of each fade."""
        episode, view = self._session.episode, self._view
        if lane.bed is not None:
            track = self._session.monitor.bed_track(lane)
            if track is None:
                return {}
            places = {"fade in": track.start + lane.fade_in_frames, "fade out": track.stop - lane.fade_out_frames}
            at = {
                name: frame if view.folded else view.map.to_program_or_next(self._session.map.to_session(frame))
                for name, frame in places.items()
            }
            return {name: view.x_of_display(frame) for name, frame in at.items()}
        end = lane.start_frame + episode.recording(lane.recording).frames
        return {"fade in": view.x_of(lane.start_frame + lane.fade_in_frames), "fade out": view.x_of_end(end - lane.fade_out_frames)}

    def grip_at(self, lane: Lane, rect: QRectF, at: QPointF) -> Grip | None:
        """What lies under the pointer: a fade's handle at the top, a point, or the line itself."""
        for name, x in self._fade_ends(lane).items():
            if abs(at.x() - x) <= HANDLE_PX and at.y() - rect.top() <= 2 * HANDLE_PX:
                return Grip(lane.id, name)
        column = int(at.x())
        frames = self.recording_frames(lane, self._view.width)
        if not 0 <= column < len(frames):
            return None
        for point in lane.line:
            point_x = self._x_of_frame(lane, point.frame)
            if (
                point_x is not None
                and abs(point_x - at.x()) <= REACH_PX
                and abs(self._y_of(lane, rect, point.frame) - at.y()) <= 2 * REACH_PX
            ):
                return Grip(lane.id, "line", point)
        if frames[column] >= 0 and abs(self._y_of(lane, rect, int(frames[column])) - at.y()) <= REACH_PX:
            return Grip(lane.id, "line")
        return None

    def _y_of(self, lane: Lane, rect: QRectF, frame: int) -> float:
        return float(self._y(rect, self._level_db(lane, np.array([frame])))[0])

    def _x_of_frame(self, lane: Lane, frame: int) -> float | None:
        if lane.bed is not None:
            track = self._session.monitor.bed_track(lane)
            if track is None:
                return None
            program = track.start + frame - lane.bed.from_frame
            return self._view.x_of_display(program) if self._view.folded else self._view.x_of(self._session.map.to_session(program))
        return self._view.x_of(lane.start_frame + frame)

    # -- moving -----------------------------------------------------------------------

    def moved(self, episode: Episode, grip: Grip, rect: QRectF, at: QPointF) -> Change | None:
        """What a drag to a place comes to; episode: as it was before the drag."""
        lane = episode.lane(grip.lane_id)
        column = min(max(int(at.x()), 0), self._view.width - 1)
        if grip.kind == "line":
            frames = self.recording_frames(lane, self._view.width)
            if frames[column] < 0:
                return None
            frame = int(frames[column])
            # The line that is drawn holds what levelling does too: only the rest is drawn by hand.
            by_hand = np.interp(frame, [p.frame for p in lane.line], [p.db for p in lane.line]) if lane.line else 0.0
            automatic = (
                float(self._session.balancing.now(episode).gains[lane.id].level_db[self._index(lane, frame)]) - by_hand
                if self._has_gain(episode, lane)
                else 0.0
            )
            return set_line_point(episode, lane.id, frame, self._db(rect, at.y()) - automatic, grip.point)
        return self._moved_fade(episode, lane, grip.kind, at.x())

    def _has_gain(self, episode: Episode, lane: Lane) -> bool:
        return lane.id in self._session.balancing.now(episode).gains

    def _index(self, lane: Lane, frame: int) -> int:
        gain = self._session.balancing.now(self._session.document.history.episode).gains[lane.id]
        return min(max(round(frame / gain.rate * POINTS_PER_S), 0), len(gain.level_db) - 1)

    def _moved_fade(self, episode: Episode, lane: Lane, kind: str, x: float) -> Change | None:
        view = self._view
        display = min(max(view.start + x * view.per_pixel, 0), view.frames)
        if lane.bed is not None:
            track = self._session.monitor.bed_track(lane)
            if track is None:
                return None
            program = display if view.folded else self._session.map.to_program_or_next(view.map.to_session(int(display)))
            inside, length = program - track.start, track.length
        else:
            inside = view.map.to_session(int(min(display, view.frames - 1))) - lane.start_frame
            length = episode.recording(lane.recording).frames
        if kind == "fade in":
            return set_fades(episode, lane.id, fade_in=round(inside))
        return set_fades(episode, lane.id, fade_out=round(length - inside))

    # -- painting ---------------------------------------------------------------------

    def paint(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        c = self._theme.colours
        width = self._view.width
        frames = self.recording_frames(lane, width)
        heard = frames >= 0
        if not heard.any():
            return
        gain = self._session.balancing.now(self._session.episode).gains.get(lane.id)
        if gain is not None:
            points = np.clip(np.round(frames / gain.rate * POINTS_PER_S).astype(np.int64), 0, len(gain.bleed_db) - 1)
            down = heard & (gain.bleed_db[points] < DOWN_DB)
            edges = np.diff(np.concatenate([[0], down.astype(np.int8), [0]]))
            for a, b in zip(np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True):
                p.fillRect(QRectF(a, rect.top() + 1, b - a, rect.height() - 2), c.q("paper", 170))
                p.fillRect(QRectF(a, rect.bottom() - 4, b - a, 3), c.q("muted", 150))
        self._paint_fades(p, lane, rect)
        level = self._level_db(lane, frames)
        if lane.bed is not None:
            level = level + self._ducked_db(lane, width)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = rect.center().y()
        p.setPen(QPen(c.q("muted", 120), 1, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(0, middle), QPointF(width, middle))
        p.setPen(QPen(c.q("fern"), 1.8))
        y = self._y(rect, level)
        edges = np.diff(np.concatenate([[0], heard.astype(np.int8), [0]]))
        for a, b in zip(np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True):
            p.drawPolyline(QPolygonF([QPointF(x + 0.5, y[x]) for x in range(a, b)]))
        p.setBrush(c.q("card"))
        for point in lane.line:
            x = self._x_of_frame(lane, point.frame)
            if x is not None and -5 < x < width + 5:
                p.drawEllipse(QPointF(x, self._y_of(lane, rect, point.frame)), 4.0, 4.0)

    def _ducked_db(self, lane: Lane, width: int) -> NDArray[np.float64]:
        track = self._session.monitor.bed_track(lane)
        if track is None or track.ducking is None:
            return np.zeros(width)
        display = (self._view.start + self._view.per_pixel * (np.arange(width) + 0.5)).astype(np.int64)
        if not self._view.folded:
            display = self._session.map.many_to_program_or_next(self._view.map.many_to_session(display))
        db = track.ducking.db
        return np.asarray(db[np.clip(np.round(display / track.rate * POINTS_PER_S).astype(np.int64), 0, len(db) - 1)])

    def _paint_fades(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        ends = self._fade_ends(lane)
        if not ends:
            return
        begin = self._begin_x(lane, lane.fade_in_frames, ends["fade in"], -1)
        finish = self._begin_x(lane, lane.fade_out_frames, ends["fade out"], 1)
        for outer, inner in ((begin, ends["fade in"]), (finish, ends["fade out"])):
            if abs(inner - outer) > 1:
                n = np.linspace(0.0, 1.0, 24)
                curve = [QPointF(outer + (inner - outer) * k, rect.bottom() - np.sin(k * np.pi / 2) * (rect.height() - 1)) for k in n]
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(c.q("paper", 190))
                p.drawPolygon(QPolygonF([QPointF(outer, rect.top() + 1), *curve, QPointF(inner, rect.top() + 1)]))
                p.setPen(QPen(c.q("ink", 160), 1.2))
                p.drawPolyline(QPolygonF(curve))
        p.setPen(QPen(c.q("ink"), 1.2))
        p.setBrush(c.q("card"))
        for x in ends.values():
            p.drawRect(QRectF(x - 4, rect.top() + 1, 8, 8))

    def _begin_x(self, lane: Lane, fade: int, inner: float, direction: int) -> float:
        return inner + direction * fade / self._view.per_pixel
