"""Master: will it pass, everywhere? The job card; its sheets stand in cards.py, what masters are judged by in evidence.py."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from dubbin.core.deliver.targets import Target
from dubbin.core.episode.commands.delivery import change_delivery
from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr, tr_count
from dubbin.window.master.actions import master_actions, sharing_actions
from dubbin.window.master.cards import ExtrasCard, FormatCard, TagsCard, TargetCard
from dubbin.window.master.clips import Clips
from dubbin.window.master.collecting import Collecting
from dubbin.window.master.evidence import MasterEvidence
from dubbin.window.master.exporting import Exporting
from dubbin.window.master.listening import Listening
from dubbin.window.master.mastering import NOTES, Mastering
from dubbin.window.master.passage_list import PassageList
from dubbin.window.master.targets_dialog import TargetsDialog
from dubbin.window.shell.page import Page, Status
from dubbin.window.shell.shared import Shared


def _row(*buttons: tuple[QPushButton, str, Callable[[], None]]) -> QHBoxLayout:
    """Buttons side by side, each with its tooltip and what it does."""
    row = QHBoxLayout()
    for button, tip, act in buttons:
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False, act=act: act())
        row.addWidget(button)
    return row


class MasterPage(Page):
    sizes = (210, 400)

    def __init__(self, shared: Shared) -> None:
        super().__init__(shared)
        self.mastering = mastering = Mastering(self.session, shared.program)
        self.exporting = acts = Exporting(shared, mastering)
        shared.actions.add(master_actions(self.session, self.selection, acts))
        self.targets, self.formats, self.extras, self.tags = (
            TargetCard(mastering.targets),
            FormatCard(),
            ExtrasCard(),
            TagsCard(self.session),
        )
        self.targets.edit_wanted.connect(self.edit_targets)
        for card in (self.targets, self.formats, self.extras):
            card.chosen.connect(self._on_chosen)
        self.export_button = QPushButton(tr("Make masters …"))
        self.export_button.setProperty("kind", "main")
        self.export_button.setToolTip(tr("Choose a folder; every file is decoded again and measured after it was written."))
        self.export_button.clicked.connect(lambda: acts.choose_export())
        self.listening = Listening(shared)
        self.clip, self.stems, self.video = QPushButton(tr("Clip …")), QPushButton(tr("Stems …")), QPushButton(tr("Video …"))
        self.review, self.comments = QPushButton(tr("Listening page …")), QPushButton(tr("Take comments …"))
        row = _row(
            (self.clip, tr("A master of the selection alone."), acts.choose_clip),
            (self.stems, tr("A file a voice, music apart; together they are the program."), acts.choose_stems),
            (
                self.video,
                tr(
                    "The finished sound under the picture of its video again; of a cut program the sound and the edit that conforms the picture to it."
                ),
                acts.choose_video,
            ),
        )
        page_about = tr("One file with the sound and the words, to be heard in a browser and commented on; nothing is sent anywhere.")
        comments_about = tr("Files of comments that came back from a listening page: they become markers.")
        others = _row(
            (self.review, page_about, self.listening.choose_page), (self.comments, comments_about, self.listening.choose_comments)
        )
        self.collecting = Collecting(shared)
        shared.actions.add(sharing_actions(self.session, self.listening, self.collecting))
        for card in (self.targets, self.formats):
            self.column.addWidget(card)
        self.column.addWidget(self.export_button)
        self.column.addLayout(row)
        self.column.addLayout(others)
        self.column.addWidget(self.extras)
        self.column.addWidget(self.tags)
        self.column.addStretch(1)
        self.clips = Clips(self.session, self.selection, shared.playing, mastering)
        self.passages = PassageList(self.clips, lambda: acts.choose_clips(self.clips))
        self.panes = MasterEvidence(self.theme, self.passages)
        self.panes.tab_shown.connect(lambda _: self._show_passages())
        self.panes.hear_chosen.connect(self._on_heard)
        self.panes.notes_edited.connect(self._on_notes)
        self.panes.redraft_wanted.connect(self._on_redraft)
        self.panes.sheet_wanted.connect(self.show_sheet)
        self.evidence = self.panes
        self._made = mastering.delivered
        self._draft: tuple[object, str] = (None, "")  # what the notes were drafted from, and the draft
        self._drafting: object = None  # what they are being drafted from
        mastering.changed.connect(self._refresh_if_open)
        mastering.changed.connect(self.status_changed)
        shared.program.changed.connect(self._refresh_if_open)
        self.selection.changed.connect(self._refresh_if_open)
        self.connect_model()

    # -- acts of the person -----------------------------------------------------------

    def _on_chosen(self) -> None:
        fields = {
            "targets": self.targets.names(),
            "formats": self.formats.names(),
            "extras": self.extras.names(),
            "vbr": self.formats.vbr.isChecked(),
        }
        self.session.do(change_delivery(self.session.episode, tr("Choose what to deliver"), **fields))

    def takers(self) -> dict[str, Callable[[Path], bool | None]]:
        covers = {suffix: lambda path: self.tags.set_cover(str(path)) for suffix in (".jpg", ".jpeg", ".png")}
        return {**covers, ".json": self.listening.take_dropped}

    def edit_targets(self) -> None:
        """Show all targets with their rules, and take up what was changed."""
        try:
            TargetsDialog(self.session.folders.state, self.shared.window).exec()
        except DubbinError as error:
            self.session.said.emit(str(error))
        self.mastering.read_targets()
        self.targets.show_targets(self.mastering.targets)
        self.refresh()

    def _on_heard(self, key: str) -> None:
        self.panes.heard.show_choice(key)
        self.mastering.hear(self._first_target() if key != "program" else None, key == "Matched")

    def _on_notes(self, text: str) -> None:
        self.session.do(change_delivery(self.session.episode, tr("Edit the show notes"), notes=text))

    def _on_redraft(self) -> None:
        self.session.do(change_delivery(self.session.episode, tr("Draft the show notes anew"), notes=None))

    def sheet_of(self, row: int) -> QUrl | None:
        """The proof sheet of a master in the table."""
        masters = self.mastering.masters
        if not 0 <= row < len(masters):
            return None
        path = masters[row].file.with_name(masters[row].file.name + ".proof.html")
        return QUrl.fromLocalFile(str(path)) if path in self.mastering.delivered.files else None

    def show_sheet(self, row: int) -> None:
        url = self.sheet_of(row)
        if url is None or not QDesktopServices.openUrl(url):
            self.session.said.emit(
                tr("There is no proof sheet of this master.")
                if url is None
                else tr("The proof sheet is {tolocalfile}.").format(tolocalfile=url.toLocalFile())
            )

    # -- showing ----------------------------------------------------------------------

    def status(self) -> Status:
        if not self.session.episode.lanes:
            return Status(tr("not started"))
        masters = self.mastering.masters
        if masters:
            passed = sum(m.proof.passes for m in masters)
            return Status(tr("{passed} of {count} masters pass").format(passed=passed, count=len(masters)), passed == len(masters))
        count = len(self.session.episode.delivery.targets)
        return Status(tr_count("{count} target chosen", "{count} targets chosen", count))

    def title(self) -> str:
        return tr("the whole program")

    def opened(self) -> None:
        super().opened()
        self.shared.program.measure()

    def closed(self) -> None:
        super().closed()
        self._on_heard("program")

    def _first_target(self) -> Target | None:
        chosen = self.mastering.chosen()
        return chosen[0] if chosen else None

    def refresh(self) -> None:
        delivery = self.session.episode.delivery
        self.targets.show_names(delivery.targets)
        self.formats.show_names(delivery.formats)
        self.formats.vbr.setChecked(delivery.vbr)
        self.extras.show_names(delivery.extras)
        self.tags.refresh(delivery)
        count = len(self.mastering.chosen()) * len(delivery.formats)
        ready = self.session.recordings.are_all_read and not self.mastering.is_busy
        self.export_button.setEnabled(bool(count) and ready)
        self.export_button.setText(
            tr_count("Make {count} master …", "Make {count} masters …", count) if count else tr("Choose a target and a format")
        )
        self.clip.setEnabled(bool(count) and ready and self.selection.range is not None)
        self.stems.setEnabled(ready)
        self.video.setVisible(bool(self.mastering.videos()))
        if self.is_open:
            self.shared.program.measure()
        target = self._first_target()
        prediction = self.mastering.prediction(target) if target is not None else None
        self.panes.show_program(self.shared.program.figures, target, prediction, bool(self.session.episode.lanes))
        known = [p for t in self.mastering.chosen() if (p := self.mastering.prediction(t)) is not None]
        self.panes.show_predictions(known)
        self.panes.show_masters(self.mastering)
        if self.mastering.delivered is not self._made:
            self._made = self.mastering.delivered
            if self._made.masters or self._made.failed:
                self.panes.show_tab("masters")
        self._show_notes()
        self._show_passages()

    def _show_passages(self) -> None:
        if self.is_open and self.panes.tabs.current == "clips":
            if self.session.episode.transcripts:
                self.clips.look()
            self.passages.refresh()

    def _show_notes(self) -> None:
        episode = self.session.episode
        if episode.delivery.notes is not None:
            self.panes.show_notes(episode.delivery.notes)
            return
        if not episode.transcripts:
            self.panes.show_notes("")
            return
        key = (episode.id, episode.transcripts, episode.cuts, episode.placed, episode.markers, episode.delivery.tags)
        if self._draft[0] == key:
            self.panes.show_notes(self._draft[1])
        elif self.is_open and not (self._drafting == key and self.session.jobs.is_busy(NOTES)):
            self._drafting = key
            self.mastering.draft_notes(lambda text: self._on_draft(key, text))

    def _on_draft(self, key: object, text: str) -> None:
        self._draft = (key, text)
        self._show_notes()
