"""The words with what finds in them: a field for a text, next and previous, and the size of the letters."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dubbin.core.texts import tr, tr_count
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.card import label
from dubbin.window.parts.theme import Theme, scaled
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.words.words_view import WordsView


class WordsPane(QWidget):
    def __init__(
        self, session: Session, speech: Speech, selection: Selection, view: Viewport, theme: Theme, preferences: Preferences
    ) -> None:
        super().__init__()
        self._speech, self._selection, self._view = speech, selection, view
        self.words = WordsView(session, speech, selection, theme, preferences)
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("Find words (Ctrl+F)"))
        self.field.setAccessibleName(tr("Find words"))
        self.field.setClearButtonEnabled(True)
        self.field.setMaximumWidth(scaled(240))
        self.field.setMinimumWidth(scaled(110))
        self.count = label("", "muted")
        self._places: list[tuple[int, int]] = []
        self._at = -1
        row = QHBoxLayout()
        row.setContentsMargins(10, 4, 10, 4)
        row.setSpacing(6)
        row.addWidget(self.field, 2)
        for text, tip, act in (
            ("‹", tr("Previous place (Shift+F3)"), lambda: self.step(-1)),
            ("›", tr("Next place (F3)"), lambda: self.step(1)),
        ):
            row.addWidget(self._small_button(text, tip, act))
        self.every = self._small_button(tr("All"), tr("Select all places"), self.select_all)
        self.every.setVisible(False)
        row.addWidget(self.every)
        row.addWidget(self.count)
        self.legend = label(tr("dashed: filler · dotted: doubtful · bar: pause · stitches: cut"), "muted", wrap=True)
        self.legend.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.legend, 3)
        row.addSpacing(8)
        row.addWidget(self._small_button("A−", tr("Smaller letters"), lambda: self.words.set_size(self.words.size_px - 1)))
        row.addWidget(self._small_button("A+", tr("Larger letters"), lambda: self.words.set_size(self.words.size_px + 1)))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.words, 1)
        self.field.textChanged.connect(self._on_text)
        self.field.returnPressed.connect(lambda: self.step(1))
        speech.changed.connect(self._find)

    @staticmethod
    def _small_button(text: str, tip: str, act) -> QPushButton:  # type: ignore[no-untyped-def]
        button = QPushButton(text)
        button.setProperty("kind", "letter")
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: act())
        return button

    def focus_field(self) -> None:
        """Put the cursor into the field."""
        self.field.setFocus()
        self.field.selectAll()

    def _on_text(self) -> None:
        self._at = -1
        self._find()
        if self._places:
            self.step(1)

    def _find(self) -> None:
        text = self.field.text().strip()
        self._places = self._speech.table.find(text) if text else []
        self.words.found = frozenset(r for a, b in self._places for r in range(a, b))
        self._show_count()
        viewport = self.words.viewport()
        if viewport is not None:
            viewport.update()

    def select_all(self) -> None:
        """Select the words at all places that were found."""
        table = self._speech.table
        rows = sorted(self.words.found)
        if rows:
            self._selection.select_scattered(tuple(rows), tuple((int(table.starts[r]), int(table.ends[r])) for r in rows))

    def _show_count(self) -> None:
        self.every.setVisible(len(self._places) > 1)
        if not self.field.text().strip():
            self.count.setText("")
        elif not self._places:
            self.count.setText(tr("not found"))
        else:
            self.count.setText(
                tr("{at} of {count}").format(at=self._at + 1, count=len(self._places))
                if self._at >= 0
                else tr_count("{count} place", "{count} places", len(self._places))
            )

    def step(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) place."""
        if not self._places:
            return
        starts = self._speech.table.starts
        if self._at < 0:
            head = self._selection.head
            later = [k for k, (a, _) in enumerate(self._places) if starts[a] >= head]
            self._at = (later[0] if later else 0) if direction > 0 else ((later[0] if later else len(self._places)) - 1) % len(self._places)
        else:
            self._at = (self._at + direction) % len(self._places)
        first, last = self._places[self._at]
        self.words.select_rows(list(range(first, last)))
        self._selection.set_head(int(starts[first]))
        self._view.reveal(self._selection.head)
        self.words.reveal(first)
        self._show_count()
