"""What the play keys do: programs to the player, the play head to the selection."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.hear import Hear
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.player.player import Player

HEARD = ("lanes", "cuts", "placed", "seam_ms", "seam_auto", "seams", "recordings")  # fields of an episode on which its sound depends
SEAM_LEAD_S, SEAM_TAIL_S = 1.2, 1.2
PLACE_LEAD_S, PLACE_TAIL_S = 0.6, 1.0


def sounds_otherwise(before: Episode, after: Episode) -> bool:
    """Whether a change can be heard in the program."""
    return any(getattr(before, name) != getattr(after, name) for name in HEARD)


class Playing(QObject):
    """Play and stop, seams, loop; keeps what plays up to date with the episode."""

    loop_changed = pyqtSignal(bool)

    def __init__(self, desk: Desk, selection: Selection, view: Viewport, player: Player) -> None:
        super().__init__()
        self._desk, self._selection, self._view, self.player = desk, selection, view, player
        self.loop = False
        self._of_cut = False
        self._return_to: int | None = None
        player.head_moved.connect(self._on_head)
        player.state_changed.connect(self._on_state)
        desk.episode_changed.connect(self._on_episode_changed)
        desk.hear_changed.connect(self._swap)
        desk.sounds_changed.connect(self._swap)

    @property
    def head(self) -> int:
        """The play head's session frame."""
        return self._selection.head

    def toggle(self) -> None:
        if self.player.is_playing:
            self.player.stop()
        else:
            self.play_from(self._selection.head)

    def play_from(self, session: int) -> None:
        """Play the program from a session frame; a selection is played alone when it loops."""
        program = self._desk.audible()
        start = program.map.to_program_or_next(session)
        stop = None
        self._of_cut = False
        if self.loop and self._selection.range is not None:
            a, b = self._selection.range
            start, stop = program.map.to_program_or_next(a), program.map.to_program_or_next(max(b - 1, 0)) + 1
        if start >= program.frames:
            start = 0
        self.player.play(program, start, stop, loop=self.loop)

    def play_selection(self) -> None:
        """Hear the selection or the picked cut as it lies in the session, cut or not."""
        if self._selection.range is not None:
            stretches = self._view.stretches(*self._selection.range)
        elif self._selection.cut is not None:
            stretches = [(self._selection.cut.start_frame, self._selection.cut.end_frame)]
        else:
            return
        self._of_cut = True
        self._return_to = self._selection.head
        if stretches:
            self.player.play(self._desk.program(TimeMap(stretches)), 0, loop=self.loop)

    def play_place(self, start: int, end: int) -> None:
        """Go to a place of the session and hear it with a little before and after, cut or not."""
        rate, frames = self._desk.episode.rate, self._desk.episode.frames
        self._of_cut = True
        self._selection.set_head(min(start, max(frames - 1, 0)))
        self._view.reveal(self._selection.head)
        self._return_to = self._selection.head
        a = max(0, start - round(PLACE_LEAD_S * rate))
        b = min(frames, max(end, start) + round(PLACE_TAIL_S * rate))
        if b > a:
            self.player.play(self._desk.program(TimeMap([(a, b)])), 0)

    def toggle_loop(self) -> None:
        self.loop = not self.loop
        self.loop_changed.emit(self.loop)

    def seams(self) -> list[int]:
        """Program frames of all seams."""
        return self._desk.map.seams()

    def hear_seam(self) -> None:
        """Play a second or so around the seam nearest to the play head."""
        seams = self.seams()
        if not seams:
            return
        at = self._desk.map.to_program_or_next(self._selection.head)
        self._play_around(min(seams, key=lambda s: abs(s - at)))

    def walk(self) -> None:
        """Hear the next seam after the play head, and go there."""
        at = self._desk.map.to_program_or_next(self._selection.head)
        after = [s for s in self.seams() if s > at + 1]
        if after:
            self._go(after[0])
            self._play_around(after[0])

    def go_seam(self, direction: int) -> None:
        """Move the play head to the next (1) or the previous (-1) seam."""
        at = self._desk.map.to_program_or_next(self._selection.head)
        seams = self.seams()
        here = [s for s in seams if s > at + 1] if direction > 0 else [s for s in reversed(seams) if s < at - 1]
        if here:
            self._go(here[0])

    def walk_doubtful(self, doubtful: Callable[[tuple[int, int]], bool]) -> bool:
        """Hear the next seam that measurement doubts; whether there was one."""
        time_map = self._desk.map
        at = time_map.to_program_or_next(self._selection.head)
        for seam in self.seams():
            frames = time_map.seam_frames(seam)
            if seam > at + 1 and frames is not None and doubtful(frames):
                self._go(seam)
                self._play_around(seam)
                return True
        return False

    def play_seam(self, before: int, after: int) -> None:
        """Go to a seam, given by the session frames on both sides, and hear it."""
        time_map = self._desk.map
        for seam in self.seams():
            if time_map.seam_frames(seam) == (before, after):
                self._go(seam)
                self._play_around(seam)
                return

    def _go(self, program_frame: int) -> None:
        self._selection.set_head(self._desk.map.to_session(program_frame))
        self._view.reveal(self._selection.head)

    def _play_around(self, seam: int) -> None:
        program, rate = self._desk.program(), self._desk.episode.rate
        self._of_cut = False
        self._return_to = self._desk.map.to_session(seam)
        start = max(0, seam - round(SEAM_LEAD_S * rate))
        self.player.play(program, start, seam + round(SEAM_TAIL_S * rate))

    def set_hear(self, hear: Hear) -> None:
        self._desk.set_hear(hear)

    def _on_head(self, session: int) -> None:
        self._selection.set_head(session)
        self._view.reveal(session)

    def _on_state(self, playing: bool) -> None:
        if not playing and self._return_to is not None:
            self._selection.set_head(self._return_to)
            self._return_to = None

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.player.stop()
        elif sounds_otherwise(before, after):
            self._swap()

    def _swap(self) -> None:
        if self.player.is_playing and not self._of_cut:
            self.player.swap(self._desk.audible())
