"""The buttons of the Edit page: actions under short names, beside each other on cards and over lists."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout

from dubbin.core.texts import tr
from dubbin.window.parts.action import ActionButton, ActionList
from dubbin.window.parts.card import Card

SHORT = {
    "cut": tr("Cut"), "put-back": tr("Put back"), "split": tr("Split"), "cut-piece": tr("Cut piece"), "hear-seam": tr("Hear seam"), "walk-next": tr("Walk the seams"),
    "walk-doubtful": tr("Next doubtful"), "fold": tr("Fold"), "put-back-all": tr("Put back all"), "export-edit": tr("Export edit …"), "insert-file": tr("Insert sound …"),
    "insert-break": tr("Break …"), "add-chapter": tr("Chapter …"), "suggest-chapters": tr("Suggest chapters"), "copy-chapters": tr("Copy chapters"), "bleep": tr("Bleep"),
    "mute-stretch": tr("Mute"), "uncover": tr("Uncover"), "cut-fillers": tr("Cut all fillers"), "keep-last-takes": tr("Keep last takes"), "bring-text": tr("Import …"),
    "all-pauses": tr("Cut or put back all"), "mark-pauses": tr("Mark all"), "mark-fillers": tr("Mark all"), "pause-level": tr("Level from selection"),
    "export-words": tr("Export …"),
}  # fmt: skip


class Buttons:
    """Makes them, and shows all of them as their actions are by now."""

    def __init__(self, actions: ActionList) -> None:
        self._actions = actions
        self.made: list[ActionButton] = []

    def onto(self, card: Card, rows: Sequence[Sequence[str]]) -> None:
        """Put rows of buttons onto a card."""
        for names in rows:
            row = QHBoxLayout()
            row.setSpacing(6)
            for name in names:
                row.addWidget(self._button(name), 1)
            card.body.addLayout(row)

    def small(self, *names: str) -> list[ActionButton]:
        """Small ones, for the row over a list."""
        found = [self._button(name) for name in names]
        for button in found:
            button.setProperty("kind", "small")
        return found

    def show_state(self) -> None:
        for button in self.made:
            button.show_state()

    def _button(self, name: str) -> ActionButton:
        button = ActionButton(self._actions, name, SHORT.get(name, ""))
        self.made.append(button)
        return button
