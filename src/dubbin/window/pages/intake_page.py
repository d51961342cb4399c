"""Intake: what did I get, what is wrong with it, do the recordings line up?"""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.episode.commands import (
    change_lane,
    name_voice,
    note_marker,
    nudge,
    remove_lane,
    remove_marker,
    split_channels,
)
from dubbin.core.episode.intake import remarks_on
from dubbin.core.episode.model import Lane, Marker, Role
from dubbin.core.measure.report import RecordingReport
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import Card, FigureRows, label
from dubbin.window.parts.figures import clock, with_unit
from dubbin.window.parts.finding_row import FindingRow
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.table import FigureTable
from dubbin.window.taking_in import TakingIn
from dubbin.window.theme import Theme

ROLES = {Role.VOICE: "voice", Role.MUSIC: "music", Role.EFFECT: "effect"}
COLUMNS = ("Voice", "File", "Length", "Begins at", "Clock", "Loudness", "True peak", "Noise floor", "SNR")
NUDGES_MS = (-10, -1, 1, 10)


@dataclass(frozen=True)
class IntakeActs:
    """What only the window can do: choose files, and play a place of the session (frames)."""

    add: Callable[[], None]
    choose_moved: Callable[[str], None]
    hear_place: Callable[[int, int], None]


class LaneCard(Card):
    """One lane: name, role, figures, findings, and its place on the clock."""

    def __init__(self, desk: Desk, theme: Theme, lane_id: str, acts: IntakeActs) -> None:
        super().__init__()
        self._desk, self._theme, self._lane_id, self._acts = desk, theme, lane_id, acts
        head = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setProperty("kind", "quiet")
        self.name.setAccessibleName("Name of the voice")
        self.name.setToolTip("Click to name the voice.")
        self.role = QComboBox()
        self.role.setAccessibleName("Role")
        self.role.setToolTip("Guessed from the sound and the file's name; change it where it is wrong.")
        for role, text in ROLES.items():
            self.role.addItem(text, role)
        head.addWidget(self.name, 1)
        head.addWidget(self.role)
        self.body.addLayout(head)
        self.rows = FigureRows()
        self.body.addWidget(self.rows)
        self.findings = QVBoxLayout()
        self.findings.setSpacing(3)
        self.body.addLayout(self.findings)
        self.good = label("nothing found that needs a repair", "good")
        self.body.addWidget(self.good)
        self.remark = label("", "bad", wrap=True)
        self.body.addWidget(self.remark)
        self._shown: tuple[RecordingReport | None, Role] | None = None
        self._add_buttons()
        self.name.editingFinished.connect(self._on_named)
        self.role.activated.connect(self._on_role)

    def _add_buttons(self) -> None:
        place = QHBoxLayout()
        place.setSpacing(4)
        self.place_label = label("move by ms", "muted")
        place.addWidget(self.place_label)
        place.addStretch(1)
        self.nudges: dict[int, QPushButton] = {}
        for step in NUDGES_MS:
            button = QPushButton(f"{step:+d}".replace("-", "−"))
            button.setAccessibleName(f"Move the recording by {step} ms")
            button.setToolTip(f"Move the whole recording by {step} ms on the session's clock.")
            button.setProperty("kind", "small")
            button.setFixedWidth(44)
            button.clicked.connect(lambda _=False, ms=step: self._on_nudge(ms))
            place.addWidget(button)
            self.nudges[step] = button
        self.place_row = QWidget()
        self.place_row.setLayout(place)
        place.setContentsMargins(0, 0, 0, 0)
        self.body.addWidget(self.place_row)
        last = QHBoxLayout()
        self.relink = self._quiet("Where is it now? …", lambda: self._acts.choose_moved(self._lane().recording))
        self.split = self._quiet("Split the channels", self._on_split)
        self.remove = self._quiet("Remove", lambda: self._desk.do(remove_lane(self._desk.episode, self._lane_id)))
        self.remove.setToolTip("Take the lane out of the episode. The file stays where it is; undo brings the lane back.")
        self.split.setToolTip("A lane of its own for each channel, where each holds another microphone.")
        last.addWidget(self.relink)
        last.addWidget(self.split)
        last.addStretch(1)
        last.addWidget(self.remove)
        self.body.addLayout(last)

    @staticmethod
    def _quiet(text: str, act: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("kind", "quiet")
        button.clicked.connect(lambda: act())
        return button

    def _lane(self) -> Lane:
        return self._desk.episode.lane(self._lane_id)

    def _on_named(self) -> None:
        if self.name.text().strip() != self._lane().voice:
            self._desk.do(name_voice(self._desk.episode, self._lane_id, self.name.text()))

    def _on_role(self) -> None:
        lane, role = self._lane(), self.role.currentData()
        if role is not lane.role:
            self._desk.do(change_lane(self._desk.episode, lane.id, f"{lane.voice} is {ROLES[role]}", role=role))

    def _on_nudge(self, ms: int) -> None:
        frames = round(ms * self._desk.episode.rate / 1000)
        self._desk.do(nudge(self._desk.episode, self._lane_id, frames))

    def _on_split(self) -> None:
        ids = [uuid.uuid4().hex[:8] for _ in self._lane().channels]
        self._desk.do(split_channels(self._desk.episode, self._lane_id, ids))

    def _on_finding(self, row: FindingRow) -> None:
        self._desk.pick_lane(self._lane_id)
        place = row.next_place()
        if place is not None:
            rate, start = self._desk.episode.rate, self._lane().start_frame
            self._acts.hear_place(start + round(place[0] * rate), start + round(place[1] * rate))

    def refresh(self, lane: Lane) -> None:
        episode, report = self._desk.episode, self._desk.report(lane)
        recording = episode.recording(lane.recording)
        if not self.name.hasFocus():
            self.name.setText(lane.voice)
        self.role.setCurrentIndex(list(ROLES).index(lane.role))
        picked = self._desk.picked_lane
        self.set_active(picked is not None and picked.id == lane.id)
        count = recording.file_channels
        kind = "mono" if count == 1 else "stereo" if count == 2 else f"{count} channels"
        self.rows.show_row("recorded", f"{clock(recording.frames / episode.rate, 1)}, {recording.file_rate / 1000:g} kHz, {kind}")
        broken = recording.id in self._desk.broken
        busy = "measuring …" if not broken else "–"
        self.rows.show_row("loudness", with_unit(report.loudness.integrated_lufs, "LUFS") if report else busy)
        self.rows.show_row("noise floor", with_unit(report.noise.floor_dbfs, "dBFS") if report else busy)
        self._show_findings(report)
        remarks = list(remarks_on(recording, episode.rate))
        if broken:
            remarks.append(self._desk.broken[recording.id])
        self.remark.setText("\n".join(remarks))
        self.remark.setVisible(bool(remarks))
        self.relink.setVisible(broken)
        self.split.setVisible(len(lane.channels) > 1)
        self.place_row.setVisible(len(episode.recordings) > 1 and lane.role is Role.VOICE)

    def _show_findings(self, report: RecordingReport | None) -> None:
        self.good.setVisible(report is not None and not self._desk.findings(self._lane()))
        shown = (report, self._lane().role)
        if shown == self._shown:
            return
        self._shown = shown
        while self.findings.count():
            item = self.findings.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        for finding in self._desk.findings(self._lane()):
            row = FindingRow(self._theme, finding)
            row.clicked.connect(lambda _=False, r=row: self._on_finding(r))
            self.findings.addWidget(row)


class IntakePage(Page):
    shows_findings = True

    def __init__(self, desk: Desk, selection: Selection, theme: Theme, taking_in: TakingIn, acts: IntakeActs) -> None:
        super().__init__(desk, selection, theme)
        self._acts, self._taking_in = acts, taking_in
        self.add_button = QPushButton("Add recordings …")
        self.add_button.setProperty("kind", "main")
        self.add_button.clicked.connect(lambda: acts.add())
        self.column.addWidget(self.add_button)
        self.align_button = QPushButton("Line up by sound")
        self.align_button.setToolTip(
            "Find where recordings made by separate machines belong, and how far their clocks drift, from what both hear."
        )
        self.align_button.clicked.connect(lambda: taking_in.line_up())
        self.column.addWidget(self.align_button)
        self.hint = label(
            "Choose one file a microphone, or drop them on the lanes. Each becomes a lane; name the voice on it.",
            "muted",
            wrap=True,
        )
        self.column.addWidget(self.hint)
        self._cards: dict[str, LaneCard] = {}
        self._markers_shown: tuple[Marker, ...] | None = None
        self.column.addStretch(1)
        self.evidence = self._evidence()
        self.connect_model()

    def _evidence(self) -> QWidget:
        pane = QWidget()
        pane.setObjectName("evidence")
        column = QVBoxLayout(pane)
        column.setContentsMargins(12, 8, 12, 4)
        column.setSpacing(6)
        choices = [("recordings", "Recordings", ""), ("markers", "Marked places", "")]
        self.choice = Segments(self.theme, "What the pane shows", choices, {})
        self.choice.chosen.connect(lambda key: self.stack.setCurrentIndex(int(key == "markers")))
        column.addWidget(self.choice)
        self.table = FigureTable("Recordings", COLUMNS, stretched=1)
        self.table.cellClicked.connect(self._on_row)
        self.markers = FigureTable("Marked places", ("Time", "Note", ""), stretched=1)
        self.markers.cellClicked.connect(self._on_marker)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.markers)
        column.addWidget(self.stack, 1)
        return pane

    def title(self) -> str:
        count = len(self.desk.episode.recordings)
        return f"{count} recording{'s' if count != 1 else ''}" if count else ""

    def _on_row(self, row: int, column: int) -> None:
        if row < len(self.desk.episode.lanes):
            self.desk.pick_lane(self.desk.episode.lanes[row].id)

    def _on_marker(self, row: int, column: int) -> None:
        markers = self.desk.episode.markers
        if row < len(markers) and column == 0:
            frame = markers[row].frame
            self._acts.hear_place(frame, frame)

    def refresh(self) -> None:
        lanes = self.desk.episode.lanes
        self.hint.setVisible(not lanes)
        voices = {lane.recording for lane in lanes if lane.role is Role.VOICE}
        self.align_button.setVisible(len(voices) > 1)
        for gone in set(self._cards) - {lane.id for lane in lanes}:
            self._cards.pop(gone).deleteLater()
        for index, lane in enumerate(lanes):
            if lane.id not in self._cards:
                self._cards[lane.id] = LaneCard(self.desk, self.theme, lane.id, self._acts)
                self.column.insertWidget(3 + index, self._cards[lane.id])
            self._cards[lane.id].refresh(lane)
        self._fill_table()
        self._fill_markers()

    def _fill_table(self) -> None:
        episode = self.desk.episode
        self.table.setRowCount(len(episode.lanes))
        for row, lane in enumerate(episode.lanes):
            recording, report = episode.recording(lane.recording), self.desk.report(lane)
            loudness, noise = (report.loudness, report.noise) if report else (None, None)
            found = self._taking_in.alignments.get(recording.id)
            drift = f"{recording.drift_ppm:+.1f} ppm".replace("-", "−") if recording.drift_ppm else "as it is"
            values = (
                lane.voice, recording.path.rsplit("/", 1)[-1], clock(recording.frames / episode.rate, 1),
                clock(lane.start_frame / episode.rate, 3), drift,
                with_unit(loudness.integrated_lufs, "LUFS") if loudness else "…",
                with_unit(loudness.true_peak_dbtp, "dBTP") if loudness else "…",
                with_unit(noise.floor_dbfs, "dBFS") if noise else "…",
                with_unit(noise.snr_db, "dB") if noise else "…",
            )  # fmt: skip
            tip = f"Lined up by sound: {found.share:.0%} of the stretches agree, ± {found.scatter_ms:.2f} ms." if found else ""
            self.table.show_row(row, values, tip=tip)

    def _fill_markers(self) -> None:
        markers, rate = self.desk.episode.markers, self.desk.episode.rate
        if markers == self._markers_shown:
            return  # a field in which one types must stay
        self._markers_shown = markers
        self.markers.setRowCount(len(markers))
        for row, marker in enumerate(markers):
            self.markers.show_row(row, (clock(marker.frame / rate, 2),), tip="Click to go there and hear it.")
            note = QLineEdit(marker.text)
            note.setPlaceholderText("why?")
            note.setProperty("kind", "quiet")
            note.setAccessibleName("Note")
            note.editingFinished.connect(lambda n=note, m=marker: self._on_note(n, m))
            self.markers.setCellWidget(row, 1, note)
            away = QPushButton("Take away")
            away.setProperty("kind", "quiet")
            away.clicked.connect(lambda _=False, m=marker: self.desk.do(remove_marker(self.desk.episode, m)))
            self.markers.setCellWidget(row, 2, away)
        self.choice.setToolTip(f"{len(markers)} marked; K marks a place while it plays.")

    def _on_note(self, note: QLineEdit, marker: Marker) -> None:
        known = next((m for m in self.desk.episode.markers if m == marker), None)
        if known is not None and note.text().strip() != known.text:
            self.desk.do(note_marker(self.desk.episode, known, note.text().strip()))
