"""Material that is copied and moved: what was taken, and where it is put in."""

from __future__ import annotations

from dubbin.core.episode.commands.arrangement import copy_stretches, move_stretches
from dubbin.core.episode.model import new_id
from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.window.edit.clipboard import Clipboard
from dubbin.window.edit.cutting import Cutting
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

NOTHING_TAKEN = tr("Nothing was taken yet: select a stretch and press Ctrl+C, or cut it with X.")


class Moving:
    def __init__(self, session: Session, selection: Selection, speech: Speech, cutting: Cutting, clipboard: Clipboard) -> None:
        self._session, self._selection, self._speech, self._cutting = session, selection, speech, cutting
        self._clipboard = clipboard

    def has_taken(self) -> bool:
        """Whether there is something to put in."""
        return bool(self._clipboard.stretches)

    def can_copy(self) -> bool:
        return self._selection.range is not None

    def copy(self) -> None:
        """Take what is selected to be put in elsewhere."""
        rows = self._selection.rows
        read = self._speech.reading_cuts(rows, joined=False) if rows else []
        self._clipboard.take(read if len(read) == 1 else self._cutting.selected_stretches())
        seconds = sum(b - a for a, b in self._clipboard.stretches) / self._session.episode.rate
        self._session.said.emit(
            tr("{seconds} s taken. Ctrl+V puts a copy in at the play head, Ctrl+Shift+V moves it there.").format(seconds=number(seconds, 2))
        )

    def put_copy(self) -> None:
        if not self._clipboard.stretches:
            self._session.said.emit(NOTHING_TAKEN)
            return
        self._session.do(copy_stretches(self._session.episode, self._clipboard.stretches, self._selection.head, new_id()))

    def move_here(self) -> None:
        taken = self._clipboard.stretches
        if not taken or self._clipboard.is_cut:
            self.put_copy()  # what was cut is heard nowhere any more: putting it in moves it
            return
        if any(a < self._selection.head < b for a, b in taken):
            self._session.said.emit(tr("The play head stands inside what is to be moved. Put it where the stretch shall be heard."))
            return
        self._session.do(move_stretches(self._session.episode, taken, self._selection.head, new_id()))
        self._clipboard.clear()
        self._selection.clear()
