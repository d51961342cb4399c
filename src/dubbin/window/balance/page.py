"""Balance: everyone as loud as everyone else; music under, not over. The job card; its sheets stand in cards.py, what it is judged by in
evidence.py."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton

from dubbin.core.episode.commands.balance import suggest_balance
from dubbin.core.episode.model import Lane, Role
from dubbin.core.figures import number, with_unit
from dubbin.core.texts import tr
from dubbin.window.balance.actions import balance_actions
from dubbin.window.balance.cards import LevelCard, PartCard, PlaceCard
from dubbin.window.balance.evidence import BalanceEvidence
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.card import Card, FigureRows, label
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared


class BalancePage(Page):
    overlays = Overlays(levels=True)
    sizes = (300, 300)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        shared.actions.add(balance_actions(self.session))
        session, theme = self.session, self.theme
        self.empty = label(tr("Add recordings in Intake first."), "muted", wrap=True)
        self.column.addWidget(self.empty)
        self.whole = Card(tr("Program"))
        self.figures = FigureRows()
        self.whole.body.addWidget(self.figures)
        self.suggest = QPushButton(tr("Suggest balance"))
        self.suggest.setToolTip(
            tr("Levels that follow the talking and bleed control for all voices; music under the program and under speech.")
        )
        self.suggest.clicked.connect(self._on_suggest)
        self.whole.body.addWidget(self.suggest)
        self.column.addWidget(self.whole)
        self.cards: dict[str, LevelCard] = {}
        self.parts = {
            "levelling": PartCard(session, "levelling", theme, lambda: list(session.episode.voices)),
            "bleed": PartCard(session, "bleed", theme, lambda: list(session.episode.session_voices)),
            "ducking": PartCard(session, "ducking", theme, lambda: list(session.episode.beds)),
        }
        self.place = PlaceCard(session, theme, lambda: self.selection.head)
        for card in (*self.parts.values(), self.place):
            self.column.addWidget(card)
        self.column.addStretch(1)
        self.panes = BalanceEvidence(theme)
        self.evidence = self.panes
        meters, player = self.panes.meters, shared.playing.player
        player.metered.connect(meters.show_reading)
        meters.reset_wanted.connect(player.reset_meters)
        shared.program.changed.connect(self._refresh_if_open)
        self.connect_model()

    def title(self) -> str:
        return tr("all lanes")

    def status(self) -> Status:
        episode = self.session.episode
        if not episode.lanes:
            return Status(tr("not started"))
        levelled = sum(lane.levelling.on for lane in episode.voices)
        if levelled:
            return Status(tr("{levelled} of {count} voices levelled").format(levelled=levelled, count=len(episode.voices)), True)
        moved = any(lane.level_db or lane.pan or lane.mute or lane.solo or lane.line or lane.bleed.on for lane in episode.lanes)
        return Status(tr("levels set"), True) if moved else Status(tr("levels as recorded"))

    def opened(self) -> None:
        self.session.balancing.is_wanted = True
        super().opened()
        self.session.look_at_balance()

    def closed(self) -> None:
        super().closed()
        self.session.balancing.is_wanted = False

    def _on_suggest(self) -> None:
        loudness = {}
        for lane in self.session.episode.lanes:
            report = self.session.analyses.report(lane)
            if lane.role is Role.MUSIC and report is not None and report.loudness.integrated_lufs is not None:
                loudness[lane.id] = report.loudness.integrated_lufs + (3.0 if len(lane.channels) == 1 else 0.0)
        self.session.do(suggest_balance(self.session.episode, loudness))

    def refresh(self) -> None:
        lanes, picked = self.session.episode.lanes, self.session.picked_lane
        self.empty.setVisible(not lanes)
        self.whole.setVisible(bool(lanes))
        for gone in set(self.cards) - {lane.id for lane in lanes}:
            self.cards.pop(gone).deleteLater()
        for index, lane in enumerate(lanes):
            if lane.id not in self.cards:
                self.cards[lane.id] = LevelCard(self.session, lane.id, self.theme)
                self.column.insertWidget(2 + index, self.cards[lane.id])
            self.cards[lane.id].refresh(lane, picked is not None and lane.id == picked.id)
        self._show_picked(picked)
        if self.is_open:
            self.shared.program.measure()
        self._show_figures()

    def _show_picked(self, lane: Lane | None) -> None:
        voice = lane is not None and lane in self.session.episode.voices
        self.parts["levelling"].setVisible(voice)
        self.parts["bleed"].setVisible(voice and lane is not None and not lane.is_insert)
        self.parts["ducking"].setVisible(lane is not None and lane.bed is not None)
        self.place.setVisible(lane is not None)
        if lane is None:
            return
        for name, card in self.parts.items():
            if not card.isHidden():
                card.refresh(lane, self._note(lane, name))
        self.place.refresh(lane, not lane.is_insert and lane.role is not Role.VOICE)

    def _note(self, lane: Lane, part: str) -> str:
        """What a part does now, in a few figures."""
        gain = self.session.balancing.now(self.session.episode).gains.get(lane.id)
        if gain is None or part == "ducking":
            return ""
        if part == "levelling":
            return tr("{float} to {float2} dB").format(float=number(float(gain.level_db.min())), float2=number(float(gain.level_db.max())))
        return tr("down {float} % of it").format(float=number(100 * float((gain.bleed_db < -1.0).mean()), 0))

    def _show_figures(self) -> None:
        report, history = self.session.balancing.report(self.session.episode), self.shared.program.history
        before, after = report.apart_before_lu, report.apart_after_lu
        known = before is not None and after is not None
        good = after is not None and after <= 1.0
        self.figures.show_row(
            tr("level difference"), f"{number(before)} → {number(after)} LU" if known else "–", "good" if good and known else "strong"
        )
        loudness = history.loudness if history is not None else None
        spread = loudness.range_lu if loudness else None
        self.figures.show_row(tr("loudness range"), with_unit(spread, "LU"), "good" if spread is not None and spread <= 6.0 else "strong")
        self.figures.show_row(tr("program"), with_unit(loudness.integrated_lufs if loudness else None, "LUFS"))
        self.panes.show_voices(report, history is not None)
        self.panes.show_history(history, bool(self.session.episode.lanes))
        if history is not None:
            self.panes.show_voices(report, True)
