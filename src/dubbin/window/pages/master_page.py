"""Master: will it pass, everywhere?"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from dubbin.core.deliver.encode import Format
from dubbin.core.deliver.master import Master
from dubbin.core.deliver.targets import Target, read_targets
from dubbin.core.episode.commands import change_delivery
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.mastering import Mastering
from dubbin.window.pages.page import Page
from dubbin.window.parts.card import Card, FigureRows, label, set_kind
from dubbin.window.parts.figures import number, with_unit
from dubbin.window.parts.plot import Plot
from dubbin.window.parts.table import FigureTable
from dubbin.window.theme import Theme

COLUMNS = ("Master", "Loudness", "True peak", "Range", "Verdict")
TAGS = (("title", "Title"), ("author", "Author"), ("show", "Show"), ("year", "Year"))


class MasterPage(Page):
    def __init__(
        self, desk: Desk, selection: Selection, theme: Theme, mastering: Mastering, export: Callable[[], None]
    ) -> None:
        super().__init__(desk, selection, theme)
        self.mastering = mastering
        self.targets: dict[str, QCheckBox] = {}
        self.formats: dict[str, QCheckBox] = {}
        self.tags: dict[str, QLineEdit] = {}
        self._add_targets()
        self._add_formats()
        self._add_tags()
        self.export_button = QPushButton("Make the masters …")
        self.export_button.setProperty("kind", "main")
        self.export_button.setToolTip(
            "Choose a folder; every file is decoded again and measured after it was written."
        )
        self.export_button.clicked.connect(lambda: export())
        self.column.addWidget(self.export_button)
        self.column.addStretch(1)
        self.evidence = self._evidence()
        mastering.changed.connect(self._refresh_if_open)
        self.connect_model()

    def _add_targets(self) -> None:
        card = Card("Targets")
        for target in read_targets().values():
            box = QCheckBox(target.title)
            box.setToolTip(target.rule)
            box.clicked.connect(lambda _=False: self._on_chosen())
            row = QHBoxLayout()
            row.addWidget(box, 1)
            row.addWidget(label(f"{number(target.integrated_lufs, 0)} LUFS", "muted"))
            card.body.addLayout(row)
            self.targets[target.name] = box
        self.column.addWidget(card)

    def _add_formats(self) -> None:
        card = Card("Formats")
        grid = QGridLayout()
        for k, format in enumerate(Format):
            box = QCheckBox(format.value.upper() if format is not Format.OPUS else "Opus")
            box.clicked.connect(lambda _=False: self._on_chosen())
            grid.addWidget(box, k // 3, k % 3)
            self.formats[format.value] = box
        card.body.addLayout(grid)
        self.column.addWidget(card)

    def _add_tags(self) -> None:
        card = Card("Tags")
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(4)
        for name, text in TAGS:
            field = QLineEdit()
            field.setAccessibleName(text)
            field.editingFinished.connect(lambda n=name: self._on_tag(n))
            form.addRow(label(text, "muted"), field)
            self.tags[name] = field
        card.body.addLayout(form)
        self.column.addWidget(card)

    def _evidence(self) -> QWidget:
        pane = QWidget()
        pane.setObjectName("evidence")
        row = QHBoxLayout(pane)
        row.setContentsMargins(12, 6, 14, 6)
        row.setSpacing(10)
        left = QVBoxLayout()
        left.setSpacing(2)
        self.caption = label("", "muted")
        left.addWidget(self.caption)
        self.plot = Plot(self.theme, "Loudness of the program", "s of the program", "short-term, LUFS")
        self.plot.curve("target", "fern", 1.4, dashed=True)
        self.plot.curve("program", "saddle", 1.6)
        left.addWidget(self.plot, 1)
        row.addLayout(left, 4)
        right = QVBoxLayout()
        self.figures = FigureRows()
        right.addWidget(self.figures)
        self.table = FigureTable("Masters", COLUMNS, stretched=0)
        right.addWidget(self.table, 1)
        self.verdict = label("", "muted", wrap=True)
        right.addWidget(self.verdict)
        row.addLayout(right, 7)
        return pane

    # -- acts of the person -----------------------------------------------------------

    def _on_chosen(self) -> None:
        targets = tuple(name for name, box in self.targets.items() if box.isChecked())
        formats = tuple(name for name, box in self.formats.items() if box.isChecked())
        self.desk.do(change_delivery(self.desk.episode, "Choose what to deliver", targets=targets, formats=formats))

    def _on_tag(self, name: str) -> None:
        tags = self.desk.episode.delivery.tags
        if getattr(tags, name) != self.tags[name].text():
            tags = replace(tags, **{name: self.tags[name].text()})
            self.desk.do(change_delivery(self.desk.episode, "Change the tags", tags=tags))

    # -- showing ----------------------------------------------------------------------

    def title(self) -> str:
        return "the whole program"

    def opened(self) -> None:
        super().opened()
        self.mastering.measure()

    def _first_target(self) -> Target | None:
        chosen = self.desk.episode.delivery.targets
        return read_targets().get(chosen[0]) if chosen else None

    def refresh(self) -> None:
        delivery = self.desk.episode.delivery
        for name, box in self.targets.items():
            box.setChecked(name in delivery.targets)
        for name, box in self.formats.items():
            box.setChecked(name in delivery.formats)
        for name, field in self.tags.items():
            if not field.hasFocus():
                field.setText(getattr(delivery.tags, name))
                field.setCursorPosition(0)
        count = len(delivery.targets) * len(delivery.formats)
        self.export_button.setEnabled(bool(count) and self.mastering.all_read() and not self.mastering.is_busy)
        self.export_button.setText(
            f"Make {count} master{'s' if count != 1 else ''} …" if count else "Choose a target and a format"
        )
        self.mastering.measure()
        self._show_program()
        self._show_masters()

    def _show_program(self) -> None:
        target, measured = self._first_target(), self.mastering.measured
        if measured is None:
            self.caption.setText("The program's loudness is being measured …" if self.desk.episode.lanes else "")
            self.plot.hide_curve("program")
            self.plot.hide_curve("target")
            for name in ("program loudness", "true peak", "gain to the target"):
                self.figures.show_row(name, "–")
            return
        loudness = measured.loudness
        self.caption.setText("Short-term loudness of the program before mastering, and the target")
        end = max(float(measured.times_s[-1]) if len(measured.times_s) else 1.0, 1.0)
        low = -50.0
        self.plot.set_range((0.0, end), (low, -8.0))
        self.plot.show_curve("program", measured.times_s, np.maximum(measured.short_term, low))
        self.figures.show_row("program loudness", with_unit(loudness.integrated_lufs, "LUFS"))
        self.figures.show_row("true peak", with_unit(loudness.true_peak_dbtp, "dBTP"))
        if target is None or loudness.integrated_lufs is None:
            self.plot.hide_curve("target")
            self.figures.show_row("gain to the target", "–")
            return
        self.plot.show_curve("target", np.array([0.0, end]), np.full(2, target.integrated_lufs))
        gain = target.integrated_lufs - loudness.integrated_lufs
        self.figures.show_row("gain to the target", f"{'+' if gain > 0 else ''}{number(gain)} dB")

    def _show_masters(self) -> None:
        masters = self.mastering.masters
        self.table.setRowCount(len(masters))
        for row, master in enumerate(masters):
            self._show_row(row, master)
        if not masters:
            self.verdict.setText(
                "No masters yet. Every file will be decoded again and measured; what passes here passes there."
            )
            set_kind(self.verdict, "muted")
            return
        passed = sum(m.proof.passes for m in masters)
        text = f"{passed} of {len(masters)} masters pass."
        if self.mastering.is_out_of_date:
            text += " The episode was changed since they were made."
        problems = [p for m in masters for p in m.proof.problems]
        text = "\n".join([text, *problems[:3]])
        self.verdict.setText(text)
        set_kind(self.verdict, "good" if passed == len(masters) else "bad")

    def _show_row(self, row: int, master: Master) -> None:
        loudness = master.proof.measured.loudness
        good = master.proof.passes
        values = (
            f"{master.format.value.upper()}  {master.proof.target}", with_unit(loudness.integrated_lufs, "LUFS"), with_unit(loudness.true_peak_dbtp, "dBTP"),
            with_unit(loudness.range_lu, "LU"), "✓ passes" if good else "▲ fails",
        )  # fmt: skip
        *_, verdict = self.table.show_row(row, values, tip=str(master.file))
        verdict.setForeground(self.theme.colours.q("fern" if good else "brick"))
