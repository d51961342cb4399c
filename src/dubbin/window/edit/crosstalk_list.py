"""The list of places where two speak at once."""

from __future__ import annotations

from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.parts.figures import clock, span_text
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech


class CrosstalkList(ActiveTable):
    """Places where two speak at once; a click selects one and plays it, so that it can be cut, or one voice lowered."""

    def __init__(self, session: Session, speech: Speech, selection: Selection, playing: Playing) -> None:
        super().__init__("Two at once", ("At", "Length", "Who"), 2)
        self._session, self._speech, self._selection, self._playing = session, speech, selection, playing
        self.on_row = self._go

    def refresh(self) -> None:
        episode = self._session.episode
        names = {lane.id: lane.voice for lane in episode.lanes}
        self.fill(
            [(clock(a, 1), span_text(b - a), " and ".join(names.get(i, "") for i in lanes)) for lanes, a, b in self._speech.crosstalk()]
        )

    def _go(self, row: int) -> None:
        found = self._speech.crosstalk()
        if row < len(found):
            rate = self._session.episode.rate
            _, a, b = found[row]
            self._playing.play_place(round(a * rate), round(b * rate))
            self._selection.select(round(a * rate), round(b * rate))
