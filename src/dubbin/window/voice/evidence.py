"""What the Voice step is judged by: the EQ over the voice's spectrum, the compressor's curve, how far each treatment turns down, before and after."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.episode.commands.treatments import find_use
from dubbin.core.episode.model import Lane, TreatmentUse
from dubbin.core.figures import with_unit
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix.reduction import STEP_S
from dubbin.core.texts import tr
from dubbin.core.treat.compressor import CompressorSettings, static_gain_db
from dubbin.core.treat.equalise import EqSettings
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.settings import numbers, settings_from_plain
from dubbin.window.parts.card import label
from dubbin.window.parts.fields import FigureField
from dubbin.window.parts.plot import Plot
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.table import FigureTable
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session
from dubbin.window.voice.eq_plot import EqPlot
from dubbin.window.voice.voices import Voices

TABS = (("eq", "EQ"), ("curve", tr("Compressor")), ("reduction", tr("Gain reduction")), ("figures", tr("Before and after")))
DRAWN = {"expand": ("indigo", 1.2), "deess": ("thread", 1.4), "compress": ("saddle", 1.8)}
COLUMNS = (tr("Figure"), tr("Before"), tr("After"))


class VoiceEvidence(QWidget):
    def __init__(self, session: Session, theme: Theme, voices: Voices) -> None:
        super().__init__()
        self.setObjectName("evidence")
        self._session, self._voices = session, voices
        self.tabs = Segments(theme, tr("What is shown"), [(key, title, "") for key, title in TABS], {key: "saddle" for key, _ in TABS})
        self.caption = label("", "muted", wrap=True)
        self.eq = EqPlot(theme)
        self.curve = Plot(theme, tr("Compressor curve"), tr("level in, dBFS"), tr("level out, dBFS"))
        self.curve.set_range((-60.0, 0.0), (-60.0, 0.0))
        self.curve.curve("uncompressed", "line", 1.4, dashed=True)
        self.curve.curve("compressed", "saddle", 2.4)
        self.curve.name_curve("uncompressed", tr("uncompressed"))
        self.curve.name_curve("compressed", tr("compressed"))
        self.history = Plot(theme, tr("Gain reduction"), tr("session time"), tr("gain reduction, dB"), clock_axis=True)
        self.shares = Plot(theme, tr("Gain reduction, share of time"), tr("gain reduction, dB"), tr("share of the time, %"))
        for name, (colour, width) in DRAWN.items():
            self.history.curve(name, colour, width)
            self.shares.curve(name, colour, 2.0)
            self.history.name_curve(name, TREATMENTS[name].title)
            self.shares.name_curve(name, TREATMENTS[name].title)
        self.figures = FigureTable(tr("Before and after"), COLUMNS, 0)
        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.history, 3)
        row.addWidget(self.shares, 2)
        self.pages = QStackedWidget()
        for widget in (self._eq_page(), self.curve, both, self.figures):
            self.pages.addWidget(widget)
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 0, 0)
        head.addWidget(self.tabs)
        head.addSpacing(10)
        head.addWidget(self.caption, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 4)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.pages, 1)
        self.tabs.chosen.connect(self.show_tab)

    def _eq_page(self) -> QWidget:
        """The curve, and the figures of its picked point to be typed."""
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.eq, 1)
        row = QHBoxLayout()
        self.point = label("", "strong")
        row.addWidget(self.point)
        self.typed: dict[str, FigureField] = {}
        for info in numbers(EqSettings):
            field = FigureField(info)
            field.valueChanged.connect(lambda value, n=info.name: self.eq.type_in(n, value))
            field.hide()
            self.typed[info.name] = field
            row.addWidget(field)
        row.addStretch(1)
        column.addLayout(row)
        self.eq.picked.connect(self._show_point)
        return page

    def _show_point(self) -> None:
        handle = self.eq.handle
        shown = [name for name in (handle.hz, handle.db, handle.q) if name is not None]
        self.point.setText(self.typed[handle.db or handle.hz].info.label)
        for name, field in self.typed.items():
            field.setVisible(name in shown)
            field.show_value(getattr(self.eq.settings, name))

    def show_tab(self, key: str) -> None:
        self.tabs.show_choice(key)
        self.pages.setCurrentIndex([k for k, _ in TABS].index(key))
        lane = self._session.picked_lane
        if lane is not None:
            self._show_caption(lane)

    def refresh(self, lane: Lane, settings: EqSettings, use: TreatmentUse) -> None:
        strength = use.strength / 100 * lane.voice_strength / 100
        self.eq.show_state(settings, use.on, strength if use.on else 1.0, self._voices.spectrum(lane))
        self._show_point()
        self._show_curve(lane)
        self._show_reductions(lane)
        self._show_figures(lane)
        self._show_caption(lane)

    def _show_caption(self, lane: Lane) -> None:
        texts = {
            "eq": tr("shaded: this voice · dotted: a typical one · wheel: width of a bell"),
            "curve": tr("What the compressor makes of {voice}'s levels").format(voice=lane.voice),
            "reduction": tr("At the left through time, at the right how often"),
            "figures": tr("{voice}, before and after the voice treatments").format(voice=lane.voice),
        }
        self.caption.setText(texts[self.tabs.current])

    def _show_curve(self, lane: Lane) -> None:
        use = find_use(lane, "compress")
        level = np.linspace(-60.0, 0.0, 241)
        self.curve.show_curve("uncompressed", level, level)
        if not use.on:
            self.curve.hide_curve("compressed")
            return
        settings = settings_from_plain(CompressorSettings, use.settings)
        gain = 10 ** ((static_gain_db(level, settings) + settings.makeup_db) / 20)
        strength = use.strength / 100 * lane.voice_strength / 100 * settings.mix / 100
        self.curve.show_curve("compressed", level, level + 20 * np.log10(1 - strength * (1 - gain)))

    def _show_reductions(self, lane: Lane) -> None:
        voiced = self._voices.voiced(lane)
        deepest = 6.0
        for name in DRAWN:
            known = voiced.reductions.get(name) if voiced is not None else None
            if known is None or not len(known.heard):
                self.history.hide_curve(name)
                self.shares.hide_curve(name)
                continue
            gain = known.gain_db.astype(float)
            if name == "compress":
                use = find_use(lane, name)
                gain = gain - settings_from_plain(CompressorSettings, use.settings).makeup_db
            seconds = lane.start_frame / self._session.episode.rate + (np.arange(len(gain)) + 0.5) * STEP_S
            step = max(1, len(gain) // 3000)
            whole = len(gain) // step * step
            with np.errstate(all="ignore"):
                lowest = np.fmin.reduce(gain[:whole].reshape(-1, step), axis=1)
            self.history.show_curve(name, seconds[:whole:step], lowest)
            heard = gain[np.isfinite(gain)]
            edges = np.arange(-24.0, 0.5, 0.5)
            counts, _ = np.histogram(heard, edges)
            self.shares.show_curve(name, (edges[:-1] + edges[1:]) / 2, 100.0 * counts / max(len(heard), 1))
            deepest = max(deepest, -float(np.quantile(heard, 0.002)))
        frames = self._session.episode.frames / self._session.episode.rate
        self.history.set_range((0.0, max(frames, 1.0)), (-deepest - 1.0, 1.0))
        self.shares.set_range((-deepest - 1.0, 0.0), (0.0, 40.0))

    def _show_figures(self, lane: Lane) -> None:
        before, voiced = self._voices.before(lane), self._voices.voiced(lane)
        after = voiced.report if voiced is not None else None
        rows = [
            (title, *(with_unit(figure(r) if r is not None else None, unit) for r in (before, after))) for title, unit, figure in FIGURES
        ]
        self.figures.setRowCount(len(rows))
        for k, values in enumerate(rows):
            self.figures.show_row(k, values)


def _crest_db(report: RecordingReport) -> float | None:
    loudness = report.loudness
    if loudness.sample_peak_dbfs is None or loudness.integrated_lufs is None:
        return None
    return loudness.sample_peak_dbfs - loudness.integrated_lufs


FIGURES: tuple[tuple[str, str, Callable[[RecordingReport], float | None]], ...] = (
    (tr("loudness"), "LUFS", lambda r: r.loudness.integrated_lufs),
    (tr("loudness range"), "LU", lambda r: r.loudness.range_lu),
    (tr("crest factor"), "dB", _crest_db),
    (tr("sibilance above usual"), "dB", lambda r: r.tone.sibilance_excess_db),
    (tr("noise floor under the voice"), "dB", lambda r: r.noise.snr_db),
    (tr("true peak"), "dBTP", lambda r: r.loudness.true_peak_dbtp),
)
