"""The bar at the top: title, saved or not, how long the program is, and what is heard."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton, QSizePolicy

from dubbin.core.episode.commands.delivery import set_title
from dubbin.core.figures import clock
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.segments import Segments
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session
from dubbin.window.shell.saver import SLOT


class Header(QFrame):
    def __init__(self, session: Session, theme: Theme, show_card: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("bar")
        self._session = session
        self.title = QLineEdit()
        self.title.setObjectName("title")
        self.title.setProperty("kind", "quiet")
        self.title.setAccessibleName(tr("Title of the episode"))
        self.title.setMinimumWidth(260)
        self.title.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.title.setMaximumWidth(420)
        self.saved = label("", "muted")
        self.lengths = label("")
        self.hear = Segments(
            theme, tr("What is heard"),
            [(MonitorMode.RECORDED.value, tr("Recorded"), "Q"), (MonitorMode.TREATED.value, tr("Treated"), "W"), (MonitorMode.REMOVED.value, tr("Removed"), "E")],
            {MonitorMode.RECORDED.value: "indigo", MonitorMode.TREATED.value: "saddle", MonitorMode.REMOVED.value: "brick"},
        )  # fmt: skip
        self.hear.setToolTip(tr("Hear the sound as recorded, as treated, or what the treatments removed."))
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 7, 16, 7)
        row.setSpacing(14)
        row.addWidget(self.title)
        row.addWidget(self.saved)
        row.addStretch(1)
        self.card = QPushButton(tr("Run the card …"))
        self.card.setToolTip(
            tr("Ctrl+R: the suggested work of every step up to Balance in one go, as ordinary changes, each with its own switch.")
        )
        self.card.clicked.connect(lambda: show_card())
        row.addWidget(self.card)
        row.addWidget(self.lengths)
        row.addWidget(self.hear)
        self.title.editingFinished.connect(self._on_title_edited)
        self.hear.chosen.connect(lambda key: session.monitor.set_mode(MonitorMode(key)))
        session.monitor.changed.connect(lambda: self.hear.show_choice(session.monitor.mode.value))
        session.episode_changed.connect(self.refresh)
        session.jobs.changed.connect(self._show_saved)
        self.hear.show_choice(session.monitor.mode.value)
        self.refresh()

    def refresh(self, *_: object) -> None:
        episode = self._session.episode
        if not self.title.hasFocus():
            self.title.setText(episode.title)
            self.title.setCursorPosition(0)
        self._show_saved()
        self.card.setEnabled(bool(episode.lanes))
        recorded = episode.frames / episode.rate
        program = self._session.map.program_frames / episode.rate
        self.lengths.setText(
            tr("{recorded} recorded  →  {program} program").format(recorded=clock(recorded), program=clock(program)) if recorded else ""
        )

    def _show_saved(self) -> None:
        document = self._session.document
        if self._session.jobs.is_busy(SLOT):
            self.saved.setText(tr("saving …"))
        elif document.is_saved:
            self.saved.setText(tr("saved"))
        elif document.has_changes:
            self.saved.setText(tr("unsaved changes · Ctrl+S"))
        else:
            self.saved.setText("")

    def _on_title_edited(self) -> None:
        if self.title.text().strip() != self._session.episode.title:
            self._session.do(set_title(self._session.episode, self.title.text()))
        self.title.clearFocus()
