"""Touch-ups: one sound in one place, in a rectangle of time and frequency; the acts, and their sheet."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.commands.treatments import add_touch_up, remove_touch_up
from dubbin.core.episode.model import Lane
from dubbin.core.figures import clock, number
from dubbin.core.texts import tr
from dubbin.core.treat.touch_up import Spot
from dubbin.window.parts.action import ActionButton, ActionList
from dubbin.window.parts.card import Card, label
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session


class TouchUps:
    def __init__(self, session: Session, selection: Selection) -> None:
        self._session, self._selection = session, selection

    def add(self, depth_db: float | None) -> None:
        """Take down (by depth_db) or fill in the rectangle that is selected on a spectrogram."""
        band, span = self._selection.band, self._selection.range
        if band is None or span is None:
            self._session.said.emit(tr("Show spectrograms (G), then hold Alt and drag a rectangle around the sound."))
            return
        lane, rate = self._session.episode.lane(band.lane_id), self._session.episode.rate
        start, end = ((frame - lane.start_frame) / rate for frame in span)
        spot = Spot(max(start, 0.0), end, band.low_hz, band.high_hz, depth_db)
        self._session.do(add_touch_up(self._session.episode, lane.id, spot))
        self._selection.clear()


class TouchUpCard(Card):
    """The touch-ups of the picked lane; each can be put back."""

    def __init__(self, session: Session, actions: ActionList) -> None:
        super().__init__(tr("Touch-ups"))
        self._session = session
        self.body.addWidget(
            label(tr("One sound in one place: hold Alt and drag a rectangle on a spectrogram (G shows it)."), "muted", wrap=True)
        )
        row = QHBoxLayout()
        for id, text in (("touch-down", tr("Attenuate")), ("touch-fill", tr("Fill in"))):
            row.addWidget(ActionButton(actions, id, text))
        self.body.addLayout(row)
        rows = QWidget()
        self.list = QVBoxLayout(rows)
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.setSpacing(2)
        self.body.addWidget(rows)
        self._shown: object = None

    def show_lane(self, lane: Lane) -> None:
        if self._shown == (lane.id, lane.touch_ups):
            return
        self._shown = (lane.id, lane.touch_ups)
        clear_layout(self.list)
        self.set_active(bool(lane.touch_ups))
        for spot in lane.touch_ups:
            what = tr("filled in") if spot.depth_db is None else f"−{spot.depth_db:.0f} dB"
            button = QPushButton(
                tr("{start_s}, {low_hz}–{high_hz} kHz, {what} · put back").format(
                    start_s=clock(spot.start_s, 2), low_hz=number(spot.low_hz / 1000), high_hz=number(spot.high_hz / 1000), what=what
                )
            )
            button.setProperty("kind", "quiet")
            button.clicked.connect(lambda _=False, s=spot: self._session.do(remove_touch_up(self._session.episode, lane.id, s)))
            self.list.addWidget(button)
