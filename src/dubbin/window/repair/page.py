"""Repair: make it clean, but leave the voice alone. The job card; what it is judged by stands in evidence.py."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton

from dubbin.core.episode.commands.treatments import find_use
from dubbin.core.episode.model import FrameRange, Lane, TreatmentUse
from dubbin.core.treat.registry import REPAIRS
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.action import ActionButton
from dubbin.window.parts.card import label
from dubbin.window.parts.figures import number
from dubbin.window.repair.actions import repair_actions
from dubbin.window.repair.evidence import RepairEvidence
from dubbin.window.repair.removed_file import RemovedFile
from dubbin.window.repair.touch_ups import TouchUpCard, TouchUps
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.treatment_section import TreatmentSection

DEFAULT_STRENGTH = 90
SPEECH_ROW = "speech removed"


class RepairPage(Page):
    overlays = Overlays(findings=True)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self._actions = shared.actions
        self.touch_ups = TouchUps(self.session, self.selection)
        shared.actions.add(repair_actions(self.session, self.touch_ups, RemovedFile(shared)))
        self.empty = label("Add recordings in Intake first.", "muted", wrap=True)
        self.column.addWidget(self.empty)
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
            section.do(section.change(f"{title} only on a stretch", spans=tuple(sorted({*use.spans, stretch}))))
        elif use.spans:
            section.do(section.change(f"{title} everywhere", spans=()))
        else:
            self.session.said.emit("Select a stretch on the lanes first; the treatment is then applied there alone.")

    def suggested(self, lane: Lane, name: str) -> int | None:
        """The strength that the findings ask for, no further than the voice allows."""
        report, guard = self.session.analyses.report(lane), self.session.analyses.guard(lane, name)
        found = next((s.strength for s in report.suggested if s.treatment == name), None) if report else None
        if found is None or guard is None:
            return found
        return min(found, int(100 * guard.highest_strength))

    # -- showing ----------------------------------------------------------------------

    def status(self) -> Status:
        count = sum(use.on for lane in self.session.episode.lanes for use in lane.repairs)
        return Status(f"{count} treatment{'s' if count != 1 else ''} on", True) if count else Status("not begun")

    def opened(self) -> None:
        super().opened()
        self.session.analyses.want_evidence()

    def refresh(self) -> None:
        lane = self.session.picked_lane
        self.empty.setVisible(lane is None)
        self.touch_card.setVisible(lane is not None)
        self.removed.setVisible(lane is not None)
        self.removed.setEnabled(self._actions["write-removed"].enabled())
        for section in self.sections.values():
            section.card.setVisible(lane is not None)
            if lane is not None:
                self._show(lane, section)
        if lane is not None:
            self.touch_card.show_lane(lane)
        self.panes.show_lane(lane)

    def _show(self, lane: Lane, section: TreatmentSection) -> None:
        name = section.treatment.name
        use = section.show_lane(lane, self.suggested(lane, name))
        self._show_figures(lane, section, use)
        count = len(use.spans)
        where = f"on {count} stretch{'es' if count != 1 else ''}"
        self.only[name].setText(f"Applied {where} · everywhere again" if count else "Apply to selection only")

    def _show_figures(self, lane: Lane, section: TreatmentSection, use: TreatmentUse) -> None:
        """The figure that the treatment is judged by, before and after, and why it is suggested."""
        analyses, card, figure = self.session.analyses, section.card, section.treatment.figures[0]
        report = analyses.report(lane)
        card.rows.show_row(figure.label, figure.change_text(report, analyses.after(lane)) if use.on else figure.text(report))
        self._show_guard(lane, section, use)
        reason = next((s.because for s in report.suggested if s.treatment == use.name), "") if report else ""
        card.setToolTip(f"Suggested: {reason}" if reason else "Nothing measured asks for it.")
        if not use.on:
            card.percent.setText("suggested" if reason else "not needed" if report else "")

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
            rows.show_row(SPEECH_ROW, "none")
        elif guard.is_audible(strength):
            rows.show_row(SPEECH_ROW, f"{number(level, 0)} dB ▲ audible", "bad")
        else:
            rows.show_row(SPEECH_ROW, f"{number(level, 0)} dB ✓", "good")
