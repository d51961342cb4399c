"""Where one works: moving the play head, selecting around it, going from lane to lane."""

from __future__ import annotations

from dubbin.window.lanes.viewport import Viewport
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session


class Navigation:
    def __init__(self, session: Session, selection: Selection, view: Viewport) -> None:
        self._session, self._selection, self._view = session, selection, view

    # -- the play head ----------------------------------------------------------------

    def go(self, frame: int) -> None:
        """Put the play head at a session frame, and show it."""
        self._selection.set_head(frame)
        self._view.reveal(frame)

    def go_start(self) -> None:
        self.go(0)

    def go_end(self) -> None:
        """To the last frame that is shown: folded, of the program, an outro behind the session too."""
        time_map = self._view.map
        self.go(time_map.to_session(max(time_map.program_frames - 1, 0)))

    def move_head(self, seconds: float) -> None:
        """Move by program time when folded, by session time when not."""
        time_map, rate = self._view.map, self._session.episode.rate
        at = time_map.to_program_or_next(self._selection.head) + round(seconds * rate)
        at = min(max(at, 0), max(time_map.program_frames - 1, 0))
        self._selection.set_head(time_map.to_session(at))
        self._view.reveal(self._selection.head)

    # -- the selection ----------------------------------------------------------------

    def mark_start(self) -> None:
        """The selection begins at the play head."""
        head, now = self._selection.head, self._selection.range
        end = now[1] if now and now[1] > head else self._session.episode.frames
        self._selection.select(head, end)

    def mark_end(self) -> None:
        """The selection ends at the play head."""
        head, now = self._selection.head, self._selection.range
        start = now[0] if now and now[0] < head else 0
        self._selection.select(start, head)

    def select_all(self) -> None:
        self._selection.select(0, self._session.episode.frames)

    def extend(self, seconds: float) -> None:
        """Move the head and take the selection along."""
        anchor = self._selection.head
        if self._selection.range is not None:
            start, end = self._selection.range
            anchor = start if self._selection.head >= end else end
        self.move_head(seconds)
        self._selection.select(anchor, self._selection.head)

    # -- the view ---------------------------------------------------------------------

    def fold(self) -> None:
        """Fold cuts away, or unfold them again."""
        self._view.set_folded(not self._view.folded)

    def zoom(self, factor: float) -> None:
        """Look closer (factor under 1) around the play head, when it is seen."""
        x = self._view.x_of(self._selection.head)
        self._view.zoom(factor, x if 0 <= x <= self._view.width else None)

    def zoom_selection(self) -> None:
        if self._selection.range is not None:
            start, end = self._selection.range
            a, b = self._view.map.to_program_or_next(start), self._view.map.to_program_or_next(max(end - 1, 0)) + 1
            self._view.show_range(a - (b - a) * 0.1, b + (b - a) * 0.1)

    def pick_neighbour(self, direction: int) -> None:
        """Pick the lane above (-1) or below (1)."""
        lanes, picked = self._session.episode.lanes, self._session.picked_lane
        if picked is not None:
            index = [lane.id for lane in lanes].index(picked.id) + direction
            self._session.pick_lane(lanes[min(max(index, 0), len(lanes) - 1)].id)
