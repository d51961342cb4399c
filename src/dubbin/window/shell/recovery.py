"""Episodes that were left by a program that ended without warning: each is recovered, kept for later, or discarded after a question."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QMessageBox, QPushButton, QVBoxLayout, QWidget

from dubbin.core.episode.journal_reading import LeftOver, discard, left_over
from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr, tr_count
from dubbin.window.parts.card import Card, label
from dubbin.window.parts.layouts import clear_layout


class RecoveryDialog(QDialog):
    """journals: the folder in which they lie. recover: opens one in the window."""

    def __init__(self, journals: Path, recover: Callable[[LeftOver], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Recover episodes"))
        self._journals, self._recover = journals, recover
        column = QVBoxLayout(self)
        column.addWidget(label(tr("Dubbin ended unexpectedly. These episodes have changes that were not saved:"), "strong", wrap=True))
        self._list = QVBoxLayout()
        column.addLayout(self._list)
        self._told = label("", "bad", wrap=True)
        self._told.hide()
        column.addWidget(self._told)
        column.addStretch(1)
        column.addWidget(label(tr("What you leave here is offered again at the next start."), "muted"))
        row = QHBoxLayout()
        row.addStretch(1)
        later = QPushButton(tr("Decide later"))
        later.clicked.connect(self.reject)
        row.addWidget(later)
        column.addLayout(row)
        self.setMinimumWidth(520)
        self.fill()

    def fill(self) -> None:
        """Show what is left over now; with nothing left, the dialog closes."""
        clear_layout(self._list)
        found = left_over(self._journals)
        for item in found:
            self._list.addWidget(self._card(item))
        if not found:
            self.reject()

    def _card(self, item: LeftOver) -> Card:
        card = Card(item.title)
        when = time.strftime("%-d %B, %H:%M", time.localtime(item.changed_at))
        steps = tr_count(
            "{count} step not saved, the last “{last}”, {when}",
            "{count} steps not saved, the last “{last}”, {when}",
            item.steps,
            last=item.last_step,
            when=when,
        )
        card.body.addWidget(label(steps, "muted", wrap=True))
        if item.episode_path is not None:
            card.body.addWidget(label(str(item.episode_path), "muted", wrap=True))
        row = QHBoxLayout()
        take, discard = QPushButton(tr("Recover")), QPushButton(tr("Discard …"))
        take.setProperty("kind", "main")
        take.clicked.connect(lambda: self._take(item))
        discard.clicked.connect(lambda: self._discard(item))
        row.addWidget(take)
        row.addWidget(discard)
        row.addStretch(1)
        card.body.addLayout(row)
        return card

    def _take(self, item: LeftOver) -> None:
        self.accept()
        self._recover(item)

    def _discard(self, item: LeftOver) -> None:
        if not is_sure(self, item):
            return
        try:
            discard(item)
        except DubbinError as error:
            self._told.setText(str(error))
            self._told.show()
        self.fill()


def is_sure(parent: QWidget, item: LeftOver) -> bool:
    """Ask before unsaved changes are thrown away."""
    kinds = QMessageBox.StandardButton
    text = tr("Discard the unsaved changes of “{title}”? They can't be brought back.").format(title=item.title)
    return QMessageBox.question(parent, tr("Discard changes"), text, kinds.Discard | kinds.Cancel, kinds.Cancel) == kinds.Discard
