"""The lanes: ruler, a wave for every lane, pauses found, cuts and seams, selection and play head."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)  # fmt: skip
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dubbin.core.episode.commands.balance import remove_line_points
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.cuts import move_cut_edges
from dubbin.core.episode.model import Cut, Lane, Role
from dubbin.core.figures import clock, number
from dubbin.core.measure.spectrogram import hz_of
from dubbin.core.texts import tr
from dubbin.window.lanes.lane_pictures import LanePictures, Picture
from dubbin.window.lanes.level_line import Grip, LevelLine
from dubbin.window.lanes.marks import LENGTHS_H, RULER_H, Marks
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.lanes.reduction_strip import paint_reduction
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.lanes.words_strip import STRIP_H, ShownWord, paint_covers, paint_placed, paint_splits, paint_words, words_to_show
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font
from dubbin.window.session.selection import Band, Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

GAP = 6
EDGE_PX, CLICK_PX = 5, 4
TELL_MS = 400  # after the last move it is told where one is


class LanesView(QWidget):
    """Click: play head (and picks a lane or cut). Drag: selection, or the edge of a cut. Double-click: plays.

    Wheel scrolls, Ctrl+wheel zooms under the pointer, Shift+wheel changes the height of the waves. Alt+drag on a spectrogram
    selects time and frequency.
    """

    play_wanted = pyqtSignal(int)
    menu_wanted = pyqtSignal(object)
    laid = pyqtSignal()  # the lanes stand elsewhere, or are as high as they were not before

    def __init__(self, session: Session, view: Viewport, selection: Selection, theme: Theme, speech: Speech) -> None:
        super().__init__()
        self._session, self._view, self._selection, self._theme, self._speech = session, view, selection, theme, speech
        self._overlays = Overlays()
        self._levels = LevelLine(session, view, theme)
        self._marks = Marks(session, view, selection, theme)
        self._grip: tuple[Grip, QRectF] | None = None
        self._grip_moved = False
        self.pictures = LanePictures(session, view, theme, self._levels)
        self.pictures.changed.connect(self.update)
        self._band_lane: Lane | None = None
        self._press: QPointF | None = None
        self._press_frame = 0
        self._edge: tuple[Cut, bool] | None = None
        self._edge_moved = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Lanes"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(150)
        session.episode_changed.connect(self.pictures.forget)
        session.sounds_changed.connect(self.pictures.forget)
        session.findings_changed.connect(self.pictures.forget)
        session.monitor.changed.connect(self.pictures.forget)
        session.lane_picked.connect(self.update)
        view.changed.connect(self.update)
        selection.changed.connect(self.update)
        selection.head_changed.connect(self.update)
        theme.changed.connect(self.pictures.forget)
        self._telling = QTimer(self)
        self._telling.setSingleShot(True)
        self._telling.setInterval(TELL_MS)
        self._telling.timeout.connect(lambda: self.setAccessibleDescription(self.describe()))
        for signal in (selection.changed, selection.head_changed):
            signal.connect(self._telling.start)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._view.set_width(self.width())
        self.laid.emit()

    # -- where things are -------------------------------------------------------------

    def lane_rects(self) -> list[tuple[Lane, QRectF]]:
        """Lanes from top to bottom; music and effects are half as high as voices."""
        lanes = self._session.episode.lanes
        if not lanes:
            return []
        weights = [1.0 if lane.role is Role.VOICE else 0.55 for lane in lanes]
        room = self.height() - RULER_H - LENGTHS_H - GAP * len(lanes)
        unit = min(max(room / sum(weights), 24.0), 190.0)
        rects, y = [], float(RULER_H)
        for lane, weight in zip(lanes, weights, strict=True):
            rects.append((lane, QRectF(0, y, self.width(), unit * weight)))
            y += unit * weight + GAP
        return rects

    def _bottom(self) -> float:
        rects = self.lane_rects()
        return rects[-1][1].bottom() if rects else float(self.height())

    def cut_edge_at(self, x: float) -> tuple[Cut, bool] | None:
        """The cut whose edge (True: its start) is under pixel x; only where cuts are seen unfolded."""
        if self._view.folded:
            return None
        best: tuple[float, Cut, bool] | None = None
        for cut in self._session.episode.cuts:
            for at_start, frame in ((True, cut.start_frame), (False, cut.end_frame)):
                distance = abs(self._view.x_of(frame) - x)
                if distance <= EDGE_PX and (best is None or distance < best[0]):
                    best = (distance, cut, at_start)
        return (best[1], best[2]) if best else None

    # -- mouse ------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._session.episode.lanes:
            return
        x = event.position().x()
        self._press = event.position()
        self._press_frame = self._view.session_at(x)
        self._edge, self._edge_moved = self.cut_edge_at(x), False
        self._band_lane, self._grip, self._grip_moved = None, self._grip_at(event.position()), False
        for lane, rect in self.lane_rects():
            if rect.contains(event.position()):
                self._session.pick_lane(lane.id)
                wants_band = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
                self._band_lane = lane if wants_band and self.pictures.picture is not Picture.WAVES else None

    def _grip_at(self, at: QPointF) -> tuple[Grip, QRectF] | None:
        """A lane's level or fade under the pointer, where levels are shown."""
        if not self._overlays.levels:
            return None
        for lane, rect in self.lane_rects():
            if rect.contains(at):
                grip = self._levels.grip_at(lane, rect, at)
                return (grip, rect) if grip is not None else None
        return None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        if self._press is None and self._grip_at(event.position()) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            return
        if self._press is None:
            over_edge = self.cut_edge_at(x) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over_edge else Qt.CursorShape.IBeamCursor)
            return
        if self._grip is not None:
            if self._grip_moved or (event.position() - self._press).manhattanLength() >= CLICK_PX:
                self._grip_moved = True
                change = self._levels.moved(self._session.document.history.episode, *self._grip, event.position())
                if change is not None:
                    self._session.preview(change)
            return
        if abs(x - self._press.x()) < CLICK_PX and not self._edge_moved:
            return
        frame = self._view.session_at(min(max(x, 0), self.width()))
        if self._edge is not None:
            self._edge_moved = True
            self._session.preview(self._moved_edge(frame))
        else:
            a, b = (self._press_frame, frame) if self._press.x() <= x else (frame, self._press_frame)
            self._selection.select(a, b, self._band_at(event.position()), ordered=True)

    def _band_at(self, position: QPointF) -> Band | None:
        """The frequencies between the press and a position, where they are selected too."""
        if self._band_lane is None or self._press is None:
            return None
        rect = next(r for lane, r in self.lane_rects() if lane.id == self._band_lane.id)
        rate = self._session.episode.rate
        shares = [min(max((rect.bottom() - y) / rect.height(), 0.0), 1.0) for y in (self._press.y(), position.y())]
        low, high = sorted(hz_of(share, rate) for share in shares)
        return Band(self._band_lane.id, low, max(high, low + 20.0))

    def show_overlays(self, overlays: Overlays) -> None:
        """Show what the page in front asks for."""
        self._overlays = overlays
        self.update()

    def _moved_edge(self, frame: int) -> Change:
        assert self._edge is not None
        cut, at_start = self._edge
        start, end = (frame, cut.end_frame) if at_start else (cut.start_frame, frame)
        return move_cut_edges(self._session.document.history.episode, cut, start, end)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        x, press, edge = event.position().x(), self._press, self._edge
        self._press = None
        grip, self._grip = self._grip, None
        if grip is not None and self._grip_moved:
            moved = self._levels.moved(self._session.document.history.episode, *grip, event.position())
            if moved is not None:
                self._session.do(moved)
                self._session.end_merge()
            return
        frame = self._view.session_at(min(max(x, 0), self.width()))
        if edge is not None and self._edge_moved:
            change, known = self._moved_edge(frame), set(self._session.document.history.episode.cuts)
            self._edge = None
            self._session.do(change)
            self._session.end_merge()
            self._take_up(edge[1], known)
            return
        self._edge = None
        if abs(x - press.x()) < CLICK_PX:
            self._selection.set_head(frame)
            placed = self._placed_at(x)
            if placed is not None:
                self._selection.pick_placed(placed)
            else:
                self._selection.pick_cut(None if self._view.folded else self._session.episode.cut_at(frame))

    def _take_up(self, at_start: bool, known: set[Cut]) -> None:
        """The edge that was dragged is the one that the keys move next. known: cuts that were there before."""
        moved = next((c for c in self._session.episode.cuts if c not in known), None)
        if moved is not None:
            self._selection.pick_cut(moved)
            self._selection.set_head(moved.start_frame if at_start else moved.end_frame)

    def _placed_at(self, x: float) -> str | None:
        """What was moved, copied or put in under a pixel."""
        time_map = self._view.map
        at = int(self._view.start + x * self._view.per_pixel)
        return time_map.spans[time_map.span_at(at)].placed if time_map.spans and at < time_map.program_frames else None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._session.episode.lanes:
            return
        grip = self._grip_at(event.position())
        if grip is not None and grip[0].point is not None:
            self._session.do(remove_line_points(self._session.episode, grip[0].lane_id, [grip[0].point]))
            return
        self.play_wanted.emit(self._view.session_at(event.position().x()))

    def cancel_drag(self) -> bool:
        """Esc: put a dragged edge back; whether there was one."""
        if not (self._edge is not None and self._edge_moved) and not (self._grip is not None and self._grip_moved):
            return False
        self._edge = self._press = self._grip = None
        self._session.end_preview()
        return True

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._view.zoom(0.8 ** (turn / 120), event.position().x())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pictures.zoom_level(1.25 ** (turn / 120))
        else:
            self._view.scroll(-turn * 0.8)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event and self._session.episode.lanes:
            frame = self._view.session_at(event.pos().x())
            if self._selection.range is None:
                self._selection.set_head(frame)
                self._selection.pick_cut(self._session.episode.cut_at(frame))
            self.menu_wanted.emit(event.globalPos())

    # -- painting ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.fillRect(self.rect(), c.q("paper"))
        if not self._session.episode.lanes:
            self._paint_empty(p)
            return
        rects = self.lane_rects()
        self._marks.lay(self.width(), rects, self._bottom())
        for lane, rect in rects:
            self._paint_lane(p, lane, rect)
            if lane.touch_ups and self.pictures.picture is not Picture.WAVES:
                self._marks.touch_ups(p, lane, rect)
        for lane, rect in rects:
            paint_covers(p, c, self._view, lane, rect)
            if self._overlays.levels:
                self._levels.paint(p, lane, rect)
            if self._overlays.reductions is not None:
                for colour, gain_db, step_s in self._overlays.reductions(lane):
                    paint_reduction(p, c, self._view, rect, lane.start_frame, self._session.episode.rate, gain_db, step_s, colour)
        paint_placed(p, c, self._view, self._session.episode, float(RULER_H), self._bottom(), self._selection.placed)
        self._marks.selection(p)
        if self._view.folded:
            self._marks.seams(p)
        else:
            self._marks.cuts(p)
        paint_splits(p, c, self._view, self._session.episode, float(RULER_H), self._bottom())
        if self._overlays.pauses:
            self._marks.pauses(p)
            self._marks.crosstalk(p, self._speech.crosstalk())
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for lane, rect in rects:
            if self._overlays.findings:
                self._marks.findings(p, lane, rect)
        self._marks.ruler(p)
        self._marks.markers(p)
        self._marks.head(p)
        if self.hasFocus():
            p.setPen(QPen(c.q("indigo"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self.rect().adjusted(1, RULER_H + 1, -1, -1))

    def describe(self) -> str:
        """Where one is, in words: for screen readers."""
        rate, head = self._session.episode.rate, self._selection.head
        parts = [tr("play head at {head}").format(head=clock(head / rate, 1))]
        row = self._speech.table.row_at(head) if len(self._speech.table) else None
        if row is not None:
            parts.append(f"{self._speech.table.voice(row).name}: {self._speech.table.words[row].text}")
        if self._selection.range is not None:
            a, b = self._selection.range
            parts.append(tr("selected {a} to {b}").format(a=clock(a / rate, 1), b=clock(b / rate, 1)))
        if self._selection.cut is not None:
            parts.append(tr("cut of {frames} s").format(frames=number(self._selection.cut.frames / rate, 2)))
        return ", ".join(parts)

    def _paint_empty(self, p: QPainter) -> None:
        c = self._theme.colours
        area = QRectF(self.rect()).adjusted(40, 40, -40, -40)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(c.q("line"), 2, Qt.PenStyle.DashLine))
        p.drawRoundedRect(area, 14, 14)
        p.setPen(c.q("ink"))
        p.setFont(font(22, 700))
        middle = area.center().y()
        p.drawText(
            QRectF(area.left(), middle - 50, area.width(), 34),
            Qt.AlignmentFlag.AlignCenter,
            tr("Drop recordings here"),
        )
        p.setFont(font(16))
        p.setPen(c.q("muted"))
        p.drawText(
            QRectF(area.left(), middle - 10, area.width(), 60), Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap,
            tr("or press Ctrl+I to choose them: WAV, FLAC, MP3, M4A, Ogg, Opus, or the sound of a video.\n"
            "The files themselves are never changed."),
        )  # fmt: skip

    def _paint_lane(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        c = self._theme.colours
        p.fillRect(rect, c.q("card"))
        words = self._words_under(lane)
        sound = rect.adjusted(0, 0, 0, -STRIP_H) if words else rect
        self.pictures.paint(p, lane, sound, self.devicePixelRatioF())
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(QPointF(0, rect.top()), QPointF(self.width(), rect.top()))
        p.drawLine(QPointF(0, rect.bottom()), QPointF(self.width(), rect.bottom()))
        paint_words(p, c, words, rect)

    def _words_under(self, lane: Lane) -> list[ShownWord]:
        """The lane's words, where the page shows them and they can be read."""
        if not self._overlays.words or lane.role is not Role.VOICE:
            return []
        return words_to_show(self._view, self._speech.table, lane, self._session.episode.rate)
