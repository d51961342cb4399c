"""One treatment of the picked lane on a job card: switch, strength and settings, and what each of them does."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.treatments import change_use, find_use
from dubbin.core.episode.model import Lane, TreatmentUse
from dubbin.core.texts import tr
from dubbin.core.treat.settings import FieldInfo, describe, settings_from_plain
from dubbin.core.treat.treatment import Treatment
from dubbin.window.parts.card import TreatmentCard
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.shell.shared import Shared


class TreatmentSection(QObject):
    """Made from the treatment and its settings alone: a new treatment needs nothing here.

    default_strength: of one that was never on, where nothing is suggested. names: the settings that stand on the card; none: all of them.
    """

    changed = pyqtSignal()

    def __init__(self, shared: Shared, treatment: Treatment, *, default_strength: int = 100, names: tuple[str, ...] = ()) -> None:
        super().__init__()
        self._session, self._selection = shared.session, shared.selection
        self.treatment, self._default = treatment, default_strength
        self._suggested: int | None = None
        self._infos = {info.name: info for info in describe(treatment.settings_type)}
        self.card = TreatmentCard(shared.theme, treatment.title)
        self.form = SettingsForm(treatment.settings_type, names)
        self.card.body.addWidget(self.form)
        self._when_on: list[QWidget] = [self.form]
        self.card.switch.toggled.connect(self._on_switched)
        self.card.slider.changing.connect(lambda value: self._on_strength(value, final=False))
        self.card.slider.changed.connect(lambda value: self._on_strength(value, final=True))
        self.card.slider.given_up.connect(self._session.end_preview)
        self.form.edited.connect(self._on_setting)
        self.form.span_wanted.connect(self._on_span)

    def add(self, widget: QWidget) -> None:
        """One more widget on the card, seen while the treatment is on."""
        self.card.body.addWidget(widget)
        self._when_on.append(widget)

    # -- acts of the person -----------------------------------------------------------

    def change(self, title: str, merge: str | None = None, **fields: Any) -> Change | None:
        """A change of the picked lane's treatment; None where there is no lane. merge: changes of a kind that follow one another make one step."""
        lane = self._session.picked_lane
        if lane is None:
            return None
        key = f"{merge} {lane.id} {self.treatment.name}" if merge else None
        return change_use(
            self._session.document.history.episode,
            lane.id,
            self.treatment.name,
            tr("{title} for {voice}").format(title=title, voice=lane.voice),
            merge_key=key,
            **fields,
        )

    def do(self, change: Change | None, final: bool = True) -> None:
        if change is not None:
            (self._session.do if final else self._session.preview)(change)

    def _on_switched(self, on: bool) -> None:
        lane = self._session.picked_lane
        if lane is None:
            return
        fields: dict[str, Any] = {"on": on}
        if on:
            fields["strength"] = self._strength(lane)
        self.do(self.change((tr("{title} on") if on else tr("{title} off")).format(title=self.treatment.title), **fields))

    def _on_strength(self, value: float, *, final: bool) -> None:
        self.do(self.change(f"{self.treatment.title} {value:.0f} %", "strength", strength=round(value)), final)

    def _on_setting(self, name: str, value: object) -> None:
        lane = self._session.picked_lane
        if lane is not None:
            settings = {**find_use(lane, self.treatment.name).settings, name: value}
            self.do(self.change(self._infos[name].label, f"setting {name}", settings=settings))

    def _on_span(self, name: str) -> None:
        """Take the selection over into a setting that is a span; let go of it where it is set."""
        lane, rate, info = self._session.picked_lane, self._session.episode.rate, self._infos[name]
        if lane is None:
            return
        known = find_use(lane, self.treatment.name).settings
        if known.get(name):
            self.do(self.change(f"{info.label}: {info.clear}", settings={k: v for k, v in known.items() if k != name}))
        elif self._selection.range is not None:
            self._learn(lane, info, [(frame - lane.start_frame) / rate for frame in self._selection.range])
        else:
            self._session.said.emit(info.ask)

    def _learn(self, lane: Lane, info: FieldInfo, span_s: list[float]) -> None:
        settings = {**find_use(lane, self.treatment.name).settings, **info.implies, info.name: [max(span_s[0], 0.0), span_s[1]]}
        self.do(self.change(info.label, settings=settings, on=True, strength=self._strength(lane)))

    def _strength(self, lane: Lane) -> int:
        """As it is; where the treatment was never on, as it is suggested."""
        use = find_use(lane, self.treatment.name)
        return use.strength if use in (*lane.repairs, *lane.voice_chain) else self._suggested or self._default

    # -- showing ----------------------------------------------------------------------

    def show_lane(self, lane: Lane, suggested: int | None = None) -> TreatmentUse:
        """Show the treatment as a lane has it; suggested: its strength, where one is."""
        self._suggested = suggested
        use = find_use(lane, self.treatment.name)
        self.card.show_state(use.on, self._strength(lane), suggested)
        self.form.show_settings(settings_from_plain(self.treatment.settings_type, use.settings))
        for widget in self._when_on:
            widget.setVisible(use.on)
        return use
