"""What Dubbin is made of, and under which licences: a list, and the text of each."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QPlainTextEdit, QSplitter, QVBoxLayout, QWidget

from dubbin.core.licences import licences
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.dialog import close_row
from dubbin.window.parts.theme import scaled


class LicencesDialog(QDialog):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Licences"))
        self.resize(900, 600)
        self._all = licences()
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Parts of Dubbin"))
        for item in self._all:
            self.list.addItem(QListWidgetItem(f"{item.name} {item.version}\n{item.title}"))
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName(tr("Text of the licence"))
        parts = QSplitter(Qt.Orientation.Horizontal)
        parts.addWidget(self.list)
        parts.addWidget(self.text)
        parts.setSizes([scaled(300), scaled(560)])
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.addWidget(
            label(
                tr("Dubbin is free software under the GNU General Public License, version 3 or later. It stands on these."),
                "muted",
                wrap=True,
            )
        )
        column.addWidget(parts, 1)
        column.addLayout(close_row(self))
        self.list.currentRowChanged.connect(self._show)
        self.list.setCurrentRow(0)

    def _show(self, row: int) -> None:
        if 0 <= row < len(self._all):
            self.text.setPlainText(
                self._all[row].text
                or tr("This part brings no text of its licence along; it stands under: {title}.").format(title=self._all[row].title)
            )
