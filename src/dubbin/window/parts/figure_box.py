"""A field for a figure: shown with a true minus sign, typed with a hyphen, a minus, a point or a comma."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QValidator
from PyQt6.QtWidgets import QDoubleSpinBox

from dubbin.core.figures import number

MINUS = "−"


class FigureBox(QDoubleSpinBox):
    """The figure changes when it is typed whole, not with every letter."""

    def __init__(self) -> None:
        super().__init__()
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setKeyboardTracking(False)

    def textFromValue(self, value: float) -> str:
        return number(value, self.decimals())

    def _plain(self, text: str | None) -> str:
        text = (text or "").strip()
        if self.suffix() and text.endswith(self.suffix().strip()):
            text = text[: -len(self.suffix().strip())]
        return text.strip().replace(MINUS, "-").replace(",", ".")

    def valueFromText(self, text: str | None) -> float:
        try:
            return float(self._plain(text))
        except ValueError:
            return self.value()

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        plain = self._plain(text)
        if plain in ("", "-", ".", "-."):
            return QValidator.State.Intermediate, text or "", at
        try:
            value = float(plain)
        except ValueError:
            return QValidator.State.Invalid, text or "", at
        inside = self.minimum() <= value <= self.maximum()
        return QValidator.State.Acceptable if inside else QValidator.State.Intermediate, text or "", at
