"""What Repair is judged by: averaged spectra with noise floor, hum and tones, the places of findings, and how echo dies away."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.episode.model import Lane
from dubbin.core.figures import clock, with_unit
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr, tr_count
from dubbin.window.parts.card import label
from dubbin.window.parts.plot import Plot, frequency_ticks
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.table import FigureTable
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session

CURVES = (("recorded", "indigo"), ("treated", "saddle"), ("removed", "brick"))
MOST_PLACES = 500
HUM_LINES = 12


class RepairEvidence(QWidget):
    def __init__(self, session: Session, theme: Theme, hear_place: Callable[[int, int], None]) -> None:
        super().__init__()
        self.setObjectName("evidence")
        self._session, self._theme, self._hear_place = session, theme, hear_place
        self._lane: Lane | None = None
        self._places: list[tuple[float, float]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 4)
        column.setSpacing(2)
        head = QHBoxLayout()
        choices = [("spectrum", tr("Spectrum"), ""), ("places", tr("Places"), ""), ("echo", tr("Echo"), "")]
        self.choice = Segments(theme, tr("What the pane shows"), choices, {})
        head.addWidget(self.choice)
        head.addSpacing(10)
        self.title = label("", "muted", wrap=True)
        head.addWidget(self.title, 1)
        column.addLayout(head)
        self.stack = QStackedWidget()
        self.plot = self._spectrum_plot()
        self.table = FigureTable(
            tr("Places"),
            (tr("Time"), tr("Finding"), tr("Severity"), tr("Place")),
            1,
            tr("No finding of this recording has a place of its own: what was found is everywhere, or nothing was."),
        )
        self.table.cellClicked.connect(self._on_place)
        self.echo = self._echo_plot()
        for widget in (self.plot, self.table, self.echo):
            self.stack.addWidget(widget)
        column.addWidget(self.stack, 1)
        self.choice.chosen.connect(self._on_choice)

    def _spectrum_plot(self) -> Plot:
        plot = Plot(self._theme, tr("Averaged spectrum"), tr("Hz"), tr("dBFS per 1/12 octave"))
        plot.getPlotItem().setLogMode(x=False)
        plot.set_range((float(np.log10(30)), float(np.log10(20000))), (-110.0, -25.0))
        plot.set_ticks("bottom", frequency_ticks())
        for name, colour in CURVES:
            plot.curve(name, colour, 1.4 if name == "removed" else 2.0)
            plot.name_curve(name, name)
        plot.curve("hum", "thread", 1.2, dashed=True)
        return plot

    def _echo_plot(self) -> Plot:
        plot = Plot(self._theme, tr("Echo decay"), tr("seconds after a word ends"), "dB")
        plot.set_range((0.0, 0.6), (-50.0, 2.0))
        plot.curve("recorded", "indigo")
        plot.curve("treated", "saddle")
        for name, text in (("recorded", tr("recorded")), ("treated", tr("treated"))):
            plot.name_curve(name, text)
        return plot

    def _on_choice(self, key: str) -> None:
        self.stack.setCurrentIndex(("spectrum", "places", "echo").index(key))
        self.show_lane(self._lane)

    def _on_place(self, row: int, column: int) -> None:
        if self._lane is not None and row < len(self._places):
            rate, start = self._session.episode.rate, self._lane.start_frame
            a, b = self._places[row]
            self._hear_place(start + round(a * rate), start + round(b * rate))

    def show_lane(self, lane: Lane | None) -> None:
        """Show what is known of a lane."""
        self._lane = lane
        which = self.choice.current
        if lane is None:
            self.title.setText("")
        elif which == "spectrum":
            self._show_spectra(lane)
        elif which == "places":
            self._show_places(lane)
        else:
            self._show_echo(lane)
        self.title.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)

    def _show_spectra(self, lane: Lane) -> None:
        spectra = self._session.analyses.spectra(lane)
        for name, _ in CURVES:
            if name in spectra:
                spectrum = spectra[name]
                self.plot.show_curve(name, np.log10(spectrum.frequency_hz), np.maximum(spectrum.level_db, -130))
            else:
                self.plot.hide_curve(name)
        report, after = self._session.analyses.report(lane), self._session.analyses.after(lane)
        self._show_steady(report)
        if not spectra:
            self.title.setText(tr("{voice}: being computed …").format(voice=lane.voice))
            return
        before = report.noise.floor_text if report else with_unit(None, "dBFS")
        text = tr("{voice}, whole recording. Noise floor {before}").format(voice=lane.voice, before=before)
        if after is not None:
            text += f" → {after.noise.floor_text}"
        self.title.setText(text)

    def _show_steady(self, report: RecordingReport | None) -> None:
        """A dashed line at each of the lowest tones of the hum, and at every other steady tone."""
        tones = list(report.tones.frequencies_hz) if report else []
        if report and report.hum.fundamental_hz is not None:
            tones += [k * report.hum.fundamental_hz for k in range(1, HUM_LINES + 1)]
        if not tones:
            self.plot.hide_curve("hum")
            return
        x, y = [], []
        for frequency in tones:
            at = float(np.log10(frequency))
            x += [at, at, np.nan]
            y += [-110.0, -25.0, np.nan]
        self.plot.show_curve("hum", np.array(x), np.array(y))

    def _show_places(self, lane: Lane) -> None:
        report = self._session.analyses.report(lane)
        rows = [(p, n, f) for f in self._session.analyses.findings(lane) for n, p in enumerate(sorted(f.places_s), 1)]
        rows.sort(key=lambda row: row[:2])
        self._places = [p for p, _, _ in rows[:MOST_PLACES]]
        self.table.setRowCount(len(self._places))
        for k, (place, number, finding) in enumerate(rows[:MOST_PLACES]):
            which = tr("{k} of {count}").format(k=number, count=len(finding.places_s))
            self.table.show_row(
                k, (clock(place[0], 2), finding.title, tr(finding.severity.value), which), tip=tr("Click to go there and hear it.")
            )
        more = tr(", the first {most_places} shown").format(most_places=MOST_PLACES) if len(rows) > MOST_PLACES else ""
        none = tr("no finding has a place of its own") if report else tr("being measured …")
        self.title.setText(
            tr_count(
                "{voice}: {count} place; click it to hear it",
                "{voice}: {count} places{more}; click one to hear it",
                len(rows),
                voice=lane.voice,
                more=more,
            )
            if rows
            else f"{lane.voice}: {none}"
        )

    def _show_echo(self, lane: Lane) -> None:
        decays = self._session.analyses.decays(lane)
        for name in ("recorded", "treated"):
            decay = decays.get(name)
            if decay is not None and len(decay.time_s):
                self.echo.show_curve(name, decay.time_s, decay.level_db)
            else:
                self.echo.hide_curve(name)
        report, after = self._session.analyses.report(lane), self._session.analyses.after(lane)
        text = tr("{voice}: how words die away. RT60 {rt60_s}").format(
            voice=lane.voice, rt60_s=with_unit(report.echo.rt60_s if report else None, "s", 2)
        )
        if after is not None:
            text += f" → {with_unit(after.echo.rt60_s, 's', 2)}"
        self.title.setText(text)
