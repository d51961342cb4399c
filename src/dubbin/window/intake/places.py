"""Places worth hearing: those of findings, and those that somebody marked."""

from __future__ import annotations

from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.texts import tr
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.stepping import neighbour


class Places:
    def __init__(self, session: Session, selection: Selection, playing: Playing) -> None:
        self._session, self._selection, self._playing = session, selection, playing

    def mark(self) -> None:
        """Mark the play head's place, also while it plays; why can be noted later."""
        self._session.do(add_marker(self._session.episode, self._selection.head))
        self._session.said.emit(tr("Marked. Note why in Intake, under Markers."))

    def all(self) -> list[tuple[int, int]]:
        """Session frames of all places of findings of the picked lane, and of all markers that are not done, in their order."""
        lane, rate = self._session.picked_lane, self._session.episode.rate
        out = [(m.frame, m.frame) for m in self._session.episode.markers if not m.is_done]
        if lane is not None:
            for finding in self._session.analyses.findings(lane):
                out += [(lane.start_frame + round(a * rate), lane.start_frame + round(b * rate)) for a, b in finding.places_s]
        return sorted(out)

    def hear_next(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) finding or marker, and play it."""
        place = neighbour(self.all(), self._selection.head, direction, lambda p: p[0])
        if place is not None:
            self._playing.play_place(*place)
