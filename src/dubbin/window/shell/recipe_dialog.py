"""What a recipe holds, with a tick at each: before it is saved, and before it is applied."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QGridLayout, QVBoxLayout, QWidget

from dubbin.core.deliver.recipe import Recipe, RecipePart
from dubbin.core.deliver.recipe_contents import contents
from dubbin.window.parts.card import label
from dubbin.window.parts.dialog import ok_or_cancel

WIDTH = 560


class RecipeDialog(QDialog):
    """boxes: the ticks by part."""

    def __init__(self, recipe: Recipe, title: str, about: str, accept: str, parent: QWidget | None = None) -> None:
        """accept: the word on the button that goes on."""
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setSpacing(12)
        column.addWidget(label(about, "muted", wrap=True))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        self.boxes: dict[RecipePart, QCheckBox] = {}
        for row, line in enumerate(contents(recipe)):
            box = QCheckBox(line.title)
            box.setChecked(True)
            box.toggled.connect(self._show_button)
            text = label(line.text, "muted", wrap=True)
            grid.addWidget(box, row, 0)
            grid.addWidget(text, row, 1)
            self.boxes[line.part] = box
        column.addLayout(grid)
        column.addStretch(1)
        buttons = ok_or_cancel(self)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        self.ok = ok
        self.ok.setText(accept)
        column.addWidget(buttons)
        self._show_button()

    def parts(self) -> tuple[RecipePart, ...]:
        """What is ticked."""
        return tuple(part for part, box in self.boxes.items() if box.isChecked())

    def _show_button(self) -> None:
        self.ok.setEnabled(bool(self.parts()))
