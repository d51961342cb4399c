"""Edit: shorter, no dead air, nothing clipped."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPushButton,
    QTableWidgetItem,
)  # fmt: skip

from dubbin.core.episode.commands import cut_pause, put_back, set_pauses
from dubbin.core.episode.model import Cut
from dubbin.core.episode.time_map import merged
from dubbin.core.speech.pauses import Pause, PauseSettings
from dubbin.window.actions import Action
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import Card, FigureRows, TreatmentCard
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figures import clock, number, span_text
from dubbin.window.parts.table import FigureTable
from dubbin.window.theme import Theme

COLUMNS = ("Cut", "At", "Pause", "Taken out", "Left")
AUTOMATIC_START_DB = -50.0


class EditPage(Page):
    shows_pauses = True

    def __init__(
        self,
        desk: Desk,
        selection: Selection,
        theme: Theme,
        actions: dict[str, Action],
        go: Callable[[int], None],
    ) -> None:
        super().__init__(desk, selection, theme)
        self._go = go
        self._shown: list[tuple[object, ...]] | None = None
        self._rows: list[Pause | Cut] = []
        self._filling = False
        self._add_pauses_card()
        self._add_cuts_card(actions)
        self.column.addStretch(1)
        self.table = self._table()
        self.evidence = self.table
        selection.changed.connect(self._refresh_if_open)
        self.connect_model()

    def _add_pauses_card(self) -> None:
        self.pauses = TreatmentCard(self.theme, "Pauses", strength=False)
        self.pauses.switch.setToolTip("Cut all pauses found; off puts them back.")
        self.pauses.switch.toggled.connect(self._on_switched)
        self.automatic = QCheckBox("Level from the room's own noise")
        self.automatic.setToolTip(
            "Automatic: a pause is where nothing stands out of the noise floor of any microphone."
        )
        self.automatic.toggled.connect(self._on_automatic)
        self.form = SettingsForm(PauseSettings)
        self.form.edited.connect(lambda name, value: self._on_setting(**{name: value}))
        self.pauses.body.insertWidget(1, self.automatic)
        self.pauses.body.insertWidget(2, self.form)
        self.column.addWidget(self.pauses)

    def _add_cuts_card(self, actions: dict[str, Action]) -> None:
        card = Card("Cuts and seams")
        self.cut_rows = FigureRows()
        card.body.addWidget(self.cut_rows)
        self._buttons = []
        for names in (("cut", "put-back"), ("hear-seam", "walk-next"), ("fold", "put-back-all")):
            row = QHBoxLayout()
            row.setSpacing(6)
            for name in names:
                action = actions[name]
                button = QPushButton(action.text)
                button.setToolTip(f"{action.text} ({action.keys[0]})" if action.keys else action.text)
                button.clicked.connect(lambda _=False, a=action: a.run())
                row.addWidget(button, 1)
                self._buttons.append((button, action))
            card.body.addLayout(row)
        self.column.addWidget(card)

    def _table(self) -> FigureTable:
        table = FigureTable("Pauses and cuts", COLUMNS)
        table.itemChanged.connect(self._on_ticked)
        table.currentCellChanged.connect(lambda row, *_: self._on_row(row))
        return table

    # -- acts of the person -----------------------------------------------------------

    def _on_switched(self, on: bool) -> None:
        self.desk.do(set_pauses(self.desk.episode, self.desk.episode.pauses, self.desk.pauses(), on=on))

    def _on_automatic(self, on: bool) -> None:
        self._on_setting(quieter_than_db=None if on else AUTOMATIC_START_DB)

    def _on_setting(self, **fields: float | None) -> None:
        episode = self.desk.episode
        settings, found = self.desk.pauses_with(**fields)
        self.desk.do(set_pauses(episode, settings, found, on=episode.pauses_on, merge=True))

    def _on_ticked(self, item: QTableWidgetItem) -> None:
        if self._filling or item.column() != 0:
            return
        entry = self._rows[item.row()]
        wanted = item.checkState() == Qt.CheckState.Checked
        episode = self.desk.episode
        if isinstance(entry, Pause):
            if wanted:
                self.desk.do(cut_pause(episode, entry))
            else:
                cut = self._cut_of(entry)
                if cut is not None:
                    self.desk.do(put_back(episode, cut))
        elif not wanted:
            self.desk.do(put_back(episode, entry))

    def _on_row(self, row: int) -> None:
        if self._filling or not 0 <= row < len(self._rows):
            return
        entry, rate = self._rows[row], self.desk.episode.rate
        if isinstance(entry, Pause):
            self._go(round(entry.start_s * rate))
            self.selection.pick_cut(self._cut_of(entry))
        else:
            self._go(entry.start_frame)
            self.selection.pick_cut(entry)

    # -- showing ----------------------------------------------------------------------

    def title(self) -> str:
        return "all lanes together"

    def _cut_of(self, pause: Pause) -> Cut | None:
        middle = round((pause.cut_start_s + pause.cut_end_s) / 2 * self.desk.episode.rate)
        return self.desk.episode.cut_at(middle)

    def refresh(self) -> None:
        episode, found = self.desk.episode, self.desk.pauses()
        self.pauses.show_state(episode.pauses_on, None)
        self.form.show_settings(episode.pauses)
        automatic = episode.pauses.quieter_than_db is None
        self.automatic.blockSignals(True)
        self.automatic.setChecked(automatic)
        self.automatic.blockSignals(False)
        for part in (self.form.fields, self.form.labels):
            part["quieter_than_db"].setVisible(not automatic)
        saved = sum(p.cut_end_s - p.cut_start_s for p in found)
        cut_count = sum(1 for p in found if self._cut_of(p))
        measuring = any(self.desk.report(lane) is None for lane in episode.lanes)
        rows = self.pauses.rows
        rows.show_row("found", "measuring …" if measuring and not found else f"{len(found)}, {cut_count} of them cut")
        rows.show_row("all together save", f"−{clock(saved, 1)}")
        union = merged(episode.cuts)
        out = sum(b - a for a, b in union) / episode.rate
        total = episode.frames / episode.rate
        self.cut_rows.show_row("cuts", str(len(union)))
        self.cut_rows.show_row("taken out", f"−{clock(out, 1)}")
        self.cut_rows.show_row("length", f"{clock(total, 1)} → {clock(total - out, 1)}")
        self.cut_rows.show_row("crossfade at seams", f"{number(episode.seam_ms, 0)} ms")
        for button, action in self._buttons:
            button.setEnabled(action.enabled())
        self._fill(found)

    def _fill(self, found: list[Pause]) -> None:
        episode = self.desk.episode
        hand = [c for c in episode.cuts if not any(self._cut_of(p) == c for p in found)]
        entries: list[tuple[float, Pause | Cut]] = [(p.start_s, p) for p in found]
        entries += [(c.start_frame / episode.rate, c) for c in hand]
        entries.sort(key=lambda e: e[0])
        shown = [self._texts(entry) for _, entry in entries]
        self._rows = [entry for _, entry in entries]
        if shown == self._shown:
            return
        self._shown = shown
        self._filling = True
        self.table.setRowCount(len(shown))
        for row, (ticked, *texts) in enumerate(shown):
            tick = QTableWidgetItem()
            tick.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            tick.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            self.table.setItem(row, 0, tick)
            self.table.show_row(row, [str(text) for text in texts], first=1)
        self._filling = False

    def _texts(self, entry: Pause | Cut) -> tuple[object, ...]:
        rate = self.desk.episode.rate
        if isinstance(entry, Cut):
            return (True, clock(entry.start_frame / rate, 1), "by hand", span_text(entry.frames / rate), "–")
        length, taken = entry.end_s - entry.start_s, entry.cut_end_s - entry.cut_start_s
        return (
            self._cut_of(entry) is not None,
            clock(entry.start_s, 1),
            span_text(length),
            span_text(taken),
            span_text(length - taken),
        )
