"""The card of cuts: how many, how long the program is with them, and how they are joined."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout

from dubbin.core.episode.commands.seams import set_seams
from dubbin.core.episode.cut_union import cut_union
from dubbin.core.figures import clock
from dubbin.core.texts import tr
from dubbin.window.edit.acts import EditActs
from dubbin.window.edit.buttons import Buttons
from dubbin.window.parts.card import Card, FigureRows
from dubbin.window.parts.figure_box import FigureBox
from dubbin.window.parts.theme import scaled
from dubbin.window.shell.shared import Shared


class CutsCard(Card):
    def __init__(self, shared: Shared, acts: EditActs, buttons: Buttons) -> None:
        super().__init__(tr("Cuts and seams"))
        session = self._session = shared.session
        self._seams = acts.seams
        self.rows = FigureRows()
        self.body.addWidget(self.rows)
        self.automatic = QCheckBox(tr("Automatic crossfades"))
        self.automatic.setToolTip(tr("Long where the room's noise is steady, short in flowing speech; off: all of one length."))
        self.automatic.toggled.connect(lambda on: session.do(set_seams(session.episode, auto=on)))
        self.length = FigureBox()
        self.length.setRange(0.0, 500.0)
        self.length.setDecimals(0)
        self.length.setSuffix(tr(" ms"))
        self.length.setAccessibleName(tr("Length of crossfades"))
        self.length.setFixedWidth(scaled(76))
        self.length.valueChanged.connect(lambda ms: session.do(set_seams(session.episode, ms=ms)))
        row = QHBoxLayout()
        row.addWidget(self.automatic, 1)
        row.addWidget(self.length)
        self.body.addLayout(row)
        pairs = (
            ("cut", "put-back"),
            ("split", "cut-piece"),
            ("hear-seam", "walk-next"),
            ("walk-doubtful", "fold"),
            ("put-back-all", "export-edit"),
        )
        buttons.onto(self, pairs)

    def refresh(self) -> None:
        episode, rows = self._session.episode, self.rows
        union, rate = cut_union(episode), episode.rate
        rows.show_row(tr("cuts"), str(len(union.stretches)))
        rows.show_row(tr("removed"), f"−{clock(union.frames / rate, 1)}")
        rows.show_row(tr("length"), f"{clock(episode.frames / rate, 1)} → {clock(self._session.map.program_frames / rate, 1)}")
        checks = [c for s in self._session.map.seam_pairs if (c := self._seams.check(s)) is not None]
        doubtful = sum(c.is_doubtful for c in checks)
        rows.show_row(tr("doubtful seams"), str(doubtful), "bad" if doubtful else "strong")
        rows.set_row_visible(tr("doubtful seams"), bool(checks))
        self._seams.look()
        with QSignalBlocker(self.automatic), QSignalBlocker(self.length):
            self.automatic.setChecked(episode.seam_auto)
            self.length.setValue(episode.seam_ms)
        self.length.setEnabled(not episode.seam_auto)
