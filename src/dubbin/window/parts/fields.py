"""Forms made from the settings that they set: numbers, switches, choices and spans."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QPushButton, QWidget

from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.core.treat.settings import FieldInfo, Kind, describe
from dubbin.window.parts.card import label
from dubbin.window.parts.figure_box import FigureBox
from dubbin.window.parts.theme import scaled

FIELD_W, INDENT = 104, 10


class FigureField(FigureBox):
    """A figure with its unit; Up and Down change it by a sensible step."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__()
        self.info = info
        fine = info.high - info.low <= 30 and info.unit in ("s", ": 1")
        self.setDecimals(2 if info.unit == "s" else 0 if info.unit == "Hz" else 1)
        self.setSingleStep(0.05 if info.unit == "s" else 0.1 if fine else 1.0)
        self.setRange(info.low, info.high)
        self.setSuffix(f" {info.unit}" if info.unit else "")
        self.setToolTip(info.help)
        self.setAccessibleName(f"{info.group}: {info.label.lower()}" if info.group else info.label)
        self.setFixedWidth(scaled(FIELD_W))

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
        self.setFixedWidth(scaled(FIELD_W))
        for value in info.choices:
            self.addItem(tr(str(value.value)), value)

    def show_value(self, value: object) -> None:
        self.setCurrentIndex(self.findData(value))


class SpanField(QPushButton):
    """A stretch of the recording that somebody picks; pressed again, it is let go of."""

    def __init__(self, info: FieldInfo) -> None:
        super().__init__(info.pick)
        self.info = info
        self.setToolTip(info.help)

    def show_value(self, value: tuple[float, float] | None) -> None:
        self.setText(
            tr("Learned from {start}–{end} s · {clear}").format(start=number(value[0]), end=number(value[1]), clear=self.info.clear)
            if value
            else self.info.pick
        )


Field = FigureField | SwitchField | ChoiceField | SpanField


class SettingsForm(QWidget):
    """A row a setting, in the order in which they are declared. `edited` carries a setting's name and its new plain value; `span_wanted` the name of a span that
    is to be picked, or let go of."""

    edited = pyqtSignal(str, object)
    span_wanted = pyqtSignal(str)

    def __init__(self, settings_type: type, names: tuple[str, ...] = (), before: Mapping[str, QWidget] | None = None) -> None:
        """names: the settings that are shown; none: all of them. before: what else is shown right before a setting, by its name."""
        super().__init__()
        self._before, self._group, self._row = dict(before or {}), "", 0
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
        if info.group != self._group:
            self._group = info.group
            if info.group:
                self._add_row(label(info.group, "strong"))
        if info.name in self._before:
            self._add_row(self._before[info.name])
        row, field = self._row, self._field(info)
        self._row += 1
        if isinstance(field, (FigureField, ChoiceField)):
            name = label(info.label, "muted", wrap=True)
            name.setIndent(scaled(INDENT) if info.group else -1)
            name.setToolTip(info.help)
            name.setBuddy(field)
            self._grid.addWidget(name, row, 0)
            self._grid.addWidget(field, row, 1)
            self.labels[info.name] = name
        else:
            self._grid.addWidget(field, row, 0, 1, 2)
        self.fields[info.name] = field

    def _add_row(self, widget: QWidget) -> None:
        self._grid.addWidget(widget, self._row, 0, 1, 2)
        self._row += 1

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

    def show_settings(self, settings: Any, hidden: Collection[str] = ()) -> None:
        """Show values; settings that mean nothing beside the others are hidden, and those named. Nothing is shown only to be hidden again: its room would come and go."""
        for name, field in self.fields.items():
            field.show_value(getattr(settings, name))
            visible = name not in hidden and field.info.applies(settings)
            field.setVisible(visible)
            if name in self.labels:
                self.labels[name].setVisible(visible)
