"""What the Edit step asks: a word as it was said, a break."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.dialog import ok_or_cancel
from dubbin.window.parts.figure_box import FigureBox


class WordDialog(QDialog):
    """A word as it was said."""

    def __init__(self, word: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Correct a word"))
        self.field = QLineEdit(word)
        self.field.setMinimumWidth(280)
        self.field.selectAll()
        self.box = QCheckBox(tr("Wherever this word stands"))
        column = QVBoxLayout(self)
        column.addWidget(label(tr("The sound stays as it is. An empty field removes the word."), "muted"))
        column.addWidget(self.field)
        column.addWidget(self.box)
        column.addWidget(ok_or_cancel(self))

    def text(self) -> str:
        return self.field.text().strip()

    def everywhere(self) -> bool:
        return self.box.isChecked()


class BreakDialog(QDialog):
    """Length, name and cue tone of a break."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Insert a break"))
        self.name = QLineEdit(tr("Break"))
        self.length = FigureBox()
        self.length.setRange(0.1, 600.0)
        self.length.setValue(1.0)
        self.length.setSuffix(" s")
        self.cue = QCheckBox(tr("A cue tone at its beginning"))
        grid = QGridLayout(self)
        grid.addWidget(label(tr("Name"), "muted"), 0, 0)
        grid.addWidget(self.name, 0, 1)
        grid.addWidget(label(tr("Length"), "muted"), 1, 0)
        grid.addWidget(self.length, 1, 1)
        grid.addWidget(self.cue, 2, 0, 1, 2)
        grid.addWidget(ok_or_cancel(self), 3, 0, 1, 2)

    def values(self) -> tuple[float, str, bool]:
        return self.length.value(), self.name.text().strip() or tr("Break"), self.cue.isChecked()
