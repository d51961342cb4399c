"""Repair: make it clean, but leave the voice alone. The job card; what it is judged by stands in repair_evidence.py."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.commands import Change, change_use, find_use, remove_touch_up
from dubbin.core.episode.model import Lane, Stretch
from dubbin.core.measure.report import RecordingReport
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.registry import REPAIRS
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.treatment import Treatment
from dubbin.window.actions import Action
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.pages.repair_evidence import RepairEvidence
from dubbin.window.parts.card import Card, TreatmentCard, label
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figures import clock, number
from dubbin.window.theme import Theme

ORDER = [t.name for t in REPAIRS]
DEFAULT_STRENGTH = 90


SPEECH_ROW = "speech in the residue"


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
    shows_findings = True

    def __init__(
        self,
        desk: Desk,
        selection: Selection,
        theme: Theme,
        actions: dict[str, Action],
        hear_place: Callable[[int, int], None],
    ) -> None:
        super().__init__(desk, selection, theme)
        self._actions = actions
        self.only: dict[str, QPushButton] = {}
        self.cards: dict[str, TreatmentCard] = {}
        self.forms: dict[str, SettingsForm] = {}
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
        for treatment in REPAIRS:
            self._add_card(treatment)
        self._add_touch_ups()
        self.column.addStretch(1)
        self.panes = RepairEvidence(desk, theme, hear_place)
        self.evidence = self.panes
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
        only = QPushButton()
        only.setProperty("kind", "quiet")
        only.clicked.connect(lambda: self._on_only(name))
        card.body.addWidget(only)
        self.only[name] = only
        self.cards[name], self.forms[name] = card, form
        self.column.addWidget(card)

    def _add_touch_ups(self) -> None:
        self.touch_card = Card("Touch-ups")
        self.touch_card.body.addWidget(
            label("One sound in one place: hold Alt and drag a rectangle on a spectrogram (G shows it).", "muted", wrap=True)
        )
        row = QHBoxLayout()
        for id, text in (("touch-down", "Take down"), ("touch-fill", "Fill in")):
            button = QPushButton(text)
            action = self._actions[id]
            button.setToolTip(f"{action.text} ({action.keys[0]})")
            button.clicked.connect(lambda _=False, a=action: a.run())
            row.addWidget(button)
        self.touch_card.body.addLayout(row)
        self.touch_rows = QWidget()
        self.touch_list = QVBoxLayout(self.touch_rows)
        self.touch_list.setContentsMargins(0, 0, 0, 0)
        self.touch_list.setSpacing(2)
        self.touch_card.body.addWidget(self.touch_rows)
        self._touched: object = None
        self.column.addWidget(self.touch_card)

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
        title = f"{self.cards[name].title} {'on' if on else 'off'} for LANE"
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

    def _on_only(self, name: str) -> None:
        """Restrict a treatment to the selected stretch, one more if there are some, or apply it everywhere again."""
        lane = self.desk.picked_lane
        if lane is None:
            return
        use, span = find_use(lane, name), self.selection.range
        if span is not None:
            stretch = Stretch(max(span[0] - lane.start_frame, 0), max(span[1] - lane.start_frame, 0))
            title = f"{self.cards[name].title} only on a stretch for LANE"
            change = self._change(name, title, spans=tuple(sorted({*use.spans, stretch})))
        elif use.spans:
            change = self._change(name, f"{self.cards[name].title} everywhere for LANE", spans=())
        else:
            change = None
            self.desk.said.emit("Select a stretch on the lanes first; the treatment is then applied there alone.")
        if change:
            self.desk.do(change)

    def _suggested(self, lane: Lane, name: str) -> int | None:
        """The strength that the findings ask for, no further than the voice allows."""
        report, guard = self.desk.report(lane), self.desk.guard(lane, name)
        found = next((s.strength for s in report.suggested if s.treatment == name), None) if report else None
        if found is None or guard is None:
            return found
        return min(found, int(100 * guard.highest_strength))

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
        self.touch_card.setVisible(lane is not None)
        if lane is not None:
            self._show_touch_ups(lane)
        self.panes.show_lane(lane)

    def _show(self, lane: Lane, treatment: Treatment, card: TreatmentCard) -> None:
        use = find_use(lane, treatment.name)
        suggested = self._suggested(lane, treatment.name)
        strength = use.strength if use in lane.repairs else suggested or DEFAULT_STRENGTH
        card.show_state(use.on, strength, suggested)
        plain = {k: v for k, v in use.settings.items()}
        self.forms[treatment.name].show_settings(settings_from_plain(treatment.settings_type, plain))
        self.forms[treatment.name].setVisible(use.on)
        self._show_figures(lane, treatment.name, card, use.on)
        only = self.only[treatment.name]
        only.setVisible(use.on)
        count = len(use.spans)
        where = f"on {count} stretch{'es' if count != 1 else ''}"
        only.setText(f"Applied {where} · everywhere again" if count else "Only on the selection")
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
            text = f"{before} {unit}" if report is None or read(report) is not None else "none"
        card.rows.show_row(row, text)
        self._show_guard(lane, name, card, on)
        reason = next((s.because for s in report.suggested if s.treatment == name), "") if report else ""
        card.setToolTip(f"Suggested: {reason}" if reason else "Nothing measured asks for it.")
        if not on:
            card.percent.setText("suggested" if reason else "not needed" if report else "")

    def _show_guard(self, lane: Lane, name: str, card: TreatmentCard, on: bool) -> None:
        """The voice in the residue, and a warning from where it can be heard."""
        guard, strength = self.desk.guard(lane, name), find_use(lane, name).strength / 100.0
        card.rows.set_row_visible(SPEECH_ROW, on)
        if not on:
            return
        level = guard.at(strength) if guard else None
        if guard is None:
            card.rows.show_row(SPEECH_ROW, "…")
        elif level is None:
            card.rows.show_row(SPEECH_ROW, "none")
        elif guard.is_audible(strength):
            card.rows.show_row(SPEECH_ROW, f"{number(level, 0)} dB ▲ audible", "bad")
        else:
            card.rows.show_row(SPEECH_ROW, f"{number(level, 0)} dB ✓", "good")

    def _show_touch_ups(self, lane: Lane) -> None:
        if self._touched == (lane.id, lane.touch_ups):
            return
        self._touched = (lane.id, lane.touch_ups)
        while self.touch_list.count():
            item = self.touch_list.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        self.touch_card.set_active(bool(lane.touch_ups))
        for spot in lane.touch_ups:
            what = "filled in" if spot.depth_db is None else f"−{spot.depth_db:.0f} dB"
            text = f"{clock(spot.start_s, 2)}, {spot.low_hz / 1000:.1f}–{spot.high_hz / 1000:.1f} kHz, {what} · put back"
            button = QPushButton(text)
            button.setProperty("kind", "quiet")
            button.clicked.connect(
                lambda _=False, s=spot: self.desk.do(remove_touch_up(self.desk.episode, lane.id, s))
            )
            self.touch_list.addWidget(button)
