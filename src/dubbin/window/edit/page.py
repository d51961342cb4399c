"""Edit: shorter, no dead air, nothing clipped."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.commands.cuts import set_pauses
from dubbin.core.episode.commands.seams import set_seams
from dubbin.core.episode.model import Episode, Placed
from dubbin.core.episode.time_map import FURTHEST_SESSION_FRAME, merged
from dubbin.core.figures import clock, number, thousands
from dubbin.core.speech.pauses import STARTING_POINTS, PauseSettings
from dubbin.core.texts import mark, tr, tr_count
from dubbin.window.edit.actions import edit_actions
from dubbin.window.edit.acts import EditActs
from dubbin.window.edit.evidence import EditEvidence
from dubbin.window.edit.filler_list import FillerList
from dubbin.window.edit.history_list import HistoryList
from dubbin.window.edit.listening_dialog import language_title
from dubbin.window.edit.overlap_list import OverlapList, overlap_controls
from dubbin.window.edit.pause_list import PauseList
from dubbin.window.edit.program_list import ProgramList
from dubbin.window.edit.retake_list import RetakeList
from dubbin.window.edit.seam_list import SeamList, SeamSettings
from dubbin.window.edit.seam_watch import seams_of
from dubbin.window.lanes.overlays import Overlays
from dubbin.window.parts.action import ActionButton
from dubbin.window.parts.card import Card, FigureRows, TreatmentCard, label
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.parts.figure_box import FigureBox
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.theme import scaled
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared
from dubbin.window.shell.step import Step

AUTOMATIC_START_DB = -50.0
POINT_FIELDS = ("longer_than_s", "leave_before_s", "leave_after_s", "keep_s", "shortest_kept_s")
CUSTOM = mark("Custom")
SHORT = {
    "cut": tr("Cut"), "put-back": tr("Put back"), "split": tr("Split"), "cut-piece": tr("Cut piece"), "hear-seam": tr("Hear seam"), "walk-next": tr("Walk the seams"),
    "walk-doubtful": tr("Next doubtful"), "fold": tr("Fold"), "put-back-all": tr("Put back all"), "export-edit": tr("Export edit …"), "insert-file": tr("Insert sound …"),
    "insert-break": tr("Break …"), "add-chapter": tr("Chapter …"), "suggest-chapters": tr("Suggest chapters"), "copy-chapters": tr("Copy chapters"), "bleep": tr("Bleep"),
    "mute-stretch": tr("Mute"), "uncover": tr("Uncover"), "cut-fillers": tr("Cut all fillers"), "keep-last-takes": tr("Keep last takes"), "bring-text": tr("Import …"),
    "all-pauses": tr("Cut or put back all"), "mark-pauses": tr("Mark all"), "mark-fillers": tr("Mark all"), "pause-level": tr("Level from selection"),
    "export-words": tr("Export …"),
}  # fmt: skip


class EditPage(Page):
    overlays = Overlays(pauses=True, words=True)
    sizes = (230, 380)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.acts = EditActs(shared)
        shared.actions.add(edit_actions(shared, self.acts, self.find_words))
        session, selection, playing, go = self.session, self.selection, shared.playing, shared.navigation.go
        self._actions, self.speech, self.words = shared.actions, shared.speech, shared.words
        self._buttons: list[ActionButton] = []
        self._add_pauses_card()
        self._add_words_card()
        self._add_cuts_card()
        self._add_program_card()
        self.column.addStretch(1)
        self.pause_list = PauseList(session, selection, self.acts.pausing, go)
        self.fillers = FillerList(session, self.speech, self.acts.fillers)
        self.retakes = RetakeList(session, self.speech, self.acts.retakes, playing)
        self.overlaps = OverlapList(session, self.acts.overlaps, selection, playing)
        self.seams = SeamList(session, self.acts.seams, shared.seam_walk)
        self.program = ProgramList(session, selection, go)
        self.history = HistoryList(session)
        self.seam_settings = SeamSettings(session, self.seams)
        self.tabs = EditEvidence(self.theme, [
            ("words", tr("Words"), self.words, lambda: None),
            ("pauses", tr("Pauses"), self._with_row(self.pause_list, self._row_buttons("all-pauses", "mark-pauses", "pause-level")), self.pause_list.refresh),
            ("fillers", tr("Fillers"), self._with_row(self.fillers, self._row_buttons("cut-fillers", "mark-fillers")), self.fillers.refresh),
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

    def _add_pauses_card(self) -> None:
        self.pauses = TreatmentCard(self.theme, tr("Pauses"), strength=False)
        self.pauses.switch.setToolTip(tr("Cut all pauses found; off puts them back."))
        self.pauses.switch.toggled.connect(self._on_switched)
        self.point = Segments(
            self.theme,
            tr("Starting point"),
            [(name, tr(name), "") for name in (*STARTING_POINTS, CUSTOM)],
            {name: "saddle" for name in (*STARTING_POINTS, CUSTOM)},
        )
        self.point.setToolTip(tr("How much air the conversation keeps; every figure can be changed below."))
        self.point.chosen.connect(self._on_point)
        self.automatic = QCheckBox(tr("Level from noise floor"))
        self.automatic.setToolTip(tr("Automatic: a pause is where nothing stands out of the noise floor of any microphone."))
        self.automatic.toggled.connect(self._on_automatic)
        self.form = SettingsForm(PauseSettings, before={"quieter_than_db": self.automatic})
        self.form.edited.connect(lambda name, value: self._on_setting(**{name: value}))
        self.pauses.body.insertWidget(1, self.point)
        self.pauses.body.insertWidget(2, self.form)
        self.column.addWidget(self.pauses)

    def _add_words_card(self) -> None:
        card = Card(tr("Words"))
        self.word_rows = FigureRows()
        card.body.addWidget(self.word_rows)
        self.write = QPushButton(tr("Transcribe"))
        self.write.setToolTip(tr("Speech to text on this computer, in the background; nothing is sent anywhere."))
        self.write.clicked.connect(lambda: self._actions["transcribe"].run())
        card.body.addWidget(self.write)
        self._add_buttons(card, (("cut-fillers", "keep-last-takes"), ("bring-text", "export-words")))
        self.column.addWidget(card)

    def _add_cuts_card(self) -> None:
        card = Card(tr("Cuts and seams"))
        self.cut_rows = FigureRows()
        card.body.addWidget(self.cut_rows)
        row = QHBoxLayout()
        self.seam_auto = QCheckBox(tr("Automatic crossfades"))
        self.seam_auto.setToolTip(tr("Long where the room's noise is steady, short in flowing speech; off: all of one length."))
        self.seam_auto.toggled.connect(lambda on: self.session.do(set_seams(self.session.episode, auto=on)))
        self.seam_ms = FigureBox()
        self.seam_ms.setRange(0.0, 500.0)
        self.seam_ms.setDecimals(0)
        self.seam_ms.setSuffix(tr(" ms"))
        self.seam_ms.setAccessibleName(tr("Length of crossfades"))
        self.seam_ms.setFixedWidth(scaled(76))
        self.seam_ms.valueChanged.connect(lambda ms: self.session.do(set_seams(self.session.episode, ms=ms)))
        row.addWidget(self.seam_auto, 1)
        row.addWidget(self.seam_ms)
        card.body.addLayout(row)
        self._add_buttons(
            card,
            (
                ("cut", "put-back"),
                ("split", "cut-piece"),
                ("hear-seam", "walk-next"),
                ("walk-doubtful", "fold"),
                ("put-back-all", "export-edit"),
            ),
        )
        self.column.addWidget(card)

    def _add_program_card(self) -> None:
        card = Card(tr("In the program"))
        self._add_buttons(
            card,
            (("insert-file", "insert-break"), ("add-chapter", "suggest-chapters"), ("copy-chapters", "bleep"), ("mute-stretch", "uncover")),
        )
        self.column.addWidget(card)

    def _add_buttons(self, card: Card, rows: tuple[tuple[str, ...], ...]) -> None:
        for names in rows:
            row = QHBoxLayout()
            row.setSpacing(6)
            for name in names:
                button = ActionButton(self._actions, name, SHORT.get(name, ""))
                row.addWidget(button, 1)
                self._buttons.append(button)
            card.body.addLayout(row)

    def _row_buttons(self, *names: str) -> list[QWidget]:
        """Small buttons for actions, over a list."""
        out: list[QWidget] = []
        for name in names:
            button = ActionButton(self._actions, name, SHORT.get(name, ""))
            button.setProperty("kind", "small")
            self._buttons.append(button)
            out.append(button)
        return out

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
    def _with_row(table: QWidget, widgets: list[QWidget]) -> QWidget:
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
        self.speech.want_words()

    def _on_switched(self, on: bool) -> None:
        self.session.do(set_pauses(self.session.episode, self.session.episode.pauses, self.session.analyses.pauses(), on=on))

    def _on_automatic(self, on: bool) -> None:
        self._on_setting(quieter_than_db=None if on else AUTOMATIC_START_DB)

    def _on_setting(self, **fields: float | None) -> None:
        episode = self.session.episode
        settings, found = self.session.analyses.pauses_with(**fields)
        self.session.do(set_pauses(episode, settings, found, on=episode.pauses_on, merge=True))
        if not any(_same_point(p, settings) for p in STARTING_POINTS.values()):
            self.shared.preferences.set("custom_pauses", {f: getattr(settings, f) for f in POINT_FIELDS})

    def _on_point(self, name: str) -> None:
        if name in STARTING_POINTS:
            point = STARTING_POINTS[name]
            self._on_setting(**{f: getattr(point, f) for f in POINT_FIELDS})
            return
        kept = self.shared.preferences.get("custom_pauses", {})
        fields = {f: float(kept[f]) for f in POINT_FIELDS if isinstance(kept.get(f), (int, float))}
        if fields:
            self._on_setting(**fields)
        else:
            self.session.said.emit(tr("Change any figure: your own are kept under Custom, for the next episodes too."))
            self.form.fields["longer_than_s"].setFocus()

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
        cuts = merged(episode.cuts)
        if cuts:
            seconds = sum(b - a for a, b in cuts) / episode.rate
            return Status(tr_count("{count} cut, −{length}", "{count} cuts, −{length}", len(cuts), length=clock(seconds)), True)
        found = len(self.session.analyses.pauses())
        return Status(tr("{found} pauses found").format(found=found) if found else tr("not started"))

    def title(self) -> str:
        return tr("all lanes together")

    def refresh(self) -> None:
        self._shown = self.session.episode
        self._show_pauses()
        self._show_words()
        self._show_cuts()
        self._show_buttons()
        self.tabs.refresh()

    def _on_found(self) -> None:
        """Words, or what is found in the episode, are others."""
        if not self.session.is_telling or self._shown is self.session.episode:  # else it is shown with the episode, in a moment
            self._refresh_if_open()

    def _show_buttons(self) -> None:
        if self.is_open:
            for button in self._buttons:
                button.show_state()

    def _show_pauses(self) -> None:
        episode, found = self.session.episode, self.session.analyses.pauses()
        self.pauses.show_state(episode.pauses_on, None)
        self.form.show_settings(episode.pauses)
        point = next((name for name, p in STARTING_POINTS.items() if _same_point(p, episode.pauses)), CUSTOM)
        self.point.show_choice(point)
        automatic = episode.pauses.quieter_than_db is None
        self.automatic.blockSignals(True)
        self.automatic.setChecked(automatic)
        self.automatic.blockSignals(False)
        self.form.set_field_visible("quieter_than_db", not automatic)
        saved = sum(p.cut_end_s - p.cut_start_s for p in found)
        cut_count = sum(self.acts.pausing.cut_of(p) is not None for p in found)
        measuring = any(self.session.analyses.report(lane) is None for lane in episode.lanes)
        rows = self.pauses.rows
        unknown = measuring and not found
        rows.show_row(
            tr("pauses"),
            tr("measuring …") if unknown else tr("{count} found, {cut_count} cut").format(count=len(found), cut_count=cut_count),
        )
        rows.show_row(tr("time saved"), "" if unknown else f"−{clock(saved, 1)}")

    def _show_words(self) -> None:
        speech = self.speech
        table = speech.table
        count = table.word_count
        rows = self.word_rows
        languages = self.session.episode.languages
        heard_in = "".join(f" · {language_title(code)}" for code in languages)
        rows.show_row(tr("words"), thousands(count) + heard_in if count else tr("none yet"))
        if count:
            fillers = speech.fillers()
            cut = sum(self.acts.fillers.is_cut(f) for f in fillers)
            retakes = speech.retakes()
            chosen = sum(self.acts.retakes.kept(r) is not None for r in retakes)
            rows.show_row(tr("fillers"), tr("{count} found, {cut} cut").format(count=len(fillers), cut=cut))
            rows.show_row(tr("retakes"), tr("{count} found, {chosen} resolved").format(count=len(retakes), chosen=chosen))
        talk = speech.crosstalk()
        rows.show_row(tr("overlaps"), f"{len(talk)}")
        rows.set_row_visible(tr("overlaps"), bool(talk))
        self._show_writing()

    def _show_writing(self) -> None:
        if not self.is_open:
            return
        fraction = self.speech.progress()
        if fraction is not None:
            self.write.setText(tr("Stop transcribing ({fraction} %)").format(fraction=number(100 * fraction, 0)))
        else:
            missing = [lane for lane in self.speech.voices() if self.session.episode.transcript(lane.id) is None]
            self.write.setText(tr("Transcribe"))
            self.write.setVisible(bool(missing))
        if not len(self.speech.table):
            port = self.words.words.viewport()
            if port is not None:
                port.update()

    def _show_cuts(self) -> None:
        episode = self.session.episode
        union = merged(episode.cuts)
        time_map = self.session.map
        out = sum(b - a for a, b in union if a < FURTHEST_SESSION_FRAME) / episode.rate
        total = episode.frames / episode.rate
        self.cut_rows.show_row(tr("cuts"), str(len(union)))
        self.cut_rows.show_row(tr("removed"), f"−{clock(out, 1)}")
        self.cut_rows.show_row(tr("length"), f"{clock(total, 1)} → {clock(time_map.program_frames / episode.rate, 1)}")
        checks = [c for s in seams_of(time_map) if (c := self.acts.seams.check(s)) is not None]
        doubtful = sum(c.is_doubtful for c in checks)
        self.cut_rows.show_row(tr("doubtful seams"), str(doubtful), "bad" if doubtful else "strong")
        self.cut_rows.set_row_visible(tr("doubtful seams"), bool(checks))
        self.acts.seams.look()
        with QSignalBlocker(self.seam_auto), QSignalBlocker(self.seam_ms):
            self.seam_auto.setChecked(episode.seam_auto)
            self.seam_ms.setValue(episode.seam_ms)
        self.seam_ms.setEnabled(not episode.seam_auto)


def _same_point(a: PauseSettings, b: PauseSettings) -> bool:
    return all(abs(getattr(a, n) - getattr(b, n)) < 1e-9 for n in POINT_FIELDS)
