"""Acts of the Edit step that ask something first: a text, a length, a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QWidget

from dubbin.core.deliver.captions import caption_file, spoken_words, text_file, turn_table
from dubbin.core.deliver.edit_lists import FORMS, chapter_list, write_edit_list, write_text
from dubbin.core.episode.model import Marker
from dubbin.core.errors import DubbinError
from dubbin.core.speech.align_text import read_text
from dubbin.core.speech.recogniser import check_model
from dubbin.window.arranging import Arranging
from dubbin.window.desk import Desk
from dubbin.window.dialogs import BreakDialog, WordDialog
from dubbin.window.speech_desk import SpeechDesk

TEXT_FILES = "Transcripts (*.srt *.vtt *.txt);;All files (*)"
WORD_FILES = "Captions (*.srt *.vtt);;Text (*.txt);;Who speaks when (*.csv)"
EDIT_FILES = "OpenTimelineIO (*.otio);;EDL, CMX 3600 (*.edl);;Table (*.csv);;Labels (*.txt)"


class EditActs:
    """folder: gives the folder in which dialogs begin; sound_files: their filter for sound."""

    def __init__(
        self, parent: QWidget, desk: Desk, speech: SpeechDesk, arranging: Arranging, folder: Callable[[], str], sound_files: str
    ) -> None:
        self._parent, self._desk, self._speech, self._arranging = parent, desk, speech, arranging
        self._folder, self._sound_files = folder, sound_files

    def correct_word(self) -> None:
        found = self._arranging.selected_word()
        if found is None:
            self._desk.said.emit("Click a word first.")
            return
        row, word = found
        dialog = WordDialog(word.text, self._parent)
        if dialog.exec():
            self._arranging.correct(row, dialog.text(), dialog.everywhere())

    def rename_voice(self) -> None:
        found = self._arranging.selected_word()
        if found is None:
            self._desk.said.emit("Click a word of the voice first.")
            return
        voice = self._speech.table.voice(found[0])
        name, done = QInputDialog.getText(self._parent, "Rename the speaker", "Name:", text=voice.name)
        if done and name.strip():
            self._arranging.rename_voice(found[0], name)

    def insert_break(self) -> None:
        dialog = BreakDialog(self._parent)
        if dialog.exec():
            self._arranging.insert_break(*dialog.values())

    def insert_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._parent, "Sound to put in at the play head", self._folder(), self._sound_files)
        if name:
            self._arranging.insert_file(Path(name))

    def add_chapter(self) -> None:
        title, done = QInputDialog.getText(self._parent, "Chapter", "Title of the chapter that begins at the play head:")
        if done and title.strip():
            self._arranging.add_chapter(title.strip())

    def rename_marker(self, marker: Marker) -> str | None:
        what = "chapter" if marker.is_chapter else "marker"
        title, done = QInputDialog.getText(self._parent, f"Rename the {what}", "Title:", text=marker.text)
        return title.strip() if done else None

    def bring_text(self) -> None:
        lane = self._desk.picked_lane
        lane = lane if lane in self._speech.voices() else next(iter(self._speech.voices()), None)
        if lane is None:
            return
        name, _ = QFileDialog.getOpenFileName(self._parent, f"A transcript of what {lane.voice} says", self._folder(), TEXT_FILES)
        if name:
            self.bring_text_of(Path(name))

    def bring_text_of(self, path: Path) -> None:
        """Put a transcript to the sound of the picked voice."""
        lane = self._desk.picked_lane
        lane = lane if lane in self._speech.voices() else next(iter(self._speech.voices()), None)
        try:
            words = read_text(path)
        except DubbinError as error:
            self._desk.said.emit(str(error))
            return
        if lane is not None:
            self._speech.bring_text(lane, words, path.name)

    def split_speakers(self) -> None:
        lane = self._desk.picked_lane
        if lane is None or lane not in self._speech.voices():
            return
        count, done = QInputDialog.getInt(self._parent, "Tell speakers apart", f"How many voices does “{lane.voice}” hold?", 2, 2, 8)
        if done:
            self._speech.split_speakers(lane, count)

    def choose_model(self) -> None:
        name = QFileDialog.getExistingDirectory(self._parent, "Folder with a Whisper model in CTranslate2 form", self._folder())
        if name:
            self.use_model(Path(name))

    def use_model(self, folder: Path) -> None:
        try:
            check_model(folder)
        except DubbinError as error:
            self._desk.said.emit(str(error))
            return
        self._speech.preferences.set("speech_model", str(folder))
        self._desk.said.emit(f"Words are written down with the model in {folder.name} from now on.")

    def use_built_in_model(self) -> None:
        self._speech.preferences.set("speech_model", "")
        self._desk.said.emit("Words are written down with the English model that comes with the program.")

    def export_words(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._parent, "Write the words of the program", self._folder(), WORD_FILES)
        if name:
            self.write_words(Path(name))

    def write_words(self, path: Path) -> None:
        """Captions, text or a table of turns, by the file's ending; on program time."""
        words = spoken_words(self._desk.episode, self._desk.map)
        ending = path.suffix.lower()
        forms = {".srt": lambda: caption_file(words, "srt"), ".vtt": lambda: caption_file(words, "vtt"), ".txt": lambda: text_file(words),
                 ".csv": lambda: turn_table(words)}  # fmt: skip
        if ending not in forms:
            self._desk.said.emit(f"{path.name}: words can be written as {', '.join(forms)}.")
            return
        self._write(lambda: write_text(path, forms[ending]()), path)

    def export_edit(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._parent, "Write the edit", self._folder(), EDIT_FILES)
        if name:
            self.write_edit(Path(name))

    def write_edit(self, path: Path) -> None:
        if path.suffix.lower() not in FORMS:
            path = path.with_name(path.name + ".otio")
        self._write(lambda: write_edit_list(self._desk.episode, path), path)

    def _write(self, act: Callable[[], None], path: Path) -> None:
        try:
            act()
        except DubbinError as error:
            self._desk.said.emit(str(error))
        else:
            self._desk.said.emit(f"{path.name} was written.")

    def copy_chapters(self) -> None:
        """The list of chapters as text, into the clipboard."""
        text = chapter_list(self._desk.episode)
        board = QApplication.clipboard()
        if board is not None and text:
            board.setText(text)
            self._desk.said.emit("The list of chapters lies in the clipboard.")
        elif not text:
            self._desk.said.emit("There are no chapters yet.")
