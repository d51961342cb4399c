"""Intake: what did I get, what is wrong with it, do the recordings line up?"""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.episode.model import Role
from dubbin.core.figures import clock, number, with_unit
from dubbin.core.texts import tr, tr_count
from dubbin.window.intake.actions import intake_actions
from dubbin.window.intake.lane_card import LaneCard
from dubbin.window.intake.lining_up import LiningUp
from dubbin.window.intake.marker_list import MarkerList
from dubbin.window.intake.places import Places
from dubbin.window.intake.recording_files import RecordingFiles
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.card import label
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.table import FigureTable
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared

COLUMNS = (
    tr("Voice"),
    tr("File"),
    tr("Length"),
    tr("Starts at"),
    tr("Clock drift"),
    tr("Loudness"),
    tr("True peak"),
    tr("Noise floor"),
    tr("SNR"),
)


class IntakePage(Page):
    overlays = Overlays(findings=True)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.lining_up, self.files = LiningUp(self.session), RecordingFiles(shared)
        self.places = Places(self.session, self.selection, shared.playing)
        shared.actions.add(intake_actions(self.session, self.files, self.lining_up, self.places))
        self.add_button = QPushButton(tr("Add recordings …"))
        self.add_button.setProperty("kind", "main")
        self.add_button.clicked.connect(lambda: self.files.choose())
        self.column.addWidget(self.add_button)
        self.align_button = QPushButton(tr("Align by sound"))
        self.align_button.setToolTip(
            tr("Find where recordings made by separate machines belong, and how far their clocks drift, from what both hear.")
        )
        self.align_button.clicked.connect(lambda: self.lining_up.line_up())
        self.column.addWidget(self.align_button)
        self.hint = label(
            tr("Choose one file a microphone, or drop them on the lanes. Each becomes a lane; name the voice on it."),
            "muted",
            wrap=True,
        )
        self.column.addWidget(self.hint)
        self._cards: dict[str, LaneCard] = {}
        self.column.addStretch(1)
        self.evidence = self._evidence()
        self.connect_model()

    def _evidence(self) -> QWidget:
        pane = QWidget()
        pane.setObjectName("evidence")
        column = QVBoxLayout(pane)
        column.setContentsMargins(12, 8, 12, 4)
        column.setSpacing(6)
        choices = [("recordings", tr("Recordings"), ""), ("markers", tr("Markers"), "")]
        self.choice = Segments(self.theme, tr("What the pane shows"), choices, {})
        self.choice.chosen.connect(lambda key: self.stack.setCurrentIndex(int(key == "markers")))
        column.addWidget(self.choice)
        self.table = FigureTable(
            tr("Recordings"), COLUMNS, 1, tr("Recordings stand here with their figures: press Ctrl+I, or drop files on the window.")
        )
        self.table.cellClicked.connect(self._on_row)
        self.markers = MarkerList(self.session, self.shared.playing)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.markers)
        column.addWidget(self.stack, 1)
        return pane

    def status(self) -> Status:
        episode = self.session.episode
        if not episode.lanes:
            return Status(tr("drop recordings"))
        files, voices = len(episode.recordings), len(episode.voices)
        return Status(
            ", ".join((tr_count("{count} recording", "{count} recordings", files), tr_count("{count} voice", "{count} voices", voices))),
            True,
        )

    def title(self) -> str:
        count = len(self.session.episode.recordings)
        return tr_count("{count} recording", "{count} recordings", count) if count else ""

    def _on_row(self, row: int, column: int) -> None:
        if row < len(self.session.episode.lanes):
            self.session.pick_lane(self.session.episode.lanes[row].id)

    def refresh(self) -> None:
        lanes = self.session.episode.lanes
        self.hint.setVisible(not lanes)
        voices = {lane.recording for lane in lanes if lane.role is Role.VOICE}
        self.align_button.setVisible(len(voices) > 1)
        for gone in set(self._cards) - {lane.id for lane in lanes}:
            self._cards.pop(gone).deleteLater()
        for index, lane in enumerate(lanes):
            if lane.id not in self._cards:
                self._cards[lane.id] = LaneCard(self.session, self.theme, lane.id, self.files.choose_moved, self.shared.playing.play_place)
                self.column.insertWidget(3 + index, self._cards[lane.id])
            self._cards[lane.id].refresh(lane)
        self._fill_table()
        self._show_markers()

    def _fill_table(self) -> None:
        episode = self.session.episode
        self.table.setRowCount(len(episode.lanes))
        for row, lane in enumerate(episode.lanes):
            recording, report = episode.recording(lane.recording), self.session.analyses.report(lane)
            loudness, noise = (report.loudness, report.noise) if report else (None, None)
            found = self.lining_up.alignments.get(recording.id)
            drift = (
                tr("{drift_ppm} ppm").format(drift_ppm=number(recording.drift_ppm, sign=True)).replace("-", "−")
                if recording.drift_ppm
                else tr("none")
            )
            values = (
                lane.voice, recording.path.rsplit("/", 1)[-1], clock(recording.frames / episode.rate, 1),
                clock(lane.start_frame / episode.rate, 3), drift,
                with_unit(loudness.integrated_lufs, "LUFS") if loudness else "…",
                with_unit(loudness.true_peak_dbtp, "dBTP") if loudness else "…",
                noise.floor_text if noise else "…",
                with_unit(noise.snr_db, "dB") if noise else "…",
            )  # fmt: skip
            tip = (
                tr("Aligned by sound: {share:.0%} of the stretches agree, ± {scatter_ms} ms.").format(
                    share=found.share, scatter_ms=number(found.scatter_ms, 2)
                )
                if found
                else ""
            )
            self.table.show_row(row, values, tip=tip)

    def _show_markers(self) -> None:
        self.markers.refresh()
        self.choice.setToolTip(tr("{count} marked; A marks a place while it plays.").format(count=len(self.session.episode.markers)))
