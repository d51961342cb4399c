"""Repair: make it clean, but leave the voice alone."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.commands import Change, change_use, find_use
from dubbin.core.episode.model import Lane
from dubbin.core.measure.report import RecordingReport
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.registry import REPAIRS
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.treatment import Treatment
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import TreatmentCard, label, set_kind
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figures import number
from dubbin.window.parts.plot import Plot, frequency_ticks
from dubbin.window.theme import Theme

ORDER = [t.name for t in REPAIRS]
CURVES = (("recorded", "indigo"), ("treated", "saddle"), ("residue", "brick"))
DEFAULT_STRENGTH = 90


def use_is_active(lane: Lane) -> bool:
    return any(use.on for use in lane.repairs)


Read = Callable[[RecordingReport], float | None]
# For every treatment: name of its figure, unit, decimals, and where it stands in a report.
FIGURES: dict[str, tuple[str, str, int, Read]] = {
    "declip": ("clipped", "places", 0, lambda r: r.clipping.count),
    "declick": ("found", "clicks", 0, lambda r: r.clicks.count),
    "dehum": ("mains hum", "dBFS", 1, lambda r: r.hum.level_dbfs),
    "derumble": ("below 65 Hz", "dBFS", 1, lambda r: r.tone.rumble_dbfs),
    "denoise": ("noise floor", "dBFS", 1, lambda r: r.noise.floor_dbfs),
    "dereverb": ("room echo, RT60", "s", 2, lambda r: r.echo.rt60_s),
}


class RepairPage(Page):
    def __init__(self, desk: Desk, selection: Selection, theme: Theme) -> None:
        super().__init__(desk, selection, theme)
        self.cards: dict[str, TreatmentCard] = {}
        self.forms: dict[str, SettingsForm] = {}
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
        for treatment in REPAIRS:
            self._add_card(treatment)
        self.column.addStretch(1)
        self.evidence = self._evidence()
        self.connect_model()

    def _add_card(self, treatment: Treatment) -> None:
        card = TreatmentCard(self.theme, treatment.title)
        name = treatment.name
        card.switch.toggled.connect(lambda on: self._on_switched(name, on))
        card.slider.changing.connect(lambda value: self._on_strength(name, value, final=False))
        card.slider.changed.connect(lambda value: self._on_strength(name, value, final=True))
        card.slider.given_up.connect(lambda: self.desk.document.end_preview())
        form = SettingsForm(treatment.settings_type)
        form.edited.connect(lambda field, value: self._on_setting(name, field, value))
        card.body.addWidget(form)
        if name == "denoise":
            self.engine = QComboBox()
            self.engine.setAccessibleName("Engine")
            self.engine.setToolTip(
                "Neural knows voices and takes changing noise too; statistical is for steady noise and music."
            )
            for engine in Engine:
                self.engine.addItem(engine.value, engine)
            self.engine.activated.connect(self._on_engine)
            card.body.addWidget(self.engine)
            self.learn = QPushButton("Learn the noise from the selection")
            self.learn.setToolTip(
                "Select a stretch on the lanes in which nobody speaks; its sound is what will be taken down."
            )
            self.learn.clicked.connect(self._on_learn)
            card.body.addWidget(self.learn)
        self.cards[name], self.forms[name] = card, form
        self.column.addWidget(card)

    def _evidence(self) -> QWidget:
        pane = QWidget()
        pane.setObjectName("evidence")
        column = QVBoxLayout(pane)
        column.setContentsMargins(12, 6, 12, 4)
        column.setSpacing(2)
        head = QHBoxLayout()
        self._legend: list[tuple[QLabel, str]] = []
        self.plot_title = label("", "muted")
        head.addWidget(self.plot_title)
        head.addStretch(1)
        for name, colour in CURVES:
            key = label(f"■ {name}", "muted")
            self._legend.append((key, colour))
            head.addWidget(key)
        self._colour_legend()
        self.theme.changed.connect(self._colour_legend)
        column.addLayout(head)
        self.plot = Plot(self.theme, "Averaged spectrum", "Hz", "dBFS a twelfth of an octave")
        self.plot.getPlotItem().setLogMode(x=False)
        self.plot.set_range((float(np.log10(30)), float(np.log10(20000))), (-110.0, -25.0))
        self.plot.set_ticks("bottom", frequency_ticks())
        for name, colour in CURVES:
            self.plot.curve(name, colour, 1.4 if name == "residue" else 2.0)
        column.addWidget(self.plot, 1)
        return pane

    def _colour_legend(self) -> None:
        for key, colour in self._legend:
            key.setStyleSheet(f"color: {getattr(self.theme.colours, colour)};")

    # -- acts of the person -----------------------------------------------------------

    def _change(self, name: str, title: str, merge: str | None = None, **fields: object) -> Change | None:
        lane = self.desk.picked_lane
        if lane is None:
            return None
        title = title.replace("LANE", lane.voice)
        key = f"{merge} {lane.id} {name}" if merge else None
        base = self.desk.document.history.episode
        return change_use(base, lane.id, name, title, order=ORDER, merge_key=key, **fields)

    def _on_switched(self, name: str, on: bool) -> None:
        lane = self.desk.picked_lane
        if lane is None:
            return
        fields: dict[str, object] = {"on": on}
        fresh = all(u.name != name for u in lane.repairs)
        if on and fresh:
            fields["strength"] = self._suggested(lane, name) or DEFAULT_STRENGTH
        title = f"{self.cards[name].switch.accessibleName().split(' on or')[0]} {'on' if on else 'off'} for LANE"
        change = self._change(name, title, **fields)
        if change:
            self.desk.do(change)

    def _on_strength(self, name: str, value: float, *, final: bool) -> None:
        change = self._change(name, f"Strength {value:.0f} % for LANE", "strength", strength=round(value))
        if change and final:
            self.desk.do(change)
        elif change:
            self.desk.preview(change)

    def _on_setting(self, name: str, field: str, value: float) -> None:
        lane = self.desk.picked_lane
        if lane is None:
            return
        settings = {**find_use(lane, name).settings, field: value}
        title = f"{self.forms[name].fields[field].info.label} for LANE"
        change = self._change(name, title, f"setting {field}", settings=settings)
        if change:
            self.desk.do(change)

    def _on_engine(self) -> None:
        lane = self.desk.picked_lane
        if lane is not None:
            engine = self.engine.currentData()
            settings = {**find_use(lane, "denoise").settings, "engine": engine.value}
            change = self._change("denoise", f"{engine.value.capitalize()} engine for LANE", settings=settings)
            if change:
                self.desk.do(change)

    def _on_learn(self) -> None:
        lane, rate = self.desk.picked_lane, self.desk.episode.rate
        if lane is None:
            return
        use = find_use(lane, "denoise")
        if use.settings.get("noise_from_s"):
            settings = {k: v for k, v in use.settings.items() if k != "noise_from_s"}
            change = self._change("denoise", "Follow the noise by itself for LANE", settings=settings)
        elif self.selection.range is not None:
            start, end = ((f - lane.start_frame) / rate for f in self.selection.range)
            settings = {**use.settings, "engine": Engine.STATISTICAL.value, "noise_from_s": [max(start, 0.0), end]}
            strength = use.strength if use in lane.repairs else self._suggested(lane, "denoise") or DEFAULT_STRENGTH
            change = self._change(
                "denoise", "Learn the noise for LANE", settings=settings, on=True, strength=strength
            )
        else:
            change = None
            self.desk.said.emit("Select a stretch on the lanes in which only the noise is heard, then learn from it.")
        if change:
            self.desk.do(change)

    def _suggested(self, lane: Lane, name: str) -> int | None:
        report = self.desk.report(lane)
        return next((s.strength for s in report.suggested if s.treatment == name), None) if report else None

    # -- showing ----------------------------------------------------------------------

    def opened(self) -> None:
        super().opened()
        self.desk.want_evidence()

    def refresh(self) -> None:
        lane = self.desk.picked_lane
        self.empty.setVisible(lane is None)
        for treatment in REPAIRS:
            card = self.cards[treatment.name]
            card.setVisible(lane is not None)
            if lane is not None:
                self._show(lane, treatment, card)
        self._show_spectra(lane)

    def _show(self, lane: Lane, treatment: Treatment, card: TreatmentCard) -> None:
        use = find_use(lane, treatment.name)
        suggested = self._suggested(lane, treatment.name)
        strength = use.strength if use in lane.repairs else suggested or DEFAULT_STRENGTH
        card.show_state(use.on, strength, suggested)
        plain = {k: v for k, v in use.settings.items()}
        self.forms[treatment.name].show_settings(settings_from_plain(treatment.settings_type, plain))
        self.forms[treatment.name].setVisible(use.on)
        self._show_figures(lane, treatment.name, card, use.on)
        if treatment.name == "denoise":
            settings = settings_from_plain(DenoiseSettings, plain)
            self.engine.setCurrentIndex(list(Engine).index(settings.engine))
            self.engine.setVisible(use.on)
            self.learn.setVisible(use.on)
            form = self.forms["denoise"]
            form.setVisible(use.on and settings.engine is Engine.STATISTICAL)
            span = use.settings.get("noise_from_s")
            if span:
                self.learn.setText(f"Learned from {span[0]:.1f}–{span[1]:.1f} s · follow by itself")
            else:
                self.learn.setText("Learn the noise from the selection")

    def _show_figures(self, lane: Lane, name: str, card: TreatmentCard, on: bool) -> None:
        """The figure that the treatment is judged by, before and after, and why it is suggested."""
        report, after = self.desk.report(lane), self.desk.after(lane)
        row, unit, digits, read = FIGURES[name]
        before = number(read(report), digits) if report else "…"
        if on and use_is_active(lane):
            value = read(after) if after else None
            text = (
                f"{before} → {number(value, digits)} {unit}"
                if value is not None
                else f"{before} → {'none' if after else '…'}"
            )
        else:
            text = f"{before} {unit}"
        card.rows.show_row(row, text)
        reason = next((s.because for s in report.suggested if s.treatment == name), "") if report else ""
        card.setToolTip(f"Suggested: {reason}" if reason else "Nothing measured asks for it.")
        if not on:
            card.percent.setText("suggested" if reason else "not needed" if report else "")

    def _show_spectra(self, lane: Lane | None) -> None:
        spectra = self.desk.spectra(lane) if lane else {}
        for name, _ in CURVES:
            if name in spectra:
                spectrum = spectra[name]
                self.plot.show_curve(name, np.log10(spectrum.frequency_hz), np.maximum(spectrum.level_db, -130))
            else:
                self.plot.hide_curve(name)
        if lane is None:
            text = ""
        elif not spectra:
            text = f"Averaged spectrum of {lane.voice}: being computed …"
        else:
            text = f"Averaged spectrum of {lane.voice}, whole recording"
        self.plot_title.setText(text)
        set_kind(self.plot_title, "muted")
        self.plot_title.setAlignment(Qt.AlignmentFlag.AlignLeft)
