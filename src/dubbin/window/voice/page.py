"""Voice: warm, clear, no piercing s, steady. The job card; what it is judged by stands in evidence.py."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QPushButton

from dubbin.core.episode.commands.treatments import copy_voice, find_use, set_voice, set_voice_strength
from dubbin.core.episode.model import Lane
from dubbin.core.figures import number, with_unit
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.texts import tr
from dubbin.core.treat.equalise import EqSettings
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.treatment import Treatment
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.card import Card, label
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.treatment_section import TreatmentSection
from dubbin.window.voice.evidence import VoiceEvidence
from dubbin.window.voice.voices import Voices

CHOOSE = tr("Starting point …")
# Fields that stand on the card; those of the EQ are points of its curve.
SHOWN = {"equalise": ("high_pass_hz",)}


class VoicePage(Page):
    sizes = (300, 300)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.voices = Voices(self.session, shared.preferences)
        self._awaited = ""  # the lane whose suggestion was asked for before it was known
        self.overlays = Overlays(reductions=self.voices.drawn_reductions)
        self.empty = label(tr("Add recordings in Intake first."), "muted", wrap=True)
        self.column.addWidget(self.empty)
        self._add_whole_card()
        self.sections: dict[str, TreatmentSection] = {}
        self.hears: dict[str, QPushButton] = {}
        for treatment in VOICE:
            self._add_section(treatment)
        self.column.addStretch(1)
        self.panes = VoiceEvidence(self.session, self.theme, self.voices)
        self.panes.eq.changing.connect(lambda fields: self._on_curve(fields, final=False))
        self.panes.eq.changed.connect(lambda fields: self._on_curve(fields, final=True))
        self.panes.eq.given_up.connect(lambda: self.session.end_preview())
        self.evidence = self.panes
        self.voices.changed.connect(self._refresh_if_open)
        self.voices.changed.connect(shared.lanes.update)
        self.voices.changed.connect(self._on_known)
        self.connect_model()

    # -- building ---------------------------------------------------------------------

    def _add_whole_card(self) -> None:
        self.whole = Card(tr("Voice chain"))
        self.points = QComboBox()
        self.points.setAccessibleName(tr("Starting point"))
        self.points.activated.connect(self._on_point)
        self.whole.body.addWidget(self.points)
        row = QHBoxLayout()
        self.suggest, self.keep = QPushButton(tr("Suggest settings")), QPushButton(tr("Save settings …"))
        self.suggest.setToolTip(tr("EQ, gaps, de-esser and compressor from this voice's own figures; every one can be changed."))
        self.suggest.clicked.connect(self._on_suggest)
        self.keep.setToolTip(tr("Keep these settings as a starting point of your own."))
        self.keep.clicked.connect(self._on_keep)
        row.addWidget(self.suggest)
        row.addWidget(self.keep)
        self.whole.body.addLayout(row)
        row = QHBoxLayout()
        self.copy, self.match = QPushButton(tr("Copy to others")), QPushButton(tr("Match …"))
        self.copy.setToolTip(tr("Give all other voices the settings of this one."))
        self.copy.clicked.connect(self._on_copy)
        self.match.setToolTip(tr("Bring this voice to the tone and level of another."))
        self.match.clicked.connect(self._on_match)
        row.addWidget(self.copy)
        row.addWidget(self.match)
        self.whole.body.addLayout(row)
        head = QHBoxLayout()
        head.addWidget(label(tr("Overall strength"), "muted"))
        head.addStretch(1)
        self.percent = label("", "strong")
        head.addWidget(self.percent)
        self.whole.body.addLayout(head)
        self.strength = MarkedSlider(self.theme, tr("Overall strength of the voice chain"))
        self.strength.setToolTip(tr("Scales all voice treatments together."))
        self.strength.changing.connect(lambda value: self._on_whole(value, final=False))
        self.strength.changed.connect(lambda value: self._on_whole(value, final=True))
        self.strength.given_up.connect(lambda: self.session.end_preview())
        self.whole.body.addWidget(self.strength)
        self.column.addWidget(self.whole)

    def _add_section(self, treatment: Treatment) -> None:
        name = treatment.name
        section = TreatmentSection(self.shared, treatment, names=SHOWN.get(name, ()))
        hear = QPushButton(tr("Hear removed"))
        hear.setProperty("kind", "quiet")
        hear.setToolTip(tr("Only what this treatment takes away, from all voices; W hears the treated sound again."))
        hear.clicked.connect(lambda: self._hear(name))
        self.hears[name] = hear
        section.add(hear)
        if name == "equalise":
            self.reasons = label("", "muted", wrap=True)
            section.card.body.addWidget(self.reasons)
        self.sections[name] = section
        self.column.addWidget(section.card)

    # -- acts of the person -----------------------------------------------------------

    def _on_curve(self, fields: dict[str, float], *, final: bool) -> None:
        section = self.sections["equalise"]
        section.do(section.change("EQ", "curve", settings=fields, on=True), final)
        if final:
            self.session.end_merge()

    def _on_whole(self, value: float, *, final: bool) -> None:
        lane = self.session.picked_lane
        if lane is not None:
            change = set_voice_strength(self.session.document.history.episode, lane.id, value)
            (self.session.do if final else self.session.preview)(change)

    def _hear(self, name: str) -> None:
        on = self.session.monitor.mode is MonitorMode.REMOVED and self.session.monitor.delta == name
        self.session.monitor.set_mode(MonitorMode.TREATED if on else MonitorMode.REMOVED, None if on else name)
        self.refresh()

    def _on_point(self, index: int) -> None:
        lane, points = self.session.picked_lane, self.voices.starting_points()
        self.points.setCurrentIndex(0)
        if lane is not None and 0 < index <= len(points):
            title, _, uses = points[index - 1]
            self.session.do(set_voice(self.session.episode, lane.id, uses, title))

    def _on_suggest(self) -> None:
        lane = self.session.picked_lane
        if lane is not None and not self._take_suggestion(lane):
            self._awaited = lane.id
            self.session.said.emit(tr("{voice} is still being measured; the settings follow.").format(voice=lane.voice))

    def _take_suggestion(self, lane: Lane) -> bool:
        uses = self.voices.suggested(lane)
        if uses:
            self._awaited = ""
            self.session.do(set_voice(self.session.episode, lane.id, uses, tr("Suggested voice settings")))
        return bool(uses)

    def _on_known(self) -> None:
        lane = self.session.picked_lane
        if lane is not None and lane.id == self._awaited:
            self._take_suggestion(lane)

    def _on_keep(self) -> None:
        lane = self.session.picked_lane
        if lane is None or not any(u.on for u in lane.voice_chain):
            self.session.said.emit(tr("There is nothing to keep: no voice treatment is on."))
            return
        name, done = QInputDialog.getText(self.card, tr("Save as a starting point"), tr("Name:"))
        if done and name.strip():
            self.voices.keep(name.strip(), lane)

    def _on_copy(self) -> None:
        lane = self.session.picked_lane
        others = [v.id for v in self.session.episode.voices if lane is not None and v.id != lane.id]
        if lane is not None and others:
            self.session.do(copy_voice(self.session.episode, lane.id, others))

    def _on_match(self) -> None:
        lane = self.session.picked_lane
        others = [v for v in self.session.episode.voices if lane is not None and v.id != lane.id]
        if lane is None or not others:
            return
        other = others[0]
        if len(others) > 1:
            name, done = QInputDialog.getItem(self.card, tr("Match to"), tr("Voice:"), [v.voice for v in others], 0, False)
            if not done:
                return
            other = next(v for v in others if v.voice == name)
        change = self.voices.match(lane, other)
        if change is None:
            self.session.said.emit(tr("Both voices must be measured first; open each once."))
        else:
            self.session.do(change)

    # -- showing ----------------------------------------------------------------------

    def status(self) -> Status:
        voices = self.session.episode.voices
        count = sum(any(use.on for use in lane.voice_chain) for lane in voices)
        return (
            Status(tr("{count} of {count2} voices set").format(count=count, count2=len(voices)), True)
            if count
            else Status(tr("not started"))
        )

    def opened(self) -> None:
        self.voices.is_wanted = True
        super().opened()
        self.session.analyses.want_evidence()
        self.voices.look()

    def closed(self) -> None:
        super().closed()
        self.voices.is_wanted, self._awaited = False, ""

    def refresh(self) -> None:
        lane = self.session.picked_lane
        self.empty.setVisible(lane is None)
        for widget in (self.whole, *(s.card for s in self.sections.values())):
            widget.setVisible(lane is not None)
        if lane is None:
            return
        self.voices.look()
        titles = [CHOOSE, *(title for title, _, _ in self.voices.starting_points())]
        if [self.points.itemText(k) for k in range(self.points.count())] != titles:
            self.points.clear()
            self.points.addItems(titles)
        several = len(self.session.episode.voices) > 1
        self.copy.setEnabled(several)
        self.match.setEnabled(several)
        self.percent.setText(f"{lane.voice_strength} %")
        if not self.strength.is_dragged:
            self.strength.show_value(lane.voice_strength, 100.0)
        for section in self.sections.values():
            self._show_section(lane, section)
        self._show_reasons(lane)
        report = self.session.analyses.report(lane)
        loudness = report.loudness.integrated_lufs if report else None
        self.sections["compress"].card.rows.show_row(tr("loudness as recorded"), with_unit(loudness, "LUFS"))
        eq = find_use(lane, "equalise")
        self.panes.refresh(lane, settings_from_plain(EqSettings, eq.settings), eq)

    def _show_section(self, lane: Lane, section: TreatmentSection) -> None:
        use, rows, monitor = section.show_lane(lane), section.card.rows, self.session.monitor
        heard = monitor.mode is MonitorMode.REMOVED and monitor.delta == use.name
        self.hears[use.name].setText(tr("Hear treated") if heard else tr("Hear removed"))
        if use.name == "equalise":
            return
        voiced = self.voices.voiced(lane)
        known = voiced.reductions.get(use.name) if voiced is not None else None
        deepest = "…" if known is None else f"{number(-float(known.heard.min(initial=0.0)))} dB"
        often = "…" if known is None else tr("{share_below} % of the time").format(share_below=number(100 * known.share_below(3.0), 0))
        for row, text in ((tr("highest reduction"), deepest), (tr("above 3 dB"), often)):
            rows.show_row(row, text)
            rows.set_row_visible(row, use.on)

    def _show_reasons(self, lane: Lane) -> None:
        ideas = self.voices.tone_ideas(lane)
        if self.voices.spectrum(lane) is None:
            self.reasons.setText(tr("measuring the voice …"))
        elif ideas:
            self.reasons.setText("\n".join(f"{number(i.db)} dB: {i.because}".replace("dB: ", "dB · ", 1) for i in ideas))
        else:
            self.reasons.setText(tr("Its tone is near that of most voices: nothing to suggest."))
