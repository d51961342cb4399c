"""Chapters: begun at the play head, suggested, renamed, and their list."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QInputDialog

from dubbin.core.deliver.edit_lists import chapter_list
from dubbin.core.episode.commands.markers import add_chapter, set_chapters
from dubbin.core.episode.model import Marker
from dubbin.core.speech.chapters import suggest_chapters
from dubbin.core.speech.transcript import Word, WordKind
from dubbin.core.texts import tr
from dubbin.window.shell.shared import Shared

CHAPTER_EARLY_S = 0.25  # a chapter begins this long before its first word


class Chaptering:
    def __init__(self, shared: Shared) -> None:
        self._window, self._session, self._selection, self._speech = shared.window, shared.session, shared.selection, shared.speech

    def ask_title(self) -> None:
        title, done = QInputDialog.getText(self._window, tr("Chapter"), tr("Title of the chapter that begins at the play head:"))
        if done and title.strip():
            self.add(title.strip())

    def add(self, title: str) -> None:
        self._session.do(add_chapter(self._session.episode, self._selection.head, title))

    def ask_new_title(self, marker: Marker) -> str | None:
        """Another text for a chapter or marker; None where it is to stay."""
        title = tr("Rename the chapter") if marker.is_chapter else tr("Rename the marker")
        text, done = QInputDialog.getText(self._window, title, tr("Title:"), text=marker.text)
        return text.strip() if done else None

    def suggest(self) -> None:
        """Chapters from long pauses and changes of vocabulary, in what is heard."""
        table, episode, time_map = self._speech.table, self._session.episode, self._session.map
        heard = time_map.many_to_program((table.starts + table.ends) // 2) >= 0
        words = [
            Word(w.text, int(s), int(e), w.kind) for w, s, e, h in zip(table.words, table.starts, table.ends, heard, strict=True)
            if h and w.kind is WordKind.WORD
        ]  # fmt: skip
        ideas = suggest_chapters(words, episode.rate, episode.languages)
        if len(ideas) < 2:
            self._session.said.emit(tr("There is too little text for chapters.") if not words else tr("No change of subject was found."))
            return
        early = round(CHAPTER_EARLY_S * episode.rate)
        marks = [(max(idea.frame - early, 0), idea.title) for idea in ideas]
        self._session.do(set_chapters(episode, marks, tr("Suggest {count} chapters").format(count=len(marks))))

    def copy_list(self) -> None:
        """The list of chapters as text, into the clipboard."""
        text = chapter_list(self._session.episode)
        board = QApplication.clipboard()
        if board is not None and text:
            board.setText(text)
            self._session.said.emit(tr("The list of chapters lies in the clipboard."))
        elif not text:
            self._session.said.emit(tr("There are no chapters yet."))
