"""From seam to seam of the program: going there, and hearing them."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.window.lanes.viewport import Viewport
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.stepping import neighbour


class SeamWalk:
    """What the keys for seams do. All of them go by where the play head is."""

    def __init__(self, session: Session, selection: Selection, view: Viewport, playing: Playing) -> None:
        self._session, self._selection, self._view, self._playing = session, selection, view, playing

    def all(self) -> list[int]:
        """Program frames of all seams."""
        return self._session.map.seams()

    def hear(self) -> None:
        """Play a second or so around the seam nearest to the play head."""
        seams = self.all()
        if seams:
            at = self._session.map.to_program_or_next(self._selection.head)
            self._playing.play_around(min(seams, key=lambda s: abs(s - at)))

    def walk(self) -> None:
        """Hear the next seam after the play head, and go there."""
        self._go_and_play(self._next(1))

    def go(self, direction: int) -> None:
        """Move the play head to the next (1) or the previous (-1) seam."""
        seam = self._next(direction)
        if seam is not None:
            self._go(seam)

    def walk_doubtful(self, doubtful: Callable[[tuple[int, int]], bool]) -> bool:
        """Hear the next seam that measurement doubts; whether there was one."""
        time_map = self._session.map

        def wanted(seam: int) -> bool:
            frames = time_map.seam_frames(seam)
            return frames is not None and doubtful(frames)

        return self._go_and_play(self._next(1, wanted))

    def play(self, before: int, after: int) -> None:
        """Go to a seam, given by the session frames on both sides, and hear it."""
        time_map = self._session.map
        self._go_and_play(next((s for s in self.all() if time_map.seam_frames(s) == (before, after)), None))

    def _next(self, direction: int, wanted: Callable[[int], bool] = lambda _: True) -> int | None:
        """The nearest seam on one side of the play head, in program frames."""
        at = self._session.map.to_program_or_next(self._selection.head)
        return neighbour([s for s in self.all() if wanted(s)], at, direction, lambda s: s)

    def _go_and_play(self, seam: int | None) -> bool:
        if seam is not None:
            self._go(seam)
            self._playing.play_around(seam)
        return seam is not None

    def _go(self, program_frame: int) -> None:
        self._selection.set_head(self._session.map.to_session(program_frame))
        self._view.reveal(self._selection.head)
