"""Sentences under the header: what happened, and what can be done about it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.layouts import clear_layout

NOTICE_MS, MS_A_LETTER = 7000, 40
Choice = tuple[str, Callable[[], None]]


class Notices(QFrame):
    """One sentence at a time; with choices it stays until one is pressed, else until it was read."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 7, 12, 7)
        self.text = label("", wrap=True)
        row.addWidget(self.text, 1)
        self.buttons = QHBoxLayout()
        row.addLayout(self.buttons)
        self.hide()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)

    def say(self, text: str, choices: tuple[Choice, ...] = ()) -> None:
        clear_layout(self.buttons)
        self.text.setText(text)
        self.text.setAccessibleName(text)  # a screen reader is told of a changed name
        for caption, act in (*choices, (tr("Close"), lambda: None)):
            button = QPushButton(caption)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _=False, a=act: a())
            self.buttons.addWidget(button)
        self.show()
        self._timer.stop()
        if not choices:
            self._timer.start(NOTICE_MS + MS_A_LETTER * len(text))
