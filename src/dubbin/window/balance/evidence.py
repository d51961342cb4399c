"""What the balance is judged by: loudness through time, every voice's own, how far apart they are, and the meters."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from dubbin.core.figures import with_unit
from dubbin.core.measure.history import LoudnessHistory
from dubbin.core.mix.balance_report import BalanceReport
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.meter_panel import MeterPanel
from dubbin.window.parts.plot import Plot
from dubbin.window.parts.table import FigureTable
from dubbin.window.parts.theme import Theme

COLUMNS = (tr("Voice"), tr("Before"), tr("In the program"))
VOICE_COLOURS = ("indigo", "fern", "thread", "brick")
LOWEST_LUFS = -46.0
POINTS = 400  # of a voice: as many as can be told apart


class BalanceEvidence(QWidget):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("evidence")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 6)
        row.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(2)
        self.caption = label("", "muted")
        left.addWidget(self.caption)
        self.plot = Plot(theme, tr("Loudness history"), tr("program time"), "LUFS", clock_axis=True)
        self.plot.curve("momentary", "wash", 1.0)
        for k in range(len(VOICE_COLOURS)):
            self.plot.curve(f"voice {k}", VOICE_COLOURS[k], 1.4)
        self.plot.curve("short-term", "saddle", 1.8)
        self.plot.curve("integrated", "saddle", 1.2, dashed=True)
        left.addWidget(self.plot, 1)
        row.addLayout(left, 5)
        right = QVBoxLayout()
        right.setSpacing(4)
        self.meters = MeterPanel(theme)
        right.addWidget(self.meters)
        self.table = FigureTable(tr("Loudness of the voices"), COLUMNS, stretched=0)
        right.addWidget(self.table, 1)
        row.addLayout(right, 4)

    def show_history(self, history: LoudnessHistory | None, has_lanes: bool) -> None:
        if history is None or not len(history.times_s):
            self.caption.setText(tr("The program's loudness is being measured …") if has_lanes else "")
            for name in ("momentary", "short-term", "integrated"):
                self.plot.hide_curve(name)
            return
        end = max(float(history.times_s[-1]) + 1.5, 1.0)
        self.plot.set_range((0.0, end), (LOWEST_LUFS, -8.0))
        self.plot.show_curve("momentary", history.times_s, np.maximum(history.momentary, LOWEST_LUFS))
        self.plot.show_curve("short-term", history.times_s, np.maximum(history.short_term, LOWEST_LUFS))
        level = history.loudness.integrated_lufs
        if level is None:
            self.plot.hide_curve("integrated")
        else:
            self.plot.show_curve("integrated", np.array([0.0, end]), np.full(2, level))

    def show_voices(self, report: BalanceReport, measured: bool) -> None:
        for k in range(len(VOICE_COLOURS)):
            if k < len(report.voices):
                self.plot.show_curve(f"voice {k}", *report.voices[k].course(POINTS))
                self.plot.name_curve(f"voice {k}", report.voices[k].voice)
            else:
                self.plot.hide_curve(f"voice {k}")
        if measured:
            self.caption.setText(tr("Short-term loudness; pale: momentary"))
            self.plot.name_curve("short-term", tr("program"))
            self.plot.name_curve("integrated", tr("integrated"))
        self.table.setRowCount(len(report.voices))
        for row, voice in enumerate(report.voices):
            self.table.show_row(row, (voice.voice, with_unit(voice.before_lufs, "LUFS"), with_unit(voice.after_lufs, "LUFS")))
