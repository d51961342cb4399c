"""Words as they are written: corrected, given to a speaker, brought from a file, written to one; and the model that hears them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from dubbin.core.deliver.captions import caption_file, spoken_words, text_file, transcript_json, turn_table
from dubbin.core.episode.commands.lanes import lanes_of_speakers, name_voice
from dubbin.core.episode.commands.words import correct_everywhere, correct_word, name_speaker, set_spoken
from dubbin.core.episode.model import CoverKind, Lane, new_id
from dubbin.core.errors import DubbinError
from dubbin.core.mix.cover import fade_frames
from dubbin.core.sound.writing import write_text
from dubbin.core.speech.align_text import read_text
from dubbin.core.speech.models import check_model
from dubbin.core.speech.transcript import Spoken, Word
from dubbin.core.texts import tr
from dubbin.window.edit.dialogs import WordDialog
from dubbin.window.edit.listening_dialog import ListeningDialog
from dubbin.window.edit.writing import write_and_say
from dubbin.window.shell.shared import Shared

AS_MANY_AS_FOUND, MOST_SPEAKERS = tr("as many as are found"), 8
SPEAKERS_DB, DEEPEST_DB = 30.0, 60.0
TEXT_FILES = tr("Transcripts (*.srt *.vtt *.txt);;All files (*)")
WORD_FILES = tr("Captions (*.srt *.vtt);;Text (*.txt);;Words with speakers (*.json);;Who speaks when (*.csv)")


class Wording:
    def __init__(self, shared: Shared) -> None:
        self._window, self._folder, self._preferences = shared.window, shared.folder, shared.preferences
        self._session, self._selection, self._speech = shared.session, shared.selection, shared.speech

    def toggle_transcribing(self) -> None:
        """Begin to transcribe all voices, or stop."""
        self._speech.transcribing.stop() if self._speech.transcribing.is_busy() else self._speech.transcribing.start()

    # -- one word ---------------------------------------------------------------------

    def selected(self) -> tuple[int, Word] | None:
        """The one word that is selected, or the one at the play head: its row and itself."""
        table, rows = self._speech.table, self._selection.rows
        row = rows[0] if rows else table.row_at(self._selection.head)
        return (row, table.words[row]) if row is not None and row < len(table) else None

    def ask_correction(self) -> None:
        found = self.selected()
        if found is None:
            self._session.said.emit(tr("Click a word first."))
            return
        row, word = found
        dialog = WordDialog(word.text, self._window)
        if dialog.exec():
            self.correct(row, dialog.text(), dialog.everywhere())

    def correct(self, row: int, text: str, everywhere: bool = False) -> None:
        """Write a word as it was said; everywhere: wherever this word stands."""
        table = self._speech.table
        word = table.words[row]
        if text.strip() == word.text:
            return
        if everywhere and text.strip():
            self._session.do(correct_everywhere(self._session.episode, word.text, text.strip()))
        else:
            self._session.do(correct_word(self._session.episode, table.voice(row).lane, int(table.numbers[row]), text))
        self._selection.clear()

    def ask_name(self) -> None:
        found = self.selected()
        if found is None:
            self._session.said.emit(tr("Click a word of the voice first."))
            return
        voice = self._speech.table.voice(found[0])
        name, done = QInputDialog.getText(self._window, tr("Rename the speaker"), tr("Name:"), text=voice.name)
        if done and name.strip():
            self.rename_voice(found[0], name)

    def rename_voice(self, row: int, name: str) -> None:
        """Name who says a word, wherever that voice stands."""
        voice = self._speech.table.voice(row)
        transcript = self._session.episode.transcript(voice.lane)
        if transcript is not None and len(transcript.speakers) > 1:
            self._session.do(name_speaker(self._session.episode, voice.lane, voice.speaker, name))
        else:
            self._session.do(name_voice(self._session.episode, voice.lane, name))

    # -- transcripts ------------------------------------------------------------------

    def _voice(self) -> Lane | None:
        """The picked voice; the first, where something else is picked."""
        lane, voices = self._session.picked_lane, self._speech.transcribing.voices()
        return lane if lane in voices else next(iter(voices), None)

    def ask_text(self) -> None:
        lane = self._voice()
        if lane is None:
            return
        name, _ = QFileDialog.getOpenFileName(
            self._window, tr("A transcript of what {voice} says").format(voice=lane.voice), self._folder(), TEXT_FILES
        )
        if name:
            self.bring_text(Path(name))

    def bring_text(self, path: Path) -> None:
        """Put a transcript from a file to the sound of the picked voice."""
        lane = self._voice()
        try:
            words = read_text(path)
        except DubbinError as error:
            self._session.said.emit(str(error))
            return
        if lane is not None:
            self._speech.transcribing.bring_text(lane, words, path.name)

    def ask_speakers(self) -> None:
        lane = self._session.picked_lane
        if lane is None or lane not in self._speech.transcribing.voices():
            return
        choices = [AS_MANY_AS_FOUND, *(str(n) for n in range(2, MOST_SPEAKERS + 1))]
        text = tr("How many voices does “{voice}” hold?").format(voice=lane.voice)
        chosen, done = QInputDialog.getItem(self._window, tr("Separate speakers"), text, choices, 1, False)
        if done:
            self._speech.transcribing.split_speakers(lane, 0 if chosen == AS_MANY_AS_FOUND else int(chosen))

    def has_speakers(self) -> bool:
        """Whether the picked lane holds several speakers that are told apart."""
        lane = self._session.picked_lane
        transcript = self._session.episode.transcript(lane.id) if lane is not None else None
        return transcript is not None and len(transcript.speakers) > 1

    def ask_lanes_of_speakers(self) -> None:
        lane = self._session.picked_lane
        if lane is None or not self.has_speakers():
            self._session.said.emit(tr("Separate the speakers of this lane first."))
            return
        text = tr("Each is lowered where another one speaks, by dB:")
        db, done = QInputDialog.getDouble(
            self._window, tr("A lane for each speaker of {voice}").format(voice=lane.voice), text, SPEAKERS_DB, 1.0, DEEPEST_DB, 0
        )
        if done:
            self.part_speakers(lane, db)

    def part_speakers(self, lane: Lane, lower_db: float = SPEAKERS_DB) -> None:
        """A lane for each speaker of a lane, lowered where another one speaks."""
        episode, transcript = self._session.episode, self._session.episode.transcript(lane.id)
        assert transcript is not None
        ids = [new_id() for _ in transcript.speakers]
        fade = fade_frames(CoverKind.OTHER, episode.rate)
        self._session.do(lanes_of_speakers(episode, lane.id, ids, -lower_db, fade))

    def ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Export the transcript"), self._folder(), WORD_FILES)
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """Captions, text or a table of turns, by the file's ending; on program time."""
        words = spoken_words(self._session.episode, self._session.map)
        forms: dict[str, Callable[[], str]] = {
            ".srt": lambda: caption_file(words, "srt"), ".vtt": lambda: caption_file(words, "vtt"), ".txt": lambda: text_file(words),
            ".csv": lambda: turn_table(words), ".json": lambda: transcript_json(words),
        }  # fmt: skip
        form = forms.get(path.suffix.lower())
        if form is None:
            self._session.said.emit(tr("{name}: words can be written as {forms}.").format(name=path.name, forms=", ".join(forms)))
            return
        write_and_say(self._session, lambda: write_text(path, form()), path)

    # -- the model --------------------------------------------------------------------

    def ask_listening(self) -> None:
        """Ask for the speech model, the language, and names of the show."""
        dialog = self.listening_dialog()
        if dialog.exec():
            self.listen_with(dialog.choice(), dialog.spoken(), again=dialog.again.isChecked())

    def listening_dialog(self) -> ListeningDialog:
        episode = self._session.episode
        tags = episode.delivery.tags
        names = [
            tags.show,
            tags.author,
            *tags.people.split(","),
            *(v.voice for v in episode.session_voices),
            *(n for t in episode.transcripts for n in t.speakers),
        ]
        offered = dict.fromkeys(name.strip() for name in names if name.strip())
        chosen = self._speech.transcribing.models.choice
        return ListeningDialog(chosen, episode.spoken, list(offered), self._ask_folder, bool(episode.transcripts), self._window)

    def _ask_folder(self) -> str:
        name = QFileDialog.getExistingDirectory(self._window, tr("Folder with a Whisper model in CTranslate2 form"), self._folder())
        try:
            if name:
                check_model(Path(name))
        except DubbinError as error:
            self._session.said.emit(str(error))
            return ""
        return name

    def listen_with(self, choice: str, spoken: Spoken, *, again: bool = False) -> None:
        """Take over a model, a language and names; again: hear all words once more."""
        self._preferences.set("speech_model", choice)
        if spoken != self._session.episode.spoken:
            self._session.do(set_spoken(self._session.episode, spoken.language, spoken.terms))
        if again:
            self._speech.transcribing.start(again=True)
