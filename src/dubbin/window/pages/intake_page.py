"""Intake: what did I get? Files, names of the voices, first figures."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
)  # fmt: skip

from dubbin.core.episode.commands import change_lane, name_voice, remove_lane
from dubbin.core.episode.intake import remarks_on
from dubbin.core.episode.model import Lane, Role
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import Card, FigureRows, label
from dubbin.window.parts.figures import clock, with_unit
from dubbin.window.parts.table import FigureTable
from dubbin.window.theme import Theme

ROLES = {Role.VOICE: "voice", Role.MUSIC: "music", Role.EFFECT: "effect"}
COLUMNS = ("Voice", "File", "Length", "Loudness", "Range", "True peak", "Noise floor", "Speech above it")


class LaneCard(Card):
    """One lane: its name, role and figures."""

    def __init__(self, desk: Desk, lane_id: str) -> None:
        super().__init__()
        self._desk, self._lane_id = desk, lane_id
        head = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setProperty("kind", "quiet")
        self.name.setAccessibleName("Name of the voice")
        self.name.setToolTip("Click to name the voice.")
        self.role = QComboBox()
        self.role.setAccessibleName("Role")
        for role, text in ROLES.items():
            self.role.addItem(text, role)
        head.addWidget(self.name, 1)
        head.addWidget(self.role)
        self.body.addLayout(head)
        self.rows = FigureRows()
        self.body.addWidget(self.rows)
        self.remark = label("", "bad", wrap=True)
        self.body.addWidget(self.remark)
        self.remove = QPushButton("Remove from the episode")
        self.remove.setProperty("kind", "quiet")
        self.remove.setToolTip("The file itself stays where it is. Undo brings the lane back.")
        self.body.addWidget(self.remove, alignment=Qt.AlignmentFlag.AlignRight)
        self.name.editingFinished.connect(self._on_named)
        self.role.activated.connect(self._on_role)
        self.remove.clicked.connect(lambda: desk.do(remove_lane(desk.episode, lane_id)))

    def _on_named(self) -> None:
        lane = self._desk.episode.lane(self._lane_id)
        if self.name.text().strip() != lane.voice:
            self._desk.do(name_voice(self._desk.episode, lane.id, self.name.text()))

    def _on_role(self) -> None:
        lane, role = self._desk.episode.lane(self._lane_id), self.role.currentData()
        if role is not lane.role:
            self._desk.do(change_lane(self._desk.episode, lane.id, f"{lane.voice} is {ROLES[role]}", role=role))

    def refresh(self, lane: Lane) -> None:
        episode, report = self._desk.episode, self._desk.report(lane)
        recording = episode.recording(lane.recording)
        if not self.name.hasFocus():
            self.name.setText(lane.voice)
        self.role.setCurrentIndex(list(ROLES).index(lane.role))
        picked = self._desk.picked_lane
        self.set_active(picked is not None and picked.id == lane.id)
        self.rows.show_row("length", clock(recording.frames / episode.rate, 1))
        count = recording.file_channels
        kind = "mono" if count == 1 else "stereo" if count == 2 else f"{count} channels"
        self.rows.show_row("recorded at", f"{recording.file_rate / 1000:g} kHz, {kind}")
        busy = "measuring …" if recording.id not in self._desk.broken else "–"
        loudness = with_unit(report.loudness.integrated_lufs, "LUFS") if report else busy
        self.rows.show_row("loudness", loudness)
        self.rows.show_row("noise floor", with_unit(report.noise.floor_dbfs, "dBFS") if report else busy)
        remarks = list(remarks_on(recording, episode.rate))
        if recording.id in self._desk.broken:
            remarks.append(self._desk.broken[recording.id])
        if report and report.clipping.count:
            count = report.clipping.count
            remarks.append(f"clipped at {count} place{'s' if count != 1 else ''}")
        self.remark.setText("\n".join(remarks))
        self.remark.setVisible(bool(remarks))


class IntakePage(Page):
    def __init__(self, desk: Desk, selection: Selection, theme: Theme, add: Callable[[], None]) -> None:
        super().__init__(desk, selection, theme)
        self.add_button = QPushButton("Add recordings …")
        self.add_button.setProperty("kind", "main")
        self.add_button.clicked.connect(lambda: add())
        self.column.addWidget(self.add_button)
        self.hint = label(
            "Choose one file a microphone, or drop them on the lanes. Each becomes a lane; name the voice on it.",
            "muted",
            wrap=True,
        )
        self.column.addWidget(self.hint)
        self._cards: dict[str, LaneCard] = {}
        self.column.addStretch(1)
        self.table = FigureTable("Recordings", COLUMNS, stretched=1)
        self.table.cellClicked.connect(self._on_row)
        self.evidence = self.table
        self.connect_model()

    def title(self) -> str:
        count = len(self.desk.episode.recordings)
        return f"{count} recording{'s' if count != 1 else ''}" if count else ""

    def _on_row(self, row: int, column: int) -> None:
        if row < len(self.desk.episode.lanes):
            self.desk.pick_lane(self.desk.episode.lanes[row].id)

    def refresh(self) -> None:
        lanes = self.desk.episode.lanes
        self.hint.setVisible(not lanes)
        for gone in set(self._cards) - {lane.id for lane in lanes}:
            self._cards.pop(gone).deleteLater()
        for index, lane in enumerate(lanes):
            if lane.id not in self._cards:
                self._cards[lane.id] = LaneCard(self.desk, lane.id)
                self.column.insertWidget(2 + index, self._cards[lane.id])
            self._cards[lane.id].refresh(lane)
        self._fill_table()

    def _fill_table(self) -> None:
        episode = self.desk.episode
        self.table.setRowCount(len(episode.lanes))
        for row, lane in enumerate(episode.lanes):
            recording, report = episode.recording(lane.recording), self.desk.report(lane)
            loudness, noise = (report.loudness, report.noise) if report else (None, None)
            values = (
                lane.voice, recording.path.rsplit("/", 1)[-1], clock(recording.frames / episode.rate, 1),
                with_unit(loudness.integrated_lufs, "LUFS") if loudness else "…",
                with_unit(loudness.range_lu, "LU") if loudness else "…",
                with_unit(loudness.true_peak_dbtp, "dBTP") if loudness else "…",
                with_unit(noise.floor_dbfs, "dBFS") if noise else "…",
                with_unit(noise.snr_db, "dB") if noise else "…",
            )  # fmt: skip
            self.table.show_row(row, values)
