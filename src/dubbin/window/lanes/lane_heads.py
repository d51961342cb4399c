"""The column left of the lanes: whose each lane is and how it stands, so that nothing lies over the sound."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from dubbin.core.episode.model import Lane, Role
from dubbin.core.mix.program import audible_lanes
from dubbin.core.texts import tr
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font, scaled
from dubbin.window.session.session import Session

WIDTH = 104
MARKS = {Role.VOICE: "●◆■▲", Role.MUSIC: "▶", Role.EFFECT: "▼"}
PAD = 9


class LaneHead(QPushButton):
    """A lane's name and state; a click, or Return, picks the lane."""

    def __init__(self, session: Session, theme: Theme, lane_id: str, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._theme, self._id = session, theme, lane_id
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(lambda: session.pick_lane(lane_id))
        self.note = ""
        self._shown: tuple[str, str, str, bool] | None = None

    @property
    def is_picked(self) -> bool:
        picked = self._session.picked_lane
        return picked is not None and picked.id == self._id

    def refresh(self, lane: Lane, index: int, audible: bool) -> None:
        """Show the lane as it is now."""
        marks = MARKS[lane.role]
        path = self._session.episode.recording(lane.recording).path
        shown = f"{marks[index % len(marks)]} {lane.voice}", self._note(lane, audible), path, self.is_picked
        if shown == self._shown:
            return
        self._shown = shown
        text, self.note, _, picked = shown
        self.setText(text)
        self.setToolTip(f"{path.rsplit('/', 1)[-1]}\n{path}" if "/" in path else path)
        self.setAccessibleName(
            ", ".join(part for part in (lane.voice, tr(lane.role.value), tr("picked") if picked else "", self.note) if part)
        )
        self.update()

    def _note(self, lane: Lane, audible: bool) -> str:
        session = self._session
        if lane.recording in session.recordings.broken:
            return tr("file not found")
        if session.recordings.source(lane) is None:
            return tr("being read …")
        if session.analyses.is_treating(lane):
            return tr("being treated …")
        if not audible:
            return tr("muted") if lane.mute else tr("not soloed")
        return tr("solo") if lane.solo else ""

    def sizeHint(self) -> QSize:
        return QSize(scaled(WIDTH), scaled(60))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        c = self._theme.colours
        p.fillRect(self.rect(), c.q("card" if self.is_picked else "paper"))
        p.setPen(QPen(c.q("line"), 1))
        p.drawLine(0, 0, self.width(), 0)
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        if self.is_picked:
            p.fillRect(QRectF(0, 0, 4, self.height()), c.q("saddle"))
        room = QRectF(PAD, 4, self.width() - PAD - 4, self.height() - 8)
        p.setFont(font(15, 700))
        p.setPen(c.q("ink"))
        flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        name = p.boundingRect(room, flags, self.text())
        p.drawText(room, flags, self.text())
        if self.note:
            p.setFont(font(14))
            p.setPen(c.q("brick") if self.note == "file not found" else c.q("muted"))
            p.drawText(room.adjusted(0, name.height(), 0, 0), flags, self.note)
        if self.hasFocus():
            p.setPen(QPen(c.q("indigo"), 2))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))


class LaneHeads(QWidget):
    """One head a lane, as high as it."""

    def __init__(self, session: Session, theme: Theme, lanes: LanesView) -> None:
        super().__init__()
        self._session, self._theme, self._lanes = session, theme, lanes
        self.heads: dict[str, LaneHead] = {}
        self.setFixedWidth(scaled(WIDTH))
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        for signal in (
            session.episode_changed, session.sounds_changed, session.findings_changed, session.lane_picked, session.jobs.changed, theme.changed,
            lanes.laid,
        ):  # fmt: skip
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Put the heads where the lanes are, and show how these stand."""
        rects = self._lanes.lane_rects()
        audible = {lane.id for lane in audible_lanes(self._session.episode.lanes)}
        for id in set(self.heads) - {lane.id for lane, _ in rects}:
            gone = self.heads.pop(id)
            gone.hide()  # at once, not when it is deleted: other heads stand in its place
            gone.deleteLater()
        for index, (lane, rect) in enumerate(rects):
            head = self.heads.get(lane.id)
            if head is None:
                head = self.heads[lane.id] = LaneHead(self._session, self._theme, lane.id, self)
                head.show()
            head.setGeometry(0, round(rect.top()), self.width(), round(rect.height()) + 1)
            head.refresh(lane, index, lane.id in audible)


def with_heads(lanes: LanesView, heads: LaneHeads) -> QWidget:
    """Lanes with their heads at the left."""
    whole = QWidget()
    row = QHBoxLayout(whole)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(0)
    row.addWidget(heads)
    row.addWidget(lanes, 1)
    return whole
