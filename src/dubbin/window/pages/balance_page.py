"""Balance: everyone as loud as everyone else."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
)

from dubbin.core.episode.commands import set_level, set_mute, set_solo
from dubbin.core.episode.model import Lane, Role
from dubbin.core.mix.program import audible_lanes
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import Card, label
from dubbin.window.parts.figures import number, with_unit
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.parts.table import FigureTable
from dubbin.window.theme import Theme

COLUMNS = ("Lane", "As recorded", "Level", "In the program", "State")
LOW_DB, HIGH_DB = -30.0, 18.0


class LevelCard(Card):
    """One lane: level, mute, solo."""

    def __init__(self, desk: Desk, lane_id: str, theme: Theme) -> None:
        super().__init__()
        self._desk, self._lane_id = desk, lane_id
        head = QHBoxLayout()
        self.name = label("", "strong")
        self.figure = label("", "strong")
        self.mute, self.solo = QPushButton("M"), QPushButton("S")
        for button, text in ((self.mute, "Mute"), (self.solo, "Solo")):
            button.setProperty("kind", "letter")
            button.setCheckable(True)
            button.setToolTip(text)
            button.setAccessibleName(text)
        head.addWidget(self.name, 1)
        head.addWidget(self.figure)
        head.addWidget(self.mute)
        head.addWidget(self.solo)
        self.body.addLayout(head)
        self.slider = MarkedSlider(theme, "Level", LOW_DB, HIGH_DB, 0.1, origin=0.0)
        self.slider.setToolTip("Level of the lane in dB; double-click sets it back to 0 dB.")
        self.body.addWidget(self.slider)
        self.mute.clicked.connect(lambda on: desk.do(set_mute(desk.episode, lane_id, on)))
        self.solo.clicked.connect(lambda on: desk.do(set_solo(desk.episode, lane_id, on)))
        self.slider.changing.connect(lambda v: desk.preview(set_level(desk.document.history.episode, lane_id, v)))
        self.slider.changed.connect(self._on_level)
        self.slider.given_up.connect(lambda: desk.document.end_preview())

    def _on_level(self, value: float) -> None:
        self._desk.do(set_level(self._desk.document.history.episode, self._lane_id, value))
        self._desk.document.history.seal()

    def refresh(self, lane: Lane) -> None:
        self.name.setText(lane.voice)
        self.figure.setText(f"{'+' if lane.level_db > 0 else ''}{number(lane.level_db)} dB")
        self.mute.setChecked(lane.mute)
        self.solo.setChecked(lane.solo)
        if not self.slider.is_dragged:
            self.slider.show_value(lane.level_db, 0.0)


class BalancePage(Page):
    def __init__(self, desk: Desk, selection: Selection, theme: Theme) -> None:
        super().__init__(desk, selection, theme)
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
        self.cards: dict[str, LevelCard] = {}
        self.apart = label("", "muted", wrap=True)
        self.column.addWidget(self.apart)
        self.column.addStretch(1)
        self.table = FigureTable("Levels of the lanes", COLUMNS)
        self.evidence = self.table
        self.connect_model()

    def title(self) -> str:
        return "all lanes"

    def refresh(self) -> None:
        lanes = self.desk.episode.lanes
        self.empty.setVisible(not lanes)
        for gone in set(self.cards) - {lane.id for lane in lanes}:
            self.cards.pop(gone).deleteLater()
        for index, lane in enumerate(lanes):
            if lane.id not in self.cards:
                self.cards[lane.id] = LevelCard(self.desk, lane.id, self.theme)
                self.column.insertWidget(1 + index, self.cards[lane.id])
            self.cards[lane.id].refresh(lane)
        self._fill(lanes)

    def _fill(self, lanes: tuple[Lane, ...]) -> None:
        audible = {lane.id for lane in audible_lanes(lanes)}
        self.table.setRowCount(len(lanes))
        voices = []
        for row, lane in enumerate(lanes):
            report = self.desk.report(lane)
            level = report.loudness.integrated_lufs if report else None
            after = level + lane.level_db if level is not None else None
            if after is not None and lane.role is Role.VOICE and lane.id in audible:
                voices.append(after)
            state = "heard" if lane.id in audible else "muted" if lane.mute else "not soloed"
            values = (
                lane.voice,
                with_unit(level, "LUFS"),
                f"{number(lane.level_db)} dB",
                with_unit(after, "LUFS"),
                state,
            )
            self.table.show_row(row, values)
        if len(voices) > 1:
            apart = max(voices) - min(voices)
            self.apart.setText(
                f"The voices are {number(apart)} LU apart, by their loudness as recorded and these levels."
            )
        else:
            self.apart.setText("")
