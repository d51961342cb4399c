"""Forms made from the settings that they set: numbers, switches, choices and spans."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QGridLayout, QPushButton, QWidget

from dubbin.core.treat.settings import FieldInfo, Kind, describe
from dubbin.window.parts.card import label

FIELD_W = 104


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
        self.setFixedWidth(FIELD_W)

    def show_value(self, value: float | None) -> None:
        """Set from the model, in silence; None (found by itself) leaves what stands there."""
        if value is not None and abs(self.value() - value) > 1e-9:
            self.blockSignals(True)
            self.setValue(value)
            self.blockSignals(False)


class SwitchField(QCheckBox):
    """Yes or no."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__(info.label)
        self.info = info
        self.setToolTip(info.help)

    def show_value(self, value: bool) -> None:
        self.blockSignals(True)
        self.setChecked(value)
        self.blockSignals(False)


class ChoiceField(QComboBox):
    """One of some values."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__()
        self.info = info
        self.setToolTip(info.help)
        self.setAccessibleName(info.label)
        self.setFixedWidth(FIELD_W)
        for value in info.choices:
            self.addItem(str(value.value), value)

    def show_value(self, value: object) -> None:
        self.setCurrentIndex(self.findData(value))


class SpanField(QPushButton):
    """A stretch of the recording that somebody picks; pressed again, it is let go of."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__(info.pick)
        self.info = info
        self.setToolTip(info.help)

    def show_value(self, value: tuple[float, float] | None) -> None:
        self.setText(f"Learned from {value[0]:.1f}–{value[1]:.1f} s · {self.info.clear}" if value else self.info.pick)


Field = FigureField | SwitchField | ChoiceField | SpanField


class SettingsForm(QWidget):
    """A row a setting, in the order in which they are declared. `edited` carries a setting's name and its new plain value; `span_wanted` the name of a span that
    is to be picked, or let go of."""

    edited = pyqtSignal(str, object)
    span_wanted = pyqtSignal(str)

    def __init__(self, settings_type: type, names: tuple[str, ...] = ()) -> None:
        """names: the settings that are shown; none: all of them."""
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(0, 1)
        self.fields: dict[str, Field] = {}
        self.labels: dict[str, QWidget] = {}
        for info in describe(settings_type):
            if not names or info.name in names:
                self._add(info)

    def _add(self, info: FieldInfo) -> None:
        row, field = len(self.fields), self._field(info)
        if isinstance(field, (FigureField, ChoiceField)):
            name = label(info.label, "muted")
            name.setToolTip(info.help)
            name.setBuddy(field)
            self._grid.addWidget(name, row, 0)
            self._grid.addWidget(field, row, 1)
            self.labels[info.name] = name
        else:
            self._grid.addWidget(field, row, 0, 1, 2)
        self.fields[info.name] = field

    def _field(self, info: FieldInfo) -> Field:
        name = info.name
        if info.kind is Kind.SWITCH:
            box = SwitchField(info)
            box.toggled.connect(lambda on: self.edited.emit(name, on))
            return box
        if info.kind is Kind.CHOICE:
            choice = ChoiceField(info)
            choice.activated.connect(lambda: self.edited.emit(name, choice.currentData().value))
            return choice
        if info.kind is Kind.SPAN:
            button = SpanField(info)
            button.clicked.connect(lambda: self.span_wanted.emit(name))
            return button
        figure = FigureField(info)
        figure.valueChanged.connect(lambda value: self.edited.emit(name, value))
        return figure

    def show_settings(self, settings: Any) -> None:
        """Show values; settings that mean nothing beside the others are hidden."""
        for name, field in self.fields.items():
            field.show_value(getattr(settings, name))
            self.set_field_visible(name, field.info.applies(settings))

    def set_field_visible(self, name: str, visible: bool) -> None:
        self.fields[name].setVisible(visible)
        if name in self.labels:
            self.labels[name].setVisible(visible)
