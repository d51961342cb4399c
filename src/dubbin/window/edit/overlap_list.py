"""The list of places where two speak at once."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton, QWidget

from dubbin.core.figures import clock, short_number, span_text
from dubbin.core.mix.overlaps import heard_together
from dubbin.core.texts import tr
from dubbin.window.edit.overlap_acts import Overlap, Overlaps
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.parts.card import label
from dubbin.window.parts.figure_box import FigureBox
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

DEEPEST_DB = 60.0


class OverlapList(ActiveTable):
    """Where two speak at once; a tick lowers the microphone that hears the other, a click selects the place and plays it."""

    def __init__(self, session: Session, acts: Overlaps, selection: Selection, playing: Playing) -> None:
        super().__init__(
            tr("Overlaps"),
            (tr("Lower"), tr("At"), tr("Length"), tr("Who"), tr("Hears the other"), tr("Now")),
            3,
            tr("Where two speak at once is found as soon as both microphones are measured. There is no such place yet."),
        )
        self._session, self._acts, self._selection, self._playing = session, acts, selection, playing
        self._entries: list[Overlap] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        episode = self._session.episode
        names = {lane.id: lane.voice for lane in episode.lanes}
        self._entries = self._acts.all()
        rows: list[tuple[object, ...]] = []
        for item, cover in zip(self._entries, self._acts.all_lowered(self._entries), strict=True):
            rows.append((
                None if item.in_one else cover is not None, clock(item.start_frame / episode.rate, 1), span_text((item.end_frame - item.start_frame) / episode.rate),
                self._who(item, names),
                tr("both in one microphone") if item.in_one else names.get(item.hears_other, ""),
                tr("lowered by {gain_db} dB").format(gain_db=short_number(-cover.gain_db)) if cover is not None else "",
            ))  # fmt: skip
        self.fill(rows, ticks=True)

    def _who(self, item: Overlap, names: dict[str, str]) -> str:
        voices = [names.get(i, "") for i in item.lanes]
        if item.in_one:
            episode = self._session.episode
            lane = episode.lane(item.lanes[0])
            span = (item.start_frame - lane.start_frame, item.end_frame - lane.start_frame)
            both = heard_together(episode.transcript(lane.id), *span)
            return tr(" and ").join(both) if both else tr("two in {voice}").format(voice=voices[0])
        return tr(" and ").join(voices)

    def _tick(self, row: int, on: bool) -> None:
        item = self._entries[row]
        if on == (self._acts.lowered(item) is None):
            self._acts.toggle(item)

    def _go(self, row: int) -> None:
        if row < len(self._entries):
            item = self._entries[row]
            self._playing.play_place(item.start_frame, item.end_frame)
            self._selection.select(item.start_frame, item.end_frame)


def overlap_controls(acts: Overlaps) -> list[QWidget]:
    """By how much microphones are lowered, and the button that lowers all."""
    by = FigureBox()
    by.setRange(1.0, DEEPEST_DB)
    by.setDecimals(0)
    by.setSuffix(" dB")
    by.setValue(acts.lower_db)
    by.setAccessibleName(tr("Lower by"))

    def set_db(db: float) -> None:
        acts.lower_db = db

    by.valueChanged.connect(set_db)
    every = QPushButton(tr("Lower all"))
    every.setProperty("kind", "small")
    every.setToolTip(tr("At every overlap lower the microphone that hears the other one."))
    every.clicked.connect(acts.lower_all)
    return [label(tr("Lower the microphone that hears the other by"), "muted"), by, every]
