"""What masters are judged by: the program before they are made, the files after, and the show notes."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dubbin.core.deliver.prediction import STEP_S, Prediction, ProgramFigures
from dubbin.core.deliver.targets import Target
from dubbin.core.figures import number, with_unit
from dubbin.core.texts import tr
from dubbin.window.master.mastering import Mastering
from dubbin.window.parts.card import label, set_kind
from dubbin.window.parts.plot import Plot
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.table import FigureTable
from dubbin.window.parts.theme import Theme

TABS = (("program", tr("Program")), ("masters", tr("Masters")), ("clips", tr("Clips")), ("notes", tr("Show notes")))
HEARD = (("program", tr("Program"), ""), ("master", tr("Master"), ""), (tr("Matched"), tr("Matched"), ""))
LOWEST_LUFS, HIGHEST_LUFS = -50.0, 0.0
MASTER_COLUMNS = (tr("Master"), tr("Loudness"), tr("True peak"), tr("Range"), tr("Verdict"))
TARGET_COLUMNS = (tr("Target"), tr("Gain"), tr("Limiter"), tr("Will it pass?"))


NO_TARGET = tr("Tick a target on the card: what it will take to meet it stands here.")


class MasterEvidence(QWidget):
    hear_chosen = pyqtSignal(str)
    notes_edited = pyqtSignal(str)
    redraft_wanted = pyqtSignal()
    tab_shown = pyqtSignal(str)
    sheet_wanted = pyqtSignal(int)

    def __init__(self, theme: Theme, passages: QWidget) -> None:
        """passages: the list of passages worth a clip."""
        super().__init__()
        self.setObjectName("evidence")
        self._theme = theme
        self.tabs = Segments(theme, tr("Evidence"), [(k, t, "") for k, t in TABS], {})
        self.heard = Segments(theme, tr("Hear"), HEARD, {})
        self.heard.setToolTip(
            tr("Hear the program, or the master as it will be; “Matched” has the program's level, so that one compares the sound.")
        )
        self.pages = QStackedWidget()
        for page in (self._program_page(), self._masters_page(), passages, self._notes_page()):
            self.pages.addWidget(page)
        head = QHBoxLayout()
        head.addWidget(self.tabs)
        head.addStretch(1)
        self.hear_label = label(tr("hear:"), "muted")
        head.addWidget(self.hear_label)
        head.addWidget(self.heard)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 4)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.pages, 1)
        self.tabs.chosen.connect(self.show_tab)
        self.heard.chosen.connect(self.hear_chosen)
        self.show_tab("program")

    def _program_page(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        self.plot = Plot(self._theme, tr("Loudness of the program"), tr("program time"), "LUFS", clock_axis=True)
        for name, colour, width, dashed in (
            ("upper", "fern", 1.0, True),
            ("lower", "fern", 1.0, True),
            ("momentary", "wash", 1.0, False),
            ("program", "saddle", 1.6, False),
            ("limiter", "brick", 1.2, False),
        ):
            self.plot.curve(name, colour, width, dashed)
        for name, text in (("program", tr("short-term")), ("upper", tr("tolerance")), ("limiter", tr("limiter"))):
            self.plot.name_curve(name, text)
        left = QVBoxLayout()
        left.setSpacing(2)
        self.caption = label("", "muted", wrap=True)
        left.addWidget(self.caption)
        left.addWidget(self.plot, 1)
        row.addLayout(left, 5)
        right = QVBoxLayout()
        self.predictions = FigureTable(tr("Expected result"), TARGET_COLUMNS, 0, NO_TARGET)
        right.addWidget(self.predictions, 1)
        self.advice = label("", "muted", wrap=True)
        right.addWidget(self.advice)
        row.addLayout(right, 5)
        return page

    def _masters_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        self.table = FigureTable(
            tr("Masters"), MASTER_COLUMNS, 0, tr("No masters yet. Tick targets and formats on the card, then Make masters.")
        )
        self.table.cellDoubleClicked.connect(lambda row, _: self.sheet_wanted.emit(row))
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.verdict = label("", "muted", wrap=True)
        row.addWidget(self.verdict, 1)
        self.sheet = QPushButton(tr("Show the proof sheet"))
        self.sheet.setToolTip(tr("Opens the picked master's proof sheet; a double-click on it does too."))
        self.sheet.clicked.connect(lambda: self.sheet_wanted.emit(max(self.table.currentRow(), 0)))
        row.addWidget(self.sheet)
        column.addLayout(row)
        return page

    def _notes_page(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        self.notes = QPlainTextEdit()
        self.notes.setAccessibleName(tr("Show notes"))
        self.notes.setPlaceholderText(tr("Notes are drafted from what was said. Have it transcribed in Edit first."))
        self.notes.textChanged.connect(self._on_notes)
        row.addWidget(self.notes, 1)
        side = QVBoxLayout()
        self.redraft = QPushButton(tr("Redraft"))
        self.redraft.setToolTip(tr("From the words as they are now; what was edited is lost, and Undo brings it back."))
        self.redraft.clicked.connect(self.redraft_wanted)
        side.addWidget(self.redraft)
        side.addStretch(1)
        row.addLayout(side)
        return page

    def _on_notes(self) -> None:
        if self.notes.hasFocus():
            self.notes_edited.emit(self.notes.toPlainText())

    def show_tab(self, key: str) -> None:
        self.tabs.show_choice(key)
        self.pages.setCurrentIndex([k for k, _ in TABS].index(key))
        for widget in (self.hear_label, self.heard):
            widget.setVisible(key == "program")
        self.tab_shown.emit(key)

    # -- the program ------------------------------------------------------------------

    def _say_why_empty(self, text: str) -> None:
        """What stands in the table of targets while it has no rows."""
        if self.predictions.empty != text:
            self.predictions.empty = text
            self.predictions.setAccessibleDescription(text)
            port = self.predictions.viewport()
            if port is not None:
                port.update()

    def show_program(self, figures: ProgramFigures | None, target: Target | None, prediction: Prediction | None, has_lanes: bool) -> None:
        names = ("upper", "lower", "momentary", "program", "limiter")
        if figures is None or not len(figures.history.times_s):
            self.caption.setText(tr("The program's loudness is being measured …") if has_lanes else "")
            self.plot.set_range((0.0, 60.0), (LOWEST_LUFS, HIGHEST_LUFS))
            self._say_why_empty(
                tr("What each ticked target takes stands here as soon as the program is measured.") if has_lanes and target else NO_TARGET
            )
            for name in names:
                self.plot.hide_curve(name)
            return
        self._say_why_empty(NO_TARGET)
        history = figures.history
        gain = prediction.gain_db if prediction is not None else 0.0
        end = max(float(history.times_s[-1]) + 1.5, 1.0)
        self.plot.set_range((0.0, end), (LOWEST_LUFS, HIGHEST_LUFS))
        self.plot.show_curve("momentary", history.times_s, np.maximum(history.momentary + gain, LOWEST_LUFS))
        self.plot.show_curve("program", history.times_s, np.maximum(history.short_term + gain, LOWEST_LUFS))
        if target is None or target.integrated_lufs is None or prediction is None:
            self.caption.setText(
                tr("{integrated_lufs} now; pale: momentary").format(integrated_lufs=with_unit(history.loudness.integrated_lufs, "LUFS"))
            )
            for name in ("upper", "lower"):
                self.plot.hide_curve(name)
        else:
            self.caption.setText(tr("{title}, {gain} dB of gain; pale: momentary").format(title=target.title, gain=number(gain)))
            for name, sign in (("upper", 1), ("lower", -1)):
                self.plot.show_curve(name, np.array([0.0, end]), np.full(2, target.integrated_lufs + sign * target.tolerance_lu))
        if prediction is None or not len(prediction.reduction.db):
            self.plot.hide_curve("limiter")
            return
        db = prediction.reduction.db
        step = max(1, len(db) // 1500)
        whole = len(db) // step * step
        lowest = np.minimum.reduce(db[:whole].reshape(-1, step), axis=1)
        self.plot.show_curve("limiter", (np.arange(len(lowest)) + 0.5) * step * STEP_S, lowest)

    def show_predictions(self, predictions: list[Prediction]) -> None:
        self.predictions.setRowCount(len(predictions))
        sentences = []
        for row, p in enumerate(predictions):
            limiter = "–" if p.target.keeps_level else f"−{number(p.reduction.deepest_db)} dB" if p.reduction.deepest_db > 0.05 else "idle"
            verdict = tr("▲ no") if p.problems else tr("✓ yes, heard") if p.advice else tr("✓ yes")
            gain = "–" if p.target.keeps_level else f"{'+' if p.gain_db > 0 else ''}{number(p.gain_db)} dB"
            *_, item = self.predictions.show_row(row, (p.target.title, gain, limiter, verdict), tip="\n".join((*p.problems, *p.advice)))
            item.setForeground(self._theme.colours.q("brick" if p.problems else "fern"))
            sentences += [f"▲ {p.target.title}: {text}" for text in p.problems] + list(p.advice)
        self.advice.setText("\n".join(sentences[:3]))
        self.advice.setVisible(bool(sentences))
        set_kind(self.advice, "bad" if any(p.problems for p in predictions) else "muted")

    # -- masters ----------------------------------------------------------------------

    def show_masters(self, mastering: Mastering) -> None:
        masters, failed = mastering.masters, mastering.delivered.failed
        self.table.setRowCount(len(masters) + len(failed))
        for row, master in enumerate(masters):
            loudness, proof = master.proof.measured.loudness, master.proof
            values = (
                f"{master.format.title} · {mastering.title_of(proof.target)}", with_unit(loudness.integrated_lufs, "LUFS"), with_unit(loudness.true_peak_dbtp, "dBTP"),
                with_unit(loudness.range_lu, "LU"), tr("✓ passes") if proof.passes else tr("▲ fails"),
            )  # fmt: skip
            *_, verdict = self.table.show_row(row, values, tip="\n".join([str(master.file), *proof.problems]))
            verdict.setForeground(self._theme.colours.q("fern" if proof.passes else "brick"))
        for row, failure in enumerate(failed, len(masters)):
            *_, verdict = self.table.show_row(
                row, (f"{failure.format.title} · {mastering.title_of(failure.target)}", "–", "–", "–", tr("▲ not made")), tip=failure.reason
            )
            verdict.setForeground(self._theme.colours.q("brick"))
        self.sheet.setEnabled(any(p.name.endswith(".proof.html") for p in mastering.delivered.files))
        self._show_verdict(mastering)

    def _show_verdict(self, mastering: Mastering) -> None:
        masters, failed = mastering.masters, mastering.delivered.failed
        if not masters and not failed:
            self.verdict.setText(tr("No masters yet. Every file will be decoded again and measured; what passes here passes there."))
            set_kind(self.verdict, "muted")
            return
        passed = sum(m.proof.passes for m in masters)
        text = tr("{passed} of {count} masters pass.").format(passed=passed, count=len(masters) + len(failed))
        if mastering.is_out_of_date:
            text += tr(" The episode was changed since they were made.")
        problems = list(
            dict.fromkeys(
                [f"{mastering.title_of(m.proof.target)}: {p}" for m in masters for p in m.proof.problems] + [f.reason for f in failed]
            )
        )
        self.verdict.setText("\n".join([text, *problems[:3]]))
        set_kind(self.verdict, "good" if passed == len(masters) + len(failed) else "bad")

    def show_notes(self, text: str) -> None:
        if not self.notes.hasFocus() and self.notes.toPlainText() != text:
            self.notes.setPlainText(text)
