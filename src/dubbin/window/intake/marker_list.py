"""Marked places, chapters, and comments of people who listened: heard by a click, noted, answered, ticked off."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QHeaderView, QLineEdit, QPushButton, QWidget

from dubbin.core.episode.commands.comments import answer_comment, tick_marker
from dubbin.core.episode.commands.markers import note_marker, remove_marker
from dubbin.core.episode.model import Marker
from dubbin.core.figures import clock
from dubbin.core.texts import tr
from dubbin.window.parts.table import FigureTable
from dubbin.window.parts.theme import scaled
from dubbin.window.player.playing import Playing
from dubbin.window.session.session import Session

TIME, FROM, NOTE, ANSWER, DONE, REMOVE = range(6)
ANSWER_W, DONE_W, REMOVE_W = 200, 64, 92


class MarkerList(FigureTable):
    def __init__(self, session: Session, playing: Playing) -> None:
        empty = tr(
            "Press A while it plays to mark a place; it is listed here with a note. Comments from a listening page come here too: drop their files on the window."
        )
        super().__init__(tr("Markers"), (tr("Time"), tr("From"), tr("Note"), tr("Answer"), tr("Done"), ""), NOTE, empty)
        across = self.horizontalHeader()
        assert across is not None
        for column, width in (
            (ANSWER, ANSWER_W),
            (DONE, DONE_W),
            (REMOVE, REMOVE_W),
        ):  # what they hold are widgets, which nobody asks for their width
            across.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            self.setColumnWidth(column, scaled(width))
        self._session, self._playing = session, playing
        self._shown: tuple[Marker, ...] | None = None
        self.cellClicked.connect(self._on_cell)

    def refresh(self) -> None:
        markers = self._session.episode.markers
        if markers == self._shown:
            return  # a field in which one types must stay
        before, self._shown = self._shown or (), markers
        self.setRowCount(len(markers))
        for row, marker in enumerate(markers):
            if row >= len(before) or before[row] != marker:
                self._fill(row, marker)

    def _fill(self, row: int, marker: Marker) -> None:
        rate = self._session.episode.rate
        for column in (NOTE, ANSWER, DONE, REMOVE):
            self.removeCellWidget(row, column)
        self.show_row(row, (clock(marker.frame / rate, 2), marker.author, marker.text if marker.author else "", ""), tip=_tip(marker))
        if marker.author:
            self.setCellWidget(row, ANSWER, self._field(marker, marker.answer, tr("answer"), tr("Answer"), self._on_answer))
        else:
            self.setCellWidget(row, NOTE, self._field(marker, marker.text, tr("why?"), tr("Note"), self._on_note))
        if not marker.is_chapter:
            self.setCellWidget(row, DONE, self._tick(marker))
        away = QPushButton(tr("Remove"))
        away.setProperty("kind", "quiet")
        away.clicked.connect(lambda _=False, m=marker: self._session.do(remove_marker(self._session.episode, m)))
        self.setCellWidget(row, REMOVE, away)

    @staticmethod
    def _field(marker: Marker, text: str, hint: str, name: str, act: object) -> QLineEdit:
        field = QLineEdit(text)
        field.setPlaceholderText(hint)
        field.setProperty("kind", "cell")
        field.setAccessibleName(name)
        field.editingFinished.connect(lambda: act(field, marker))  # type: ignore[operator]
        return field

    def _tick(self, marker: Marker) -> QWidget:
        box = QCheckBox()
        box.setChecked(marker.is_done)
        box.setAccessibleName(tr("Done"))
        box.setToolTip(tr("What is done is passed over by the keys that go to the next marker."))
        box.toggled.connect(lambda on, m=marker: self._session.do(tick_marker(self._session.episode, m, is_done=on)))
        middle = QWidget()
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(box, 0, Qt.AlignmentFlag.AlignCenter)
        middle.setFocusProxy(box)
        return middle

    def _is_there(self, marker: Marker) -> bool:
        return marker in self._session.episode.markers

    def _on_note(self, field: QLineEdit, marker: Marker) -> None:
        if self._is_there(marker) and field.text().strip() != marker.text:
            self._session.do(note_marker(self._session.episode, marker, field.text().strip()))

    def _on_answer(self, field: QLineEdit, marker: Marker) -> None:
        if self._is_there(marker) and field.text().strip() != marker.answer:
            self._session.do(answer_comment(self._session.episode, marker, field.text().strip()))

    def _on_cell(self, row: int, column: int) -> None:
        markers = self._session.episode.markers
        if row < len(markers) and column in (TIME, FROM, NOTE):
            frame = markers[row].frame
            self._playing.play_place(frame, frame)


def _tip(marker: Marker) -> str:
    hear = tr("Click to go there and hear it.")
    return f"{marker.text}\n{hear}" if marker.author else hear
