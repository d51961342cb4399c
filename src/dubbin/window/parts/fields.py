"""Fields for figures, made from the settings they set."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QGridLayout, QLabel, QWidget

from dubbin.core.treat.settings import FieldInfo, describe
from dubbin.window.parts.card import label


class FigureField(QDoubleSpinBox):
    """A figure with its unit; Up and Down change it by a sensible step."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__()
        self.info = info
        fine = info.high - info.low <= 30 and info.unit in ("s", ": 1")
        self.setDecimals(2 if info.unit == "s" else 1)
        self.setSingleStep(0.05 if info.unit == "s" else 0.1 if fine else 1.0)
        self.setRange(info.low, info.high)
        self.setSuffix(f" {info.unit}" if info.unit else "")
        self.setToolTip(info.help)
        self.setAccessibleName(info.label)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setKeyboardTracking(False)
        self.setFixedWidth(104)

    def show_value(self, value: float) -> None:
        """Set from the model, in silence."""
        if abs(self.value() - value) > 1e-9:
            self.blockSignals(True)
            self.setValue(value)
            self.blockSignals(False)


class SettingsForm(QWidget):
    """A row a setting: its label and its figure. `edited` carries the name and the new value."""

    edited = pyqtSignal(str, float)

    def __init__(self, settings_type: type, names: tuple[str, ...] = ()) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        self.fields: dict[str, FigureField] = {}
        self.labels: dict[str, QLabel] = {}
        for info in describe(settings_type):
            if names and info.name not in names:
                continue
            field = FigureField(info)
            name = label(info.label, "muted")
            name.setToolTip(info.help)
            name.setBuddy(field)
            row = len(self.fields)
            grid.addWidget(name, row, 0)
            grid.addWidget(field, row, 1)
            self.fields[info.name], self.labels[info.name] = field, name
            field.valueChanged.connect(lambda value, n=info.name: self.edited.emit(n, value))

    def show_settings(self, settings: Any) -> None:
        for name, field in self.fields.items():
            value = getattr(settings, name)
            if value is not None:
                field.show_value(value)
