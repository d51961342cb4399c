"""The sheet of one lane: name, role, figures, findings, and its place on the clock."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.commands.lanes import change_lane, name_voice, remove_lane, split_channels
from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.episode.importing import remarks_on
from dubbin.core.episode.model import Lane, Role, new_id
from dubbin.core.figures import clock, short_number, with_unit
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr
from dubbin.window.parts.card import Card, FigureRows, label
from dubbin.window.parts.finding_row import FindingRow
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session

ROLES = {Role.VOICE: tr("voice"), Role.MUSIC: tr("music"), Role.EFFECT: tr("effect")}
NUDGES_MS = (-10, -1, 1, 10)
MOST_NUDGE_MS = 3_600_000.0


class LaneCard(Card):
    """One lane: name, role, figures, findings, and its place on the clock."""

    def __init__(
        self, session: Session, theme: Theme, lane_id: str, choose_moved: Callable[[str], None], hear_place: Callable[[int, int], None]
    ) -> None:
        """choose_moved: asks where a recording is now. hear_place: plays a place of the session, in frames."""
        super().__init__()
        self._session, self._theme, self._lane_id = session, theme, lane_id
        self._choose_moved, self._hear_place = choose_moved, hear_place
        head = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setProperty("kind", "quiet")
        self.name.setAccessibleName(tr("Name of the voice"))
        self.name.setToolTip(tr("Click to name the voice."))
        self.role = QComboBox()
        self.role.setAccessibleName(tr("Role"))
        self.role.setToolTip(tr("Guessed from the sound and the file's name; change it where it is wrong."))
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
        self.good = label(tr("nothing found that needs a repair"), "good")
        self.body.addWidget(self.good)
        self.remark = label("", "bad", wrap=True)
        self.body.addWidget(self.remark)
        self._shown: tuple[RecordingReport | None, Role] | None = None
        self._add_buttons()
        self.name.editingFinished.connect(self._on_named)
        self.role.activated.connect(self._on_role)

    def _add_buttons(self) -> None:
        place = QHBoxLayout()
        place.setSpacing(3)
        self.place_label = label(tr("move, ms"), "muted")
        place.addWidget(self.place_label)
        place.addStretch(1)
        self.nudges: dict[int, QPushButton] = {}
        for step in NUDGES_MS:
            button = QPushButton(f"{step:+d}".replace("-", "−"))
            button.setAccessibleName(tr("Move the recording by {step} ms").format(step=step))
            button.setToolTip(tr("Move the whole recording by {step} ms on the session's clock.").format(step=step))
            button.setProperty("kind", "small")
            button.setFixedWidth(34)
            button.clicked.connect(lambda _=False, ms=step: self._on_nudge(ms))
            place.addWidget(button)
            self.nudges[step] = button
        self.nudge_by = QPushButton("…")
        self.nudge_by.setAccessibleName(tr("Move the recording by a typed time"))
        self.nudge_by.setToolTip(tr("Move the whole recording by so many milliseconds as you type."))
        self.nudge_by.setProperty("kind", "small")
        self.nudge_by.setFixedWidth(26)
        self.nudge_by.clicked.connect(self._ask_nudge)
        place.addWidget(self.nudge_by)
        self.place_row = QWidget()
        self.place_row.setLayout(place)
        place.setContentsMargins(0, 0, 0, 0)
        self.body.addWidget(self.place_row)
        last = QHBoxLayout()
        self.relink = self._quiet(tr("Locate file …"), lambda: self._choose_moved(self._lane().recording))
        self.split = self._quiet(tr("Split channels"), self._on_split)
        self.remove = self._quiet(tr("Remove"), lambda: self._session.do(remove_lane(self._session.episode, self._lane_id)))
        self.remove.setToolTip(tr("Take the lane out of the episode. The file stays where it is; undo brings the lane back."))
        self.split.setToolTip(tr("A lane of its own for each channel, where each holds another microphone."))
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
        return self._session.episode.lane(self._lane_id)

    def _on_named(self) -> None:
        if all(lane.id != self._lane_id for lane in self._session.episode.lanes):
            return  # another episode was opened while the name was typed
        if self.name.text().strip() != self._lane().voice:
            self._session.do(name_voice(self._session.episode, self._lane_id, self.name.text()))

    def _on_role(self) -> None:
        lane, role = self._lane(), self.role.currentData()
        if role is not lane.role:
            self._session.do(
                change_lane(self._session.episode, lane.id, tr("{voice} is {roles}").format(voice=lane.voice, roles=ROLES[role]), role=role)
            )

    def _ask_nudge(self) -> None:
        ms, done = QInputDialog.getDouble(
            self,
            tr("Move {voice}").format(voice=self._lane().voice),
            tr("By how many milliseconds (with a minus: earlier):"),
            0.0,
            -MOST_NUDGE_MS,
            MOST_NUDGE_MS,
            2,
        )
        if done and ms:
            self._on_nudge(ms)

    def _on_nudge(self, ms: float) -> None:
        frames = round(ms * self._session.episode.rate / 1000)
        self._session.do(nudge(self._session.episode, self._lane_id, frames))

    def _on_split(self) -> None:
        ids = [new_id() for _ in self._lane().channels]
        self._session.do(split_channels(self._session.episode, self._lane_id, ids))

    def _on_finding(self, row: FindingRow) -> None:
        self._session.pick_lane(self._lane_id)
        place = row.next_place()
        if place is not None:
            rate, start = self._session.episode.rate, self._lane().start_frame
            self._hear_place(start + round(place[0] * rate), start + round(place[1] * rate))

    def refresh(self, lane: Lane) -> None:
        episode, report = self._session.episode, self._session.analyses.report(lane)
        recording = episode.recording(lane.recording)
        if not self.name.hasFocus():
            self.name.setText(lane.voice)
        self.role.setCurrentIndex(list(ROLES).index(lane.role))
        picked = self._session.picked_lane
        self.set_active(picked is not None and picked.id == lane.id)
        count = recording.file_channels
        kind = tr("mono") if count == 1 else tr("stereo") if count == 2 else tr("{count} channels").format(count=count)
        self.rows.show_row(
            tr("recorded"), f"{clock(recording.frames / episode.rate, 1)}, {short_number(recording.file_rate / 1000)} kHz, {kind}"
        )
        broken = recording.id in self._session.recordings.broken
        busy = tr("measuring …") if not broken else "–"
        self.rows.show_row(tr("loudness"), with_unit(report.loudness.integrated_lufs, "LUFS") if report else busy)
        self.rows.show_row(tr("noise floor"), report.noise.floor_text if report else busy)
        self._show_findings(report)
        remarks = list(remarks_on(recording, episode.rate))
        if broken:
            remarks.append(self._session.recordings.broken[recording.id])
        self.remark.setText("\n".join(remarks))
        self.remark.setVisible(bool(remarks))
        self.relink.setVisible(broken)
        self.split.setVisible(len(lane.channels) > 1)
        self.place_row.setVisible(len(episode.recordings) > 1 and lane.role is Role.VOICE)

    def _show_findings(self, report: RecordingReport | None) -> None:
        self.good.setVisible(report is not None and not self._session.analyses.findings(self._lane()))
        shown = (report, self._lane().role)
        if shown == self._shown:
            return
        self._shown = shown
        clear_layout(self.findings)
        for finding in self._session.analyses.findings(self._lane()):
            row = FindingRow(self._theme, finding)
            row.clicked.connect(lambda _=False, r=row: self._on_finding(r))
            self.findings.addWidget(row)
