"""The card of words: what was written down, and what was found in it."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton

from dubbin.core.figures import number, thousands
from dubbin.core.texts import tr
from dubbin.window.edit.acts import EditActs
from dubbin.window.edit.buttons import Buttons
from dubbin.window.edit.listening_dialog import language_title
from dubbin.window.parts.card import Card, FigureRows
from dubbin.window.shell.shared import Shared


class WordsCard(Card):
    def __init__(self, shared: Shared, acts: EditActs, buttons: Buttons) -> None:
        super().__init__(tr("Words"))
        self._session, self._speech, self._acts = shared.session, shared.speech, acts
        self.rows = FigureRows()
        self.body.addWidget(self.rows)
        self.write = QPushButton(tr("Transcribe"))
        self.write.setToolTip(tr("Speech to text on this computer, in the background; nothing is sent anywhere."))
        self.write.clicked.connect(lambda: shared.actions["transcribe"].run())
        self.body.addWidget(self.write)
        buttons.onto(self, (("cut-fillers", "keep-last-takes"), ("bring-text", "export-words")))

    def refresh(self) -> None:
        speech, rows = self._speech, self.rows
        count = speech.table.word_count
        heard_in = "".join(f" · {language_title(code)}" for code in self._session.episode.languages)
        rows.show_row(tr("words"), thousands(count) + heard_in if count else tr("none yet"))
        if count:
            fillers, retakes = speech.fillers(), speech.retakes()
            cut, chosen = self._acts.fillers.count_cut(fillers), self._acts.retakes.count_resolved(retakes)
            found = tr("{count} found, {cut} cut").format(count=len(fillers), cut=cut)
            unknown = tr("being looked for") if speech.can_look_for_fillers else tr("not known")
            rows.show_row(tr("fillers"), found if fillers or speech.knows_fillers else unknown)
            found = tr("{count} found, {chosen} resolved").format(count=len(retakes), chosen=chosen)
            rows.show_row(tr("retakes"), found if retakes or speech.knows_retakes else tr("being looked for"))
        talk = speech.crosstalk()
        rows.show_row(tr("overlaps"), f"{len(talk)}")
        rows.set_row_visible(tr("overlaps"), bool(talk))

    def show_writing(self) -> None:
        """How far writing down is; what begins it where a voice has no words."""
        fraction = self._speech.transcribing.progress()
        if fraction is not None:
            self.write.setText(tr("Stop transcribing ({fraction} %)").format(fraction=number(100 * fraction, 0)))
            return
        self.write.setText(tr("Transcribe"))
        self.write.setVisible(any(self._session.episode.transcript(lane.id) is None for lane in self._speech.transcribing.voices()))
