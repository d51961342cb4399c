"""Edit: shorter, no dead air, nothing clipped."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.cut_union import cut_union
from dubbin.core.episode.model import Episode, Placed
from dubbin.core.figures import clock
from dubbin.core.texts import tr, tr_count
from dubbin.window.edit.actions import edit_actions
from dubbin.window.edit.acts import EditActs
from dubbin.window.edit.buttons import Buttons
from dubbin.window.edit.cuts_card import CutsCard
from dubbin.window.edit.evidence import EditEvidence
from dubbin.window.edit.filler_list import FillerList
from dubbin.window.edit.history_list import HistoryList
from dubbin.window.edit.overlap_list import OverlapList, overlap_controls
from dubbin.window.edit.pause_list import PauseList
from dubbin.window.edit.pauses_card import PausesCard
from dubbin.window.edit.program_list import ProgramList
from dubbin.window.edit.retake_list import RetakeList
from dubbin.window.edit.seam_list import SeamList, SeamSettings
from dubbin.window.edit.words_card import WordsCard
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.card import Card, label
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step

PROGRAM_BUTTONS = (
    ("insert-file", "insert-break"), ("add-chapter", "suggest-chapters"), ("copy-chapters", "bleep"), ("mute-stretch", "uncover"),
)  # fmt: skip


class EditPage(Page):
    overlays = Overlays(pauses=True, words=True)
    sizes = (230, 380)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.acts = EditActs(shared)
        shared.actions.add(edit_actions(shared, self.acts, self.find_words))
        session, selection, playing, go = self.session, self.selection, shared.playing, shared.navigation.go
        self.speech, self.words = shared.speech, shared.words
        self.buttons = Buttons(shared.actions)
        self.pauses = PausesCard(shared, self.acts.pausing)
        self.words_card = WordsCard(shared, self.acts, self.buttons)
        self.cuts = CutsCard(shared, self.acts, self.buttons)
        program_card = Card(tr("In the program"))
        self.buttons.onto(program_card, PROGRAM_BUTTONS)
        for card in (self.pauses, self.words_card, self.cuts, program_card):
            self.column.addWidget(card)
        self.column.addStretch(1)
        self.pause_list = PauseList(session, selection, self.acts.pausing, go)
        self.fillers = FillerList(session, self.speech, self.acts.fillers)
        self.retakes = RetakeList(session, self.speech, self.acts.retakes, playing)
        self.overlaps = OverlapList(session, self.acts.overlaps, selection, playing)
        self.seams = SeamList(session, self.acts.seams, shared.seam_walk)
        self.program = ProgramList(session, selection, go)
        self.history = HistoryList(session)
        self.seam_settings = SeamSettings(session, self.seams)
        small = self.buttons.small
        self.tabs = EditEvidence(self.theme, [
            ("words", tr("Words"), self.words, lambda: None),
            ("pauses", tr("Pauses"), self._with_row(self.pause_list, small("all-pauses", "mark-pauses", "pause-level")), self.pause_list.refresh),
            ("fillers", tr("Fillers"), self._with_row(self.fillers, small("cut-fillers", "mark-fillers")), self.fillers.refresh),
            ("retakes", tr("Retakes"), self.retakes, self.retakes.refresh),
            ("overlaps", tr("Overlaps"), self._with_row(self.overlaps, overlap_controls(self.acts.overlaps)), self.overlaps.refresh),
            ("seams", tr("Seams"), self._with_row(self.seams, [label(tr("Crossfade of the picked seam"), "muted"), self.seam_settings]), self.seams.refresh),
            ("program", tr("Program"), self._with_row(self.program, self._program_buttons()), self.program.refresh),
            ("history", tr("History"), self.history, self.history.refresh),
        ])  # fmt: skip
        self.evidence = self.tabs
        self._shown: Episode | None = None  # by the last refresh
        selection.changed.connect(self._show_buttons)
        self.speech.changed.connect(self._on_found)
        self.acts.seams.changed.connect(self._on_found)
        session.jobs.changed.connect(self._show_writing)
        self.connect_model()

    # -- building ---------------------------------------------------------------------

    def _program_buttons(self) -> list[QWidget]:
        out: list[QWidget] = []
        for text, act in (
            (tr("Rename …"), self._rename),
            (tr("Move to the play head"), self._move_picked),
            (tr("Remove"), lambda: self.program.remove()),
        ):
            button = QPushButton(text)
            button.setProperty("kind", "small")
            button.clicked.connect(lambda _=False, a=act: a())
            out.append(button)
        return out

    @staticmethod
    def _with_row(table: QWidget, widgets: Sequence[QWidget]) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(10, 3, 10, 3)
        row.setSpacing(8)
        for widget in widgets:
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(table, 1)
        return whole

    def takers(self) -> dict[str, Callable[[Path], bool | None]]:
        return {suffix: self.acts.wording.bring_text for suffix in (".srt", ".vtt", ".txt")}

    def find_words(self) -> None:
        """Look for words: the pane comes to the front and its field takes the keys."""
        self.shared.go_step(Step.EDIT)
        self.tabs.show_tab("words")
        self.words.focus_field()

    # -- acts of the person -----------------------------------------------------------

    def opened(self) -> None:
        super().opened()
        self.speech.transcribing.want_words()

    def _rename(self) -> None:
        entry = self.program.picked()
        if entry is None:
            return
        if isinstance(entry, Placed):
            name, done = QInputDialog.getText(self.card, tr("Rename"), tr("Name:"), text=entry.name)
            if done and name.strip():
                self.program.rename(name.strip())
        else:
            title = self.acts.chaptering.ask_new_title(entry)
            if title is not None:
                self.program.rename(title)

    def _move_picked(self) -> None:
        self.program.move_to(self.selection.head)

    # -- showing ----------------------------------------------------------------------

    def status(self) -> Status:
        episode = self.session.episode
        if not episode.lanes:
            return Status(tr("not started"))
        cuts = cut_union(episode).stretches
        if cuts:
            seconds = sum(b - a for a, b in cuts) / episode.rate
            return Status(tr_count("{count} cut, −{length}", "{count} cuts, −{length}", len(cuts), length=clock(seconds)), True)
        found = len(self.session.analyses.pauses())
        return Status(tr("{found} pauses found").format(found=found) if found else tr("not started"))

    def title(self) -> str:
        return tr("all lanes together")

    def refresh(self) -> None:
        self._shown = self.session.episode
        for card in (self.pauses, self.words_card, self.cuts):
            card.refresh()
        self._show_writing()
        self._show_buttons()
        self.tabs.refresh()

    def _on_found(self) -> None:
        """Words, or what is found in the episode, are others."""
        if not self.session.is_telling or self._shown is self.session.episode:  # else it is shown with the episode, in a moment
            self._refresh_if_open()

    def _show_buttons(self) -> None:
        if self.is_open:
            self.buttons.show_state()

    def _show_writing(self) -> None:
        if not self.is_open:
            return
        self.words_card.show_writing()
        if not len(self.speech.table) and (port := self.words.words.viewport()) is not None:
            port.update()  # it says how far writing down is, where there are no words yet
