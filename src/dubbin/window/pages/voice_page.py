"""Voice: warm, clear, steady."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from dubbin.core.episode.commands import Change, change_use, find_use
from dubbin.core.treat.compressor import CompressorSettings, static_gain_db
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import TreatmentCard, label
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figures import number, with_unit
from dubbin.window.parts.plot import Plot
from dubbin.window.theme import Theme

ORDER = [t.name for t in VOICE]


class VoicePage(Page):
    def __init__(self, desk: Desk, selection: Selection, theme: Theme) -> None:
        super().__init__(desk, selection, theme)
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
        self.compressor = TreatmentCard(theme, "Compressor")
        self.compressor.switch.toggled.connect(
            lambda on: self._do(f"Compressor {'on' if on else 'off'} for LANE", on=on)
        )
        self.compressor.slider.changing.connect(lambda value: self._strength(value, final=False))
        self.compressor.slider.changed.connect(lambda value: self._strength(value, final=True))
        self.compressor.slider.given_up.connect(lambda: self.desk.document.end_preview())
        self.form = SettingsForm(CompressorSettings)
        self.form.edited.connect(self._on_setting)
        self.compressor.body.addWidget(self.form)
        self.column.addWidget(self.compressor)
        self.column.addStretch(1)
        pane = QWidget()
        pane.setObjectName("evidence")
        column = QVBoxLayout(pane)
        column.setContentsMargins(12, 6, 12, 4)
        self.caption = label("", "muted")
        column.addWidget(self.caption)
        self.plot = Plot(theme, "Compressor curve", "level in, dBFS", "level out, dBFS")
        self.plot.set_range((-60.0, 0.0), (-60.0, 0.0))
        self.plot.curve("as it comes", "line", 1.4, dashed=True)
        self.plot.curve("compressed", "saddle", 2.4)
        column.addWidget(self.plot, 1)
        self.evidence = pane
        self.connect_model()

    def _change(self, title: str, merge: str | None = None, **fields: object) -> Change | None:
        lane = self.desk.picked_lane
        if lane is None:
            return None
        key = f"{merge} {lane.id} compress" if merge else None
        base = self.desk.document.history.episode
        return change_use(
            base,
            lane.id,
            "compress",
            title.replace("LANE", lane.voice),
            order=ORDER,
            voicing=True,
            merge_key=key,
            **fields,
        )

    def _do(self, title: str, merge: str | None = None, **fields: object) -> None:
        change = self._change(title, merge, **fields)
        if change:
            self.desk.do(change)

    def _strength(self, value: float, *, final: bool) -> None:
        change = self._change(f"Compressor {value:.0f} % for LANE", "strength", strength=round(value))
        if change and final:
            self.desk.do(change)
        elif change:
            self.desk.preview(change)

    def _on_setting(self, name: str, value: float) -> None:
        lane = self.desk.picked_lane
        if lane:
            settings = {**find_use(lane, "compress").settings, name: value}
            self._do(f"{self.form.fields[name].info.label} for LANE", f"setting {name}", settings=settings)

    def refresh(self) -> None:
        lane = self.desk.picked_lane
        self.empty.setVisible(lane is None)
        self.compressor.setVisible(lane is not None)
        if lane is None:
            return
        use = find_use(lane, "compress")
        settings = settings_from_plain(CompressorSettings, use.settings)
        self.compressor.show_state(use.on, use.strength)
        self.form.show_settings(settings)
        self.form.setVisible(use.on)
        report = self.desk.report(lane)
        loudness = report.loudness if report else None
        self.compressor.rows.show_row(
            "loudness as recorded", with_unit(loudness.integrated_lufs, "LUFS") if loudness else "…"
        )
        reduction = float(static_gain_db(-6.0, settings)) * use.strength / 100
        self.compressor.rows.show_row("a peak at −6 dBFS comes down", f"{number(-reduction)} dB")
        level = np.linspace(-60.0, 0.0, 241)
        self.plot.show_curve("as it comes", level, level)
        if use.on:
            gain = 10 ** ((static_gain_db(level, settings) + settings.makeup_db) / 20)
            mixed = 1 - use.strength / 100 * (1 - gain)
            self.plot.show_curve("compressed", level, level + 20 * np.log10(mixed))
            self.caption.setText(f"What the compressor makes of {lane.voice}'s levels")
        else:
            self.plot.hide_curve("compressed")
            self.caption.setText(f"The compressor is off for {lane.voice}; switch it on to see its curve")
