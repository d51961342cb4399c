"""Repair: make it clean, but leave the voice alone. The job card; what it is judged by stands in evidence.py."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from dubbin.core.episode.commands.treatments import find_use
from dubbin.core.episode.model import FrameRange, Lane, TreatmentUse
from dubbin.core.figures import number
from dubbin.core.texts import tr, tr_count
from dubbin.core.treat.registry import REPAIRS
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.action import ActionButton
from dubbin.window.parts.card import Card, label
from dubbin.window.repair.actions import repair_actions
from dubbin.window.repair.evidence import RepairEvidence
from dubbin.window.repair.removed_file import RemovedFile
from dubbin.window.repair.suggesting import Suggesting
from dubbin.window.repair.touch_ups import TouchUpCard, TouchUps
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.treatment_section import TreatmentSection

DEFAULT_STRENGTH = 90
SPEECH_ROW = tr("speech removed")


class RepairPage(Page):
    overlays = Overlays(findings=True)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.touch_ups = TouchUps(self.session, self.selection)
        self.suggesting = Suggesting(self.session)
        shared.actions.add(repair_actions(self.session, self.touch_ups, RemovedFile(shared), self.suggesting))
        self.empty = label(tr("Add recordings in Intake first."), "muted", wrap=True)
        self.column.addWidget(self.empty)
        self.suggested = Card(tr("Suggested repairs"))
        self.suggested_text = label("", "muted", wrap=True)
        self.suggested.body.addWidget(self.suggested_text)
        row = QHBoxLayout()
        self.suggest_buttons = [
            ActionButton(shared.actions, id, text)
            for id, text in (("repair-lane", tr("This recording")), ("repair-all", tr("All recordings")))
        ]
        for button in self.suggest_buttons:
            row.addWidget(button, 1)
        self.suggested.body.addLayout(row)
        self.column.addWidget(self.suggested)
        self.sections: dict[str, TreatmentSection] = {}
        self.only: dict[str, QPushButton] = {}
        for treatment in REPAIRS:
            section = TreatmentSection(shared, treatment, default_strength=DEFAULT_STRENGTH)
            self.sections[treatment.name] = section
            self.only[treatment.name] = only = QPushButton()
            only.setProperty("kind", "quiet")
            only.clicked.connect(lambda _=False, s=section: self._on_only(s))
            section.add(only)
            self.column.addWidget(section.card)
        self.touch_card = TouchUpCard(self.session, shared.actions)
        self.column.addWidget(self.touch_card)
        self.removed = ActionButton(shared.actions, "write-removed")
        self.removed.setProperty("kind", "quiet")
        self.column.addWidget(self.removed)
        self.column.addStretch(1)
        self.panes = RepairEvidence(self.session, self.theme, shared.playing.play_place)
        self.evidence = self.panes
        self.connect_model()

    # -- acts of the person -----------------------------------------------------------

    def _on_only(self, section: TreatmentSection) -> None:
        """Restrict a treatment to the selected stretch, one more if there are some, or apply it everywhere again."""
        lane, title = self.session.picked_lane, section.treatment.title
        if lane is None:
            return
        use, span = find_use(lane, section.treatment.name), self.selection.range
        if span is not None:
            stretch = FrameRange(max(span[0] - lane.start_frame, 0), max(span[1] - lane.start_frame, 0))
            section.do(section.change(tr("{title} only on a stretch").format(title=title), spans=tuple(sorted({*use.spans, stretch}))))
        elif use.spans:
            section.do(section.change(tr("{title} everywhere").format(title=title), spans=()))
        else:
            self.session.said.emit(tr("Select a stretch on the lanes first; the treatment is then applied there alone."))

    # -- showing ----------------------------------------------------------------------

    def status(self) -> Status:
        count = sum(use.on for lane in self.session.episode.lanes for use in lane.repairs)
        return Status(tr_count("{count} treatment on", "{count} treatments on", count), True) if count else Status(tr("not started"))

    def opened(self) -> None:
        super().opened()
        self.session.analyses.want_evidence()

    def refresh(self) -> None:
        lane = self.session.picked_lane
        self.empty.setVisible(lane is None)
        self.suggested.setVisible(lane is not None)
        self.touch_card.setVisible(lane is not None)
        self.removed.setVisible(lane is not None)
        self.removed.show_state()
        for button in self.suggest_buttons:
            button.show_state()
        self._show_suggested(lane)
        for section in self.sections.values():
            section.card.setVisible(lane is not None)
            if lane is not None:
                self._show(lane, section)
        if lane is not None:
            self.touch_card.show_lane(lane)
        self.panes.show_lane(lane)

    def _show_suggested(self, lane: Lane | None) -> None:
        """What is suggested for the picked recording and not on."""
        if lane is None:
            return
        missing = self.suggesting.missing(lane)
        titles = ", ".join(f"{t.title} {missing[t.name]} %" for t in REPAIRS if t.name in missing)
        if self.session.analyses.report(lane) is None:
            self.suggested_text.setText(tr("The recording is being measured …"))
        else:
            self.suggested_text.setText(titles or tr("Nothing more is suggested for {voice}.").format(voice=lane.voice))

    def _show(self, lane: Lane, section: TreatmentSection) -> None:
        name = section.treatment.name
        use = section.show_lane(lane, self.suggesting.suggested(lane, name))
        self._show_figures(lane, section, use)
        count = len(use.spans)
        where = tr_count("on {count} stretch", "on {count} stretches", count)
        self.only[name].setText(tr("Applied {where} · everywhere again").format(where=where) if count else tr("Apply to selection only"))

    def _show_figures(self, lane: Lane, section: TreatmentSection, use: TreatmentUse) -> None:
        """The figure that the treatment is judged by, before and after, and why it is suggested."""
        analyses, card, figure = self.session.analyses, section.card, section.treatment.figures[0]
        report = analyses.report(lane)
        card.rows.show_row(figure.label, figure.change_text(report, analyses.after(lane)) if use.on else figure.text(report))
        self._show_guard(lane, section, use)
        reason = next((s.because for s in report.suggested if s.treatment == use.name), "") if report else ""
        card.setToolTip(tr("Suggested: {reason}").format(reason=reason) if reason else tr("Nothing measured asks for it."))
        if not use.on:
            card.percent.setText(tr("suggested") if reason else tr("not needed") if report else "")

    def _show_guard(self, lane: Lane, section: TreatmentSection, use: TreatmentUse) -> None:
        """The voice in what is removed, and a warning from where it can be heard."""
        guard, strength, rows = self.session.analyses.guard(lane, use.name), use.strength / 100.0, section.card.rows
        rows.set_row_visible(SPEECH_ROW, use.on)
        if not use.on:
            return
        level = guard.at(strength) if guard else None
        if guard is None:
            rows.show_row(SPEECH_ROW, "…")
        elif level is None:
            rows.show_row(SPEECH_ROW, tr("none"))
        elif guard.is_audible(strength):
            rows.show_row(SPEECH_ROW, tr("{level} dB ▲ audible").format(level=number(level, 0)), "bad")
        else:
            rows.show_row(SPEECH_ROW, f"{number(level, 0)} dB ✓", "good")
