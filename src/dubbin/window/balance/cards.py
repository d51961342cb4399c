"""The sheets of the Balance page: a strip a lane, and what is set for the picked one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QPushButton

from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling
from dubbin.core.episode.commands.balance import (
    change_balance,
    change_bed,
    place_bed,
    put_under,
    set_fades,
    set_level,
    set_mute,
    set_pan,
    set_polarity,
    set_solo,
)
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Lane
from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.core.treat.settings import FieldInfo
from dubbin.window.parts.card import Card, TreatmentCard, label
from dubbin.window.parts.fields import FigureField, SettingsForm
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session

LOW_DB, HIGH_DB = -30.0, 18.0
PARTS: dict[str, tuple[str, type]] = {
    "levelling": (tr("Levelling"), Levelling), "bleed": (tr("Bleed control"), BleedControl), "ducking": (tr("Ducking"), Ducking),
}  # fmt: skip


class LevelCard(Card):
    """One lane: level, pan, mute, solo, polarity."""

    def __init__(self, session: Session, lane_id: str, theme: Theme) -> None:
        super().__init__()
        self._session, self._lane_id = session, lane_id
        head = QHBoxLayout()
        head.setSpacing(4)
        self.name, self.figure = label("", "strong"), label("", "strong")
        self.mute, self.solo, self.polarity = QPushButton("M"), QPushButton("S"), QPushButton("Ø")
        for button, text in ((self.mute, tr("Mute")), (self.solo, tr("Solo")), (self.polarity, tr("Invert polarity"))):
            button.setProperty("kind", "letter")
            button.setCheckable(True)
            button.setToolTip(text)
            button.setAccessibleName(text)
        head.addWidget(self.name, 1)
        head.addWidget(self.figure)
        for button in (self.mute, self.solo, self.polarity):
            head.addWidget(button)
        self.body.addLayout(head)
        self.slider = MarkedSlider(theme, tr("Level"), LOW_DB, HIGH_DB, 0.1, origin=0.0)
        self.slider.setToolTip(tr("Level of the lane in dB; double-click sets it back to 0 dB."))
        self.body.addWidget(self.slider)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.pan = MarkedSlider(theme, tr("Pan"), -100.0, 100.0, 1.0, origin=0.0)
        self.pan.setToolTip(tr("Left or right; equally loud everywhere. Double-click sets it to the centre."))
        self.place = label("", "muted")
        self.place.setFixedWidth(52)
        row.addWidget(label(tr("pan"), "muted"))
        row.addWidget(self.pan, 1)
        row.addWidget(self.place)
        self.body.addLayout(row)
        self.body.setSpacing(3)
        self.mute.clicked.connect(lambda on: session.do(set_mute(session.episode, lane_id, on)))
        self.solo.clicked.connect(lambda on: session.do(set_solo(session.episode, lane_id, on)))
        self.polarity.clicked.connect(lambda on: session.do(set_polarity(session.episode, lane_id, on)))
        self._connect(self.slider, set_level)
        self._connect(self.pan, set_pan)

    def _connect(self, slider: MarkedSlider, change: Callable[..., Change]) -> None:
        def final(value: float) -> None:
            self._session.do(change(self._session.document.history.episode, self._lane_id, value))
            self._session.end_merge()

        slider.changing.connect(lambda v: self._session.preview(change(self._session.document.history.episode, self._lane_id, v)))
        slider.changed.connect(final)
        slider.given_up.connect(self._session.end_preview)

    def refresh(self, lane: Lane, picked: bool) -> None:
        self.name.setText(lane.voice)
        self.figure.setText(f"{'+' if lane.level_db > 0 else ''}{number(lane.level_db)} dB")
        self.mute.setChecked(lane.mute)
        self.solo.setChecked(lane.solo)
        self.polarity.setChecked(lane.invert)
        self.set_active(picked)
        self.place.setText(
            tr("centre")
            if lane.pan == 0
            else (tr("{pan} left") if lane.pan < 0 else tr("{pan} right")).format(pan=number(abs(lane.pan), 0))
        )
        if not self.slider.is_dragged:
            self.slider.show_value(lane.level_db, 0.0)
        if not self.pan.is_dragged:
            self.pan.show_value(lane.pan, 0.0)


class PartCard(TreatmentCard):
    """Levelling, bleed control or ducking of the picked lane."""

    def __init__(self, session: Session, part: str, theme: Theme, others: Callable[[], list[Lane]]) -> None:
        """others: the lanes that `Same for all` gives these settings to."""
        title, settings_type = PARTS[part]
        super().__init__(theme, title, strength=False)
        self._session, self._part, self._others = session, part, others
        self.form = SettingsForm(settings_type)
        self.body.addWidget(self.form)
        self.all = QPushButton(tr("Same for all"))
        self.all.setProperty("kind", "quiet")
        self.all.setToolTip(tr("Give all other lanes of this kind these settings."))
        self.body.addWidget(self.all)
        self.switch.toggled.connect(
            lambda on: self._change((tr("{title} on for LANE") if on else tr("{title} off for LANE")).format(title=title), on=on)
        )
        self.form.edited.connect(
            lambda name, value: self._change(
                tr("{label} for LANE").format(label=self.form.fields[name].info.label), f"{part} {name}", **{name: value}
            )
        )
        self.all.clicked.connect(self._on_all)

    def _change(self, title: str, merge: str | None = None, **fields: Any) -> None:
        lane = self._session.picked_lane
        if lane is not None:
            key = f"{merge} {lane.id}" if merge else None
            self._session.do(change_balance(self._session.episode, [lane.id], self._part, title.replace("LANE", lane.voice), key, **fields))

    def _on_all(self) -> None:
        lane = self._session.picked_lane
        if lane is not None:
            settings = getattr(lane, self._part)
            fields = {name: getattr(settings, name) for name in (*self.form.fields, "on")}
            ids = [other.id for other in self._others()]
            self._session.do(
                change_balance(
                    self._session.episode,
                    ids,
                    self._part,
                    tr("{title}: all like {voice}").format(title=self.title, voice=lane.voice),
                    **fields,
                )
            )

    def refresh(self, lane: Lane, note: str = "") -> None:
        settings = getattr(lane, self._part)
        self.switch.show_state(settings.on)
        self.set_active(settings.on)
        self.form.setVisible(settings.on)
        self.form.show_settings(settings)
        self.all.setVisible(settings.on and len(self._others()) > 1)
        self.percent.setText(note if settings.on else tr("off"))


def seconds_field(name: str, help: str, high: float = 600.0) -> FigureField:
    return FigureField(FieldInfo(name, name, 0.0, high, "s", help, 0.0))


class PlaceCard(Card):
    """Fades of the picked lane; and where it lies: in the session, or under the program with trim, length and loop."""

    def __init__(self, session: Session, theme: Theme, head: Callable[[], int]) -> None:
        """head: the play head's session frame."""
        super().__init__()
        self._session, self._head = session, head
        row = QHBoxLayout()
        row.setSpacing(9)
        self.under = Switch(theme, tr("Under the program"))
        self.under_label = label(tr("Under the program"), "strong")
        self.under_label.setToolTip(
            tr("It sounds on over every cut, from where it begins; otherwise it lies in the session and is cut with the voices.")
        )
        row.addWidget(self.under)
        row.addWidget(self.under_label)
        row.addStretch(1)
        self.body.addLayout(row)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        self.fields = {
            "from": seconds_field(tr("File offset"), tr("Where in its own recording it begins."), 36000.0),
            "length": seconds_field(
                tr("Plays for"), tr("How long it sounds in the program; 0: to its end, or to the program's where it is repeated."), 36000.0
            ),
            "in": seconds_field(tr("Fade in"), tr("From its beginning.")),
            "out": seconds_field(tr("Fade out"), tr("To its end.")),
        }
        self.labels = {}
        for k, (key, field) in enumerate(self.fields.items()):
            self.labels[key] = label(field.info.label, "muted")
            grid.addWidget(self.labels[key], k, 0)
            grid.addWidget(field, k, 1)
            field.valueChanged.connect(lambda value, key=key: self._on_field(key, value))
        self.body.addLayout(grid)
        row = QHBoxLayout()
        self.loop, self.here = QCheckBox(tr("Loop")), QPushButton(tr("Start at the play head"))
        self.here.setProperty("kind", "quiet")
        self.here.setToolTip(tr("Have it begin where the play head stands."))
        self.loop.setToolTip(tr("Begins again when it is over."))
        row.addWidget(self.loop)
        row.addStretch(1)
        row.addWidget(self.here)
        self.body.addLayout(row)
        self.under.toggled.connect(self._on_under)
        self.loop.clicked.connect(self._on_loop)
        self.here.clicked.connect(self._on_here)

    def _on_under(self, on: bool) -> None:
        lane = self._session.picked_lane
        if lane is not None:
            self._session.do(put_under(self._session.episode, lane.id, Bed() if on else None))

    def _on_loop(self, on: bool) -> None:
        lane = self._session.picked_lane
        if lane is not None and lane.bed is not None:
            title = tr("{voice} repeated").format(voice=lane.voice) if on else tr("{voice} once").format(voice=lane.voice)
            self._session.do(change_bed(self._session.episode, lane.id, title, loop=on))

    def _on_here(self) -> None:
        lane = self._session.picked_lane
        if lane is not None and lane.bed is not None:
            self._session.do(place_bed(self._session.episode, lane.id, self._head()))

    def _on_field(self, key: str, seconds: float) -> None:
        lane, episode = self._session.picked_lane, self._session.episode
        if lane is None:
            return
        frames = round(seconds * episode.rate)
        if key == "in":
            change = set_fades(episode, lane.id, fade_in=frames)
        elif key == "out":
            change = set_fades(episode, lane.id, fade_out=frames)
        elif lane.bed is None:
            return
        elif key == "from":
            change = change_bed(
                episode, lane.id, tr("Trim {voice}").format(voice=lane.voice), tr("trim {id}").format(id=lane.id), from_frame=frames
            )
        else:
            change = change_bed(
                episode, lane.id, tr("Length of {voice}").format(voice=lane.voice), tr("length {id}").format(id=lane.id), frames=frames
            )
        self._session.do(change)

    def refresh(self, lane: Lane, can_lie_under: bool) -> None:
        rate, bed = self._session.episode.rate, lane.bed
        for widget in (self.under, self.under_label):
            widget.setVisible(can_lie_under)
        self.under.show_state(bed is not None)
        self.set_active(bed is not None)
        for key in ("from", "length"):
            self.fields[key].setVisible(bed is not None)
            self.labels[key].setVisible(bed is not None)
        self.loop.setVisible(bed is not None)
        self.here.setVisible(bed is not None)
        self.loop.setChecked(bed is not None and bed.loop)
        values = {
            "in": lane.fade_in_frames,
            "out": lane.fade_out_frames,
            "from": bed.from_frame if bed else 0,
            "length": bed.frames if bed else 0,
        }
        for key, frames in values.items():
            self.fields[key].show_value(frames / rate)
