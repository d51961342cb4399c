"""Going by words and sentences."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech


class WordSteps:
    """Words that are cut are passed over while cuts are folded."""

    def __init__(self, session: Session, speech: Speech, selection: Selection, view: Viewport, navigation: Navigation) -> None:
        self._session, self._speech, self._selection, self._view, self._navigation = session, speech, selection, view, navigation

    def go_word(self, direction: int) -> None:
        """To where the next (1) or the previous (-1) word begins."""
        table = self._speech.table
        self._go(table.starts[~table.is_sound], direction)

    def go_sentence(self, direction: int) -> None:
        """To where the next (1) or the previous (-1) sentence begins: behind a full stop, or where another one speaks."""
        table = self._speech.table
        if not len(table):
            return
        rows = np.flatnonzero(~table.is_sound)
        ends, voices = table.ends_sentence[rows], table.voice_of[rows]
        begins = np.concatenate([[True], ends[:-1] | (voices[1:] != voices[:-1])])
        self._go(table.starts[rows][begins], direction)

    def _go(self, starts: NDArray[np.int64], direction: int) -> None:
        # Places that are heard one after the other on the clock that is shown, so that the order is that of the view.
        at = self._view.map.many_to_program(starts)
        shown = np.flatnonzero(at >= 0)
        shown = shown[np.argsort(at[shown], kind="stable")]
        now = self._view.map.to_program_or_next(self._selection.head)
        least = self._session.episode.rate // 1000  # nearer than a millisecond is where one stands
        if direction > 0:
            k = int(np.searchsorted(at[shown], now + least, "left"))
        else:
            k = int(np.searchsorted(at[shown], now - least, "right")) - 1
        if 0 <= k < len(shown):
            self._navigation.go(int(starts[shown[k]]))
