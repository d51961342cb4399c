"""The list of passages worth a clip."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dubbin.core.figures import clock, span_text
from dubbin.core.texts import tr, tr_count
from dubbin.window.master.clips import Clips
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.parts.card import label

COLUMNS = (tr("Clip"), tr("At"), tr("Length"), tr("Begins with"), tr("Why"))


class PassageList(QWidget):
    """A row a passage; a click plays it, a tick takes it among the clips that are made."""

    def __init__(self, clips: Clips, choose: Callable[[], None]) -> None:
        """choose: asks where the clips are to be written."""
        super().__init__()
        self._clips = clips
        self.table = ActiveTable(
            tr("Passages worth a clip"), COLUMNS, 3, tr("Passages that stand alone are found in the words: have it transcribed in Edit.")
        )
        self.table.on_ticked = lambda row, on: clips.tick(clips.found[row], on)
        self.table.on_row = self._hear
        self.said = label("", "muted", wrap=True)
        self.make = QPushButton(tr("Make clips …"))
        self.make.setToolTip(tr("Masters of every ticked passage, each with captions of its own."))
        self.make.clicked.connect(lambda: choose())
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(self.make)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table, 1)
        column.addLayout(row)
        clips.changed.connect(self.refresh)

    def _hear(self, row: int) -> None:
        if row < len(self._clips.found):
            self._clips.hear(self._clips.found[row])

    def refresh(self) -> None:
        found, chosen = self._clips.found, self._clips.chosen()
        self.table.fill([(p in chosen, clock(p.start_s), span_text(p.length_s), p.title, ", ".join(p.reasons)) for p in found], ticks=True)
        self.make.setEnabled(bool(chosen))
        self.make.setText(tr_count("Make {count} clip …", "Make {count} clips …", len(chosen)) if chosen else tr("Make clips …"))
        if found:
            self.said.setText(tr("A click plays a passage and selects it; ticked ones become clips."))
        elif self._clips.is_looking:
            self.said.setText(tr("Looking for passages that stand alone …"))
        else:
            self.said.setText(tr("No passages yet: they are found in the words. Have them transcribed in Edit first."))
