"""Going to a time that is typed."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog, QWidget

from dubbin.core.figures import clock, clock_seconds
from dubbin.core.texts import tr
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session


class GoToTime:
    def __init__(self, window: QWidget, session: Session, selection: Selection, view: Viewport, navigation: Navigation) -> None:
        self._window, self._session, self._selection, self._view, self._navigation = window, session, selection, view, navigation

    def ask(self) -> None:
        """Ask for a time on the clock that is shown: the program's when cuts are folded, the session's when not."""
        rate, time_map = self._session.episode.rate, self._view.map
        now = clock(time_map.to_program_or_next(self._selection.head) / rate, 2)
        ask = (
            tr("Time in the program, such as 75, 1:15 or 1:02:03.5:")
            if self._view.folded
            else tr("Time in the session, such as 75, 1:15 or 1:02:03.5:")
        )
        text, done = QInputDialog.getText(self._window, tr("Go to time"), ask, text=now)
        if done:
            self.go(text)

    def go(self, text: str) -> None:
        """Put the play head at a typed time; where there is none, say so."""
        seconds = clock_seconds(text)
        if seconds is None:
            self._session.said.emit(tr("“{text}” is no time. Type seconds, minutes:seconds or hours:minutes:seconds.").format(text=text))
            return
        time_map = self._view.map
        frame = min(round(seconds * self._session.episode.rate), max(time_map.program_frames - 1, 0))
        self._navigation.go(time_map.to_session(frame))
