"""Voice: warm, clear, no piercing s, steady. The job card; what it is judged by stands in voice_evidence.py."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QInputDialog, QPushButton

from dubbin.core.episode import voice_commands
from dubbin.core.episode.commands import Change, change_use, find_use
from dubbin.core.mix.hear import Hear
from dubbin.core.treat.compressor import Detection
from dubbin.core.treat.equalise import EqSettings
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.treatment import Treatment
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.pages.voice_evidence import VoiceEvidence
from dubbin.window.parts.card import Card, TreatmentCard, label
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figures import number, with_unit
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.theme import Theme
from dubbin.window.voice_desk import VoiceDesk

ORDER = [t.name for t in VOICE]
CHOOSE = "Starting point …"
# Fields that stand on the card; those of the EQ are points of its curve.
SHOWN = {"equalise": ("high_pass_hz",)}


class VoicePage(Page):
    shows_reductions = True

    def __init__(self, desk: Desk, selection: Selection, theme: Theme, voices: VoiceDesk) -> None:
        super().__init__(desk, selection, theme)
        self.voices = voices
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
        self._add_whole_card()
        self.cards: dict[str, TreatmentCard] = {}
        self.forms: dict[str, SettingsForm] = {}
        self.hears: dict[str, QPushButton] = {}
        for treatment in VOICE:
            self._add_card(treatment)
        self.column.addStretch(1)
        self.panes = VoiceEvidence(desk, theme, voices)
        self.panes.eq.changing.connect(lambda fields: self._on_curve(fields, final=False))
        self.panes.eq.changed.connect(lambda fields: self._on_curve(fields, final=True))
        self.panes.eq.given_up.connect(lambda: self.desk.document.end_preview())
        self.evidence = self.panes
        voices.changed.connect(self._refresh_if_open)
        self.connect_model()

    # -- building ---------------------------------------------------------------------

    def _add_whole_card(self) -> None:
        self.whole = Card("The whole voice")
        self.points = QComboBox()
        self.points.setAccessibleName("Starting point")
        self.points.activated.connect(self._on_point)
        self.whole.body.addWidget(self.points)
        row = QHBoxLayout()
        self.suggest, self.keep = QPushButton("What it asks for"), QPushButton("Keep as own …")
        self.suggest.setToolTip("EQ, gaps, de-esser and compressor from this voice's own figures; every one can be changed.")
        self.suggest.clicked.connect(self._on_suggest)
        self.keep.setToolTip("Keep these settings as a starting point of your own.")
        self.keep.clicked.connect(self._on_keep)
        row.addWidget(self.suggest)
        row.addWidget(self.keep)
        self.whole.body.addLayout(row)
        row = QHBoxLayout()
        self.copy, self.match = QPushButton("Copy to others"), QPushButton("Match …")
        self.copy.setToolTip("Give all other voices the settings of this one.")
        self.copy.clicked.connect(self._on_copy)
        self.match.setToolTip("Bring this voice to the tone and level of another.")
        self.match.clicked.connect(self._on_match)
        row.addWidget(self.copy)
        row.addWidget(self.match)
        self.whole.body.addLayout(row)
        head = QHBoxLayout()
        head.addWidget(label("Strength of all", "muted"))
        head.addStretch(1)
        self.percent = label("", "strong")
        head.addWidget(self.percent)
        self.whole.body.addLayout(head)
        self.strength = MarkedSlider(self.theme, "Strength of the whole voice")
        self.strength.setToolTip("Takes the whole voice chain back in one move.")
        self.strength.changing.connect(lambda value: self._on_whole(value, final=False))
        self.strength.changed.connect(lambda value: self._on_whole(value, final=True))
        self.strength.given_up.connect(lambda: self.desk.document.end_preview())
        self.whole.body.addWidget(self.strength)
        self.column.addWidget(self.whole)

    def _add_card(self, treatment: Treatment) -> None:
        name = treatment.name
        card = TreatmentCard(self.theme, treatment.title)
        card.switch.toggled.connect(lambda on: self._on_switched(name, on))
        card.slider.changing.connect(lambda value: self._on_strength(name, value, final=False))
        card.slider.changed.connect(lambda value: self._on_strength(name, value, final=True))
        card.slider.given_up.connect(lambda: self.desk.document.end_preview())
        form = SettingsForm(treatment.settings_type, SHOWN.get(name, ()))
        form.edited.connect(lambda field, value: self._on_setting(name, field, value))
        card.body.addWidget(form)
        hear = QPushButton("Hear what it takes")
        hear.setProperty("kind", "quiet")
        hear.setToolTip("Only what this treatment takes away, from all voices; W hears the treated sound again.")
        hear.clicked.connect(lambda: self._hear(name))
        self.hears[name] = hear
        card.body.addWidget(hear)
        if name == "equalise":
            self.reasons = label("", "muted", wrap=True)
            card.body.addWidget(self.reasons)
        if name == "compress":
            row = QHBoxLayout()
            self.detection = QComboBox()
            self.detection.setAccessibleName("Level from")
            self.detection.setToolTip("Level from the RMS, as the ear judges, or from peaks.")
            for kind in Detection:
                self.detection.addItem(f"Level from {kind.value}", kind)
            self.detection.activated.connect(lambda: self._on_setting("compress", "detection", self.detection.currentData().value))
            self.follows = QCheckBox("Release follows")
            self.follows.setToolTip("After a single peak it lets go at once, after a loud passage slowly.")
            self.follows.toggled.connect(lambda on: self._on_setting("compress", "follows", on))
            row.addWidget(self.detection)
            row.addWidget(self.follows)
            card.body.addLayout(row)
        self.cards[name], self.forms[name] = card, form
        self.column.addWidget(card)

    # -- acts of the person -----------------------------------------------------------

    def _change(self, name: str, title: str, merge: str | None = None, **fields: object) -> Change | None:
        lane = self.desk.picked_lane
        if lane is None:
            return None
        key = f"{merge} {lane.id} {name}" if merge else None
        base = self.desk.document.history.episode
        return change_use(base, lane.id, name, title.replace("LANE", lane.voice), order=ORDER, voicing=True, merge_key=key, **fields)

    def _do(self, change: Change | None, final: bool = True) -> None:
        if change is not None and final:
            self.desk.do(change)
        elif change is not None:
            self.desk.preview(change)

    def _on_switched(self, name: str, on: bool) -> None:
        self._do(self._change(name, f"{self.cards[name].title} {'on' if on else 'off'} for LANE", on=on))

    def _on_strength(self, name: str, value: float, *, final: bool) -> None:
        self._do(self._change(name, f"{self.cards[name].title} {value:.0f} % for LANE", "strength", strength=round(value)), final)

    def _on_setting(self, name: str, field: str, value: Any) -> None:
        lane = self.desk.picked_lane
        if lane:
            settings = {**find_use(lane, name).settings, field: value}
            fields = self.forms[name].fields
            what = fields[field].info.label if field in fields else self.cards[name].title
            self._do(self._change(name, f"{what} for LANE", f"setting {field}", settings=settings))

    def _on_curve(self, fields: dict[str, float], *, final: bool) -> None:
        self._do(self._change("equalise", "EQ of LANE", "curve", settings=fields, on=True), final)
        if final:
            self.desk.document.history.seal()

    def _on_whole(self, value: float, *, final: bool) -> None:
        lane = self.desk.picked_lane
        if lane is not None:
            self._do(voice_commands.set_voice_strength(self.desk.document.history.episode, lane.id, value), final)

    def _hear(self, name: str) -> None:
        on = self.desk.hear is Hear.RESIDUE and self.desk.taken_by == name
        self.desk.set_hear(Hear.TREATED if on else Hear.RESIDUE, None if on else name)
        self.refresh()

    def _on_point(self, index: int) -> None:
        lane, points = self.desk.picked_lane, self.voices.starting_points()
        self.points.setCurrentIndex(0)
        if lane is not None and 0 < index <= len(points):
            title, _, uses = points[index - 1]
            self.desk.do(voice_commands.set_voice(self.desk.episode, lane.id, uses, title))

    def _on_suggest(self) -> None:
        lane = self.desk.picked_lane
        uses = self.voices.suggested(lane) if lane is not None else {}
        if lane is not None and uses:
            self.desk.do(voice_commands.set_voice(self.desk.episode, lane.id, uses, "What the voice asks for"))
        else:
            self.desk.said.emit("The voice is still being measured.")

    def _on_keep(self) -> None:
        lane = self.desk.picked_lane
        if lane is None or not any(u.on for u in lane.voicing):
            self.desk.said.emit("There is nothing to keep: no voice treatment is on.")
            return
        name, done = QInputDialog.getText(self.card, "Keep as a starting point", "Name:")
        if done and name.strip():
            self.voices.keep(name.strip(), lane)

    def _on_copy(self) -> None:
        lane = self.desk.picked_lane
        others = [v.id for v in self.voices.voices() if lane is not None and v.id != lane.id]
        if lane is not None and others:
            self.desk.do(voice_commands.copy_voice(self.desk.episode, lane.id, others))

    def _on_match(self) -> None:
        lane = self.desk.picked_lane
        others = [v for v in self.voices.voices() if lane is not None and v.id != lane.id]
        if lane is None or not others:
            return
        other = others[0]
        if len(others) > 1:
            name, done = QInputDialog.getItem(self.card, "Match to", "Voice:", [v.voice for v in others], 0, False)
            if not done:
                return
            other = next(v for v in others if v.voice == name)
        change = self.voices.match(lane, other)
        if change is None:
            self.desk.said.emit("Both voices must be measured first; open each once.")
        else:
            self.desk.do(change)

    # -- showing ----------------------------------------------------------------------

    def opened(self) -> None:
        self.voices.is_wanted = True
        super().opened()
        self.desk.want_evidence()
        self.voices.look()

    def closed(self) -> None:
        super().closed()
        self.voices.is_wanted = False

    def refresh(self) -> None:
        lane = self.desk.picked_lane
        self.empty.setVisible(lane is None)
        for widget in (self.whole, *self.cards.values()):
            widget.setVisible(lane is not None)
        if lane is None:
            return
        self.voices.look()
        titles = [CHOOSE, *(title for title, _, _ in self.voices.starting_points())]
        if [self.points.itemText(k) for k in range(self.points.count())] != titles:
            self.points.clear()
            self.points.addItems(titles)
        several = len(self.voices.voices()) > 1
        self.copy.setEnabled(several)
        self.match.setEnabled(several)
        self.percent.setText(f"{lane.voice_strength} %")
        if not self.strength.is_dragged:
            self.strength.show_value(lane.voice_strength, 100.0)
        voiced = self.voices.voiced(lane)
        for treatment in VOICE:
            use, card, form = find_use(lane, treatment.name), self.cards[treatment.name], self.forms[treatment.name]
            settings = settings_from_plain(treatment.settings_type, use.settings)
            card.show_state(use.on, use.strength)
            form.show_settings(settings)
            form.setVisible(use.on)
            self.hears[treatment.name].setVisible(use.on)
            heard = self.desk.hear is Hear.RESIDUE and self.desk.taken_by == treatment.name
            self.hears[treatment.name].setText("Hear it treated again" if heard else "Hear what it takes")
            known = voiced.reductions.get(treatment.name) if voiced is not None else None
            if treatment.name != "equalise":
                deepest = "…" if known is None else f"{number(-float(known.heard.min(initial=0.0)))} dB"
                often = "…" if known is None else f"{100 * known.share_below(3.0):.0f} % of the time"
                for row, text in (("turns down by up to", deepest), ("by more than 3 dB", often)):
                    card.rows.show_row(row, text)
                    card.rows.set_row_visible(row, use.on)
            if treatment.name == "compress":
                for widget in (self.detection, self.follows):
                    widget.setVisible(use.on)
                self.detection.setCurrentIndex(self.detection.findData(settings.detection))
                self.follows.blockSignals(True)
                self.follows.setChecked(settings.follows)
                self.follows.blockSignals(False)
        self._show_reasons(lane)
        report = self.desk.report(lane)
        loudness = report.loudness.integrated_lufs if report else None
        self.cards["compress"].rows.show_row("loudness as recorded", with_unit(loudness, "LUFS"))
        eq = find_use(lane, "equalise")
        self.panes.refresh(lane, settings_from_plain(EqSettings, eq.settings), eq)

    def _show_reasons(self, lane) -> None:  # type: ignore[no-untyped-def]
        ideas = self.voices.tone_ideas(lane)
        if self.voices.spectrum(lane) is None:
            self.reasons.setText("measuring the voice …")
        elif ideas:
            self.reasons.setText("\n".join(f"{number(i.db)} dB: {i.because}".replace("dB: ", "dB · ", 1) for i in ideas))
        else:
            self.reasons.setText("Its tone is near that of most voices: nothing to suggest.")
