"""All targets with the text of their rules; those of one's own can be changed, and any can be copied into one."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from dubbin.core.deliver.formats import FORMATS
from dubbin.core.deliver.own_targets import free_name, own_targets, save_own_targets
from dubbin.core.deliver.targets import Target, all_targets
from dubbin.core.errors import DubbinError
from dubbin.core.figures import short_number
from dubbin.core.texts import tr
from dubbin.window.parts.card import label, set_kind
from dubbin.window.parts.dialog import close_row
from dubbin.window.parts.figure_box import FigureBox

RATES = (0, 22050, 32000, 44100, 48000, 96000)
# Figures of a target that are edited: field, label, unit, lowest, highest.
FIGURES = (
    ("integrated_lufs", tr("Loudness"), "LUFS", -60.0, 0.0), ("tolerance_lu", tr("Tolerance"), "LU", 0.1, 6.0), ("true_peak_dbtp", tr("True peak"), "dBTP", -30.0, 0.0),
)  # fmt: skip


class TargetsDialog(QDialog):
    """folder: of a person's settings."""

    def __init__(self, folder: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Targets"))
        self.resize(640, 460)
        self._folder = folder
        self.own: dict[str, Target] = own_targets(folder)
        self._filling = False
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Targets"))
        self.list.setFixedWidth(210)
        self.list.currentRowChanged.connect(lambda _: self._show())
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.copy, self.remove = QPushButton(tr("Copy")), QPushButton(tr("Remove"))
        self.copy.setToolTip(tr("A target of your own, which begins as the picked one."))
        self.copy.clicked.connect(self.copy_picked)
        self.remove.clicked.connect(self.remove_picked)
        row.addWidget(self.copy)
        row.addWidget(self.remove)
        left.addLayout(row)
        right = QVBoxLayout()
        right.addLayout(self._form())
        right.addStretch(1)
        self.said = label("", "muted", wrap=True)
        right.addWidget(self.said)
        right.addLayout(close_row(self))
        whole = QHBoxLayout(self)
        whole.setSpacing(18)
        whole.addLayout(left)
        whole.addLayout(right, 1)
        self._fill()
        self.list.setCurrentRow(0)

    def _form(self) -> QFormLayout:
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(7)
        self.title = QLineEdit()
        self.title.editingFinished.connect(self._take_over)
        form.addRow(tr("Title"), self.title)
        self.boxes: dict[str, FigureBox] = {}
        for name, text, unit, low, high in FIGURES:
            box = FigureBox()
            box.setDecimals(1)
            box.setRange(low, high)
            box.setSuffix(f" {unit}")
            box.valueChanged.connect(lambda _: self._take_over())
            self.boxes[name] = box
            form.addRow(text, box)
        self.rate, self.channels, self.bits = QComboBox(), QComboBox(), QComboBox()
        for rate in RATES:
            self.rate.addItem(f"{short_number(rate / 1000)} kHz" if rate else tr("as the program"), rate)
        for count, text in ((1, tr("mono")), (2, tr("stereo"))):
            self.channels.addItem(text, count)
        for bits in (16, 24, 32):
            self.bits.addItem(tr("{bits} bit").format(bits=bits), bits)
        self.kbps = QSpinBox()
        self.kbps.setRange(16, 512)
        self.kbps.setSuffix(tr(" kbit/s"))
        self.kbps.setKeyboardTracking(False)
        for text, widget in (
            (tr("Sample rate"), self.rate),
            (tr("Channels"), self.channels),
            (tr("Word length of WAV and FLAC"), self.bits),
        ):
            widget.activated.connect(lambda _: self._take_over())
            form.addRow(text, widget)
        self.kbps.valueChanged.connect(lambda _: self._take_over())
        form.addRow(tr("Bit rate of MP3, M4A and Opus"), self.kbps)
        self.rule = QLineEdit()
        self.rule.setPlaceholderText(tr("Where these figures come from"))
        self.rule.editingFinished.connect(self._take_over)
        form.addRow(tr("Rule"), self.rule)
        self.rule_text = label("", "muted", wrap=True)
        form.addRow("", self.rule_text)
        return form

    def _fill(self) -> None:
        self.targets = {**all_targets(), **self.own}
        self.list.clear()
        for target in self.targets.values():
            self.list.addItem(tr("{title}  ·  yours").format(title=target.title) if target.name in self.own else target.title)

    def picked(self) -> Target | None:
        names = list(self.targets)
        row = self.list.currentRow()
        return self.targets[names[row]] if 0 <= row < len(names) else None

    def _show(self) -> None:
        target = self.picked()
        if target is None:
            return
        own = target.name in self.own
        self._filling = True
        self.title.setText(target.title)
        for name, box in self.boxes.items():
            value = getattr(target, name)
            box.setValue(value if value is not None else box.minimum())
            box.setEnabled(own and value is not None)
        for widget, value in ((self.rate, target.rate), (self.channels, target.channels), (self.bits, target.bits)):
            widget.setCurrentIndex(max(widget.findData(value), 0))
        self.kbps.setValue(target.kbps)
        self.rule.setText(target.rule)
        self.rule.setCursorPosition(0)
        self.rule_text.setText(target.rule)
        self.rule.setVisible(own)
        self.rule_text.setVisible(not own)
        for editable in (self.title, self.rate, self.channels, self.bits, self.kbps):
            editable.setEnabled(own)
        self.remove.setEnabled(own)
        self._filling = False
        formats = ", ".join(FORMATS[f].title for f in target.formats if f in FORMATS)
        usual = tr("Usual formats: {formats}.").format(formats=formats) if formats else ""
        self._say(usual if own else tr("This target comes with Dubbin: Copy makes one that can be changed. {usual}").format(usual=usual))

    def _say(self, text: str, kind: str = "muted") -> None:
        self.said.setText(text)
        set_kind(self.said, kind)

    # -- acts of the person -----------------------------------------------------------

    def copy_picked(self) -> None:
        """A target of one's own like the picked one."""
        target = self.picked()
        if target is not None:
            title = tr("{title}, own").format(title=target.title)
            name = free_name(title, self.targets)
            self._save({**self.own, name: replace(target, name=name, title=title)}, name)
            self.title.setFocus()
            self.title.selectAll()

    def remove_picked(self) -> None:
        target = self.picked()
        if target is not None and target.name in self.own:
            self._save({name: t for name, t in self.own.items() if name != target.name}, None)

    def _take_over(self) -> None:
        """Keep what stands in the fields."""
        target = self.picked()
        if self._filling or target is None or target.name not in self.own:
            return
        figures: dict[str, Any] = {name: box.value() for name, box in self.boxes.items() if getattr(target, name) is not None}
        changed = replace(
            target, title=self.title.text().strip() or target.title, rate=self.rate.currentData(), channels=self.channels.currentData(),
            bits=self.bits.currentData(), kbps=self.kbps.value(), rule=self.rule.text(), **figures,
        )  # fmt: skip
        if changed != target:
            self._save({**self.own, target.name: changed}, target.name)

    def _save(self, own: dict[str, Target], picked: str | None) -> None:
        try:
            save_own_targets(self._folder, own)
        except DubbinError as error:
            self._say(str(error), "bad")
            return
        self.own = own
        self._fill()
        names = list(self.targets)
        self.list.setCurrentRow(names.index(picked) if picked in names else 0)
