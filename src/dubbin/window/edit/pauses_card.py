"""The card of pauses: how much air the conversation keeps."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QCheckBox

from dubbin.core.episode.commands.cuts import set_pauses
from dubbin.core.figures import clock
from dubbin.core.speech.pauses import STARTING_POINTS, PauseSettings
from dubbin.core.texts import mark, tr
from dubbin.window.edit.pausing import Pausing
from dubbin.window.parts.card import TreatmentCard
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.segments import Segments
from dubbin.window.session.session import Session
from dubbin.window.shell.shared import Shared

AUTOMATIC_START_DB = -50.0
POINT_FIELDS = ("longer_than_s", "leave_before_s", "leave_after_s", "keep_s", "shortest_kept_s")
CUSTOM = mark("Custom")


class PausesCard(TreatmentCard):
    def __init__(self, shared: Shared, pausing: Pausing) -> None:
        super().__init__(shared.theme, tr("Pauses"), strength=False)
        self._session: Session = shared.session
        self._preferences, self._pausing = shared.preferences, pausing
        self.switch.setToolTip(tr("Cut all pauses found; off puts them back."))
        self.switch.toggled.connect(self._on_switched)
        names = (*STARTING_POINTS, CUSTOM)
        self.point = Segments(shared.theme, tr("Starting point"), [(n, tr(n), "") for n in names], {n: "saddle" for n in names})
        self.point.setToolTip(tr("How much air the conversation keeps; every figure can be changed below."))
        self.point.chosen.connect(self._on_point)
        self.automatic = QCheckBox(tr("Level from noise floor"))
        self.automatic.setToolTip(tr("Automatic: a pause is where nothing stands out of the noise floor of any microphone."))
        self.automatic.toggled.connect(lambda on: self._set(quieter_than_db=None if on else AUTOMATIC_START_DB))
        self.form = SettingsForm(PauseSettings, before={"quieter_than_db": self.automatic})
        self.form.edited.connect(lambda name, value: self._set(**{name: value}))
        self.body.insertWidget(1, self.point)
        self.body.insertWidget(2, self.form)

    def _on_switched(self, on: bool) -> None:
        episode = self._session.episode
        self._session.do(set_pauses(episode, episode.pauses, self._session.analyses.pauses(), on=on))

    def _set(self, **fields: float | None) -> None:
        episode = self._session.episode
        settings, found = self._session.analyses.pauses_with(**fields)
        self._session.do(set_pauses(episode, settings, found, on=episode.pauses_on, merge=True))
        if _point_of(settings) == CUSTOM:
            self._preferences.set("custom_pauses", {f: getattr(settings, f) for f in POINT_FIELDS})

    def _on_point(self, name: str) -> None:
        if name in STARTING_POINTS:
            point = STARTING_POINTS[name]
            self._set(**{f: getattr(point, f) for f in POINT_FIELDS})
            return
        kept = self._preferences.get("custom_pauses", {})
        fields = {f: float(kept[f]) for f in POINT_FIELDS if isinstance(kept.get(f), (int, float))}
        if fields:
            self._set(**fields)
        else:
            self._session.said.emit(tr("Change any figure: your own are kept under Custom, for the next episodes too."))
            self.form.fields["longer_than_s"].setFocus()

    def refresh(self) -> None:
        episode, analyses = self._session.episode, self._session.analyses
        found, automatic = analyses.pauses(), episode.pauses.quieter_than_db is None
        self.show_state(episode.pauses_on, None)
        self.form.show_settings(episode.pauses, hidden=("quieter_than_db",) if automatic else ())
        self.point.show_choice(_point_of(episode.pauses))
        with QSignalBlocker(self.automatic):
            self.automatic.setChecked(automatic)
        saved = sum(p.cut_end_s - p.cut_start_s for p in found)
        cut_count = sum(self._pausing.cut_of(p) is not None for p in found)
        unknown = not found and any(analyses.report(lane) is None for lane in episode.lanes)
        count = tr("{count} found, {cut_count} cut").format(count=len(found), cut_count=cut_count)
        self.rows.show_row(tr("pauses"), tr("measuring …") if unknown else count)
        self.rows.show_row(tr("time saved"), "" if unknown else f"−{clock(saved, 1)}")


def _point_of(settings: PauseSettings) -> str:
    """The name of the starting point whose figures these are."""
    return next((name for name, point in STARTING_POINTS.items() if _is_same(point, settings)), CUSTOM)


def _is_same(a: PauseSettings, b: PauseSettings) -> bool:
    return all(abs(getattr(a, n) - getattr(b, n)) < 1e-9 for n in POINT_FIELDS)
