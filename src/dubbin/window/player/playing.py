"""What the play keys do: programs to the player, the play head to the selection."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import Program
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.player.cursor import Playable
from dubbin.window.player.player import Player
from dubbin.window.session.program_measure import sounds_otherwise
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

SEAM_LEAD_S, SEAM_TAIL_S = 1.2, 1.2
BETWEEN_MS = 300  # of silence between before and after
SPEEDS = (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0)
# Speeds that the shuttle keys go through, backwards and forwards; 0 is where it stands.
SHUTTLE = (-3.0, -2.0, -1.5, -1.0, -0.5, 0.0, 0.5, 1.0, 1.5, 2.0, 3.0)
PLACE_LEAD_S, PLACE_TAIL_S = 0.6, 1.0


class Playing(QObject):
    """Play and stop, places, speeds, loop; keeps what plays up to date with the episode."""

    loop_changed = pyqtSignal(bool)
    speed_changed = pyqtSignal(float)

    def __init__(self, session: Session, selection: Selection, view: Viewport, player: Player) -> None:
        super().__init__()
        self._session, self._selection, self._view, self.player = session, selection, view, player
        self.loop = False
        self.speed = 1.0
        self._of_cut = False
        self._return_to: int | None = None
        self._then: Callable[[], Program] | None = None  # what is played behind what plays
        self._between = QTimer(self)
        self._between.setSingleShot(True)
        self._between.setInterval(BETWEEN_MS)
        self._between.timeout.connect(self._play_then)
        player.head_moved.connect(self._on_head)
        player.state_changed.connect(self._on_state)
        session.episode_changed.connect(self._on_episode_changed)
        session.monitor.changed.connect(self._swap)
        session.sounds_changed.connect(self._swap)

    @property
    def head(self) -> int:
        """The play head's session frame."""
        return self._selection.head

    def toggle(self) -> None:
        if self.player.is_playing or self._then is not None:
            self.stop()
        else:
            self.play_from(self._selection.head)

    def play_from(self, frame: int) -> None:
        """Play the program from a session frame, at the play speed; a selection is played alone when it loops."""
        program = self._session.monitor.audible()
        start = program.map.to_program_or_next(frame)
        stop = None
        if self.loop and self._selection.range is not None:
            a, b = self._selection.range
            start, stop = program.map.to_program_or_next(a), program.map.to_program_or_next(max(b - 1, 0)) + 1
        if start >= program.frames:
            start = 0
        self._play(program, start, stop, loop=self.loop, speed=self.speed)

    def _play(
        self, program: Playable, start: int, stop: int | None = None, *, apart: bool = False, loop: bool = False, speed: float = 1.0,
        then: Callable[[], Program] | None = None,
    ) -> None:  # fmt: skip
        """Play in place of what plays. apart: it is not the program as it is, and changes of the episode leave it alone. then: what follows it."""
        self._between.stop()
        self._of_cut, self._then = apart, None
        self.player.play(program, start, stop, loop=loop, speed=speed)
        self._then = then if self.player.is_playing else None

    def stop(self) -> None:
        self._between.stop()
        self._then = None
        self.player.stop()
        self._go_back()

    def play_recorded_and_treated(self, start: int, end: int) -> None:
        """Go to a place of the session and hear it as recorded, and then as treated."""
        stretch = self._around(start, end)
        self._go_to_place(start)
        self._play_both(*(lambda m=mode: self._session.monitor.program(stretch, m) for mode in (MonitorMode.RECORDED, MonitorMode.TREATED)))

    def play_cut_before_and_after(self, start: int, end: int) -> None:
        """Hear what lies around a cut with it in place, and then cut."""
        lead, tail = self._around(start, start).spans[0], self._around(end, end).spans[0]
        self._go_to_place(start)
        whole, apart = TimeMap([(lead.start, tail.end)]), TimeMap([(lead.start, start), (end, tail.end)])
        self._play_both(lambda: self._session.monitor.program(whole), lambda: self._session.monitor.program(apart))

    def _around(self, start: int, end: int) -> TimeMap:
        """A place with a little before and after it."""
        rate, frames = self._session.episode.rate, self._session.episode.frames
        return TimeMap([(max(0, start - round(PLACE_LEAD_S * rate)), min(frames, max(end, start + 1) + round(PLACE_TAIL_S * rate)))])

    def _play_both(self, first: Callable[[], Program], second: Callable[[], Program]) -> None:
        """One after the other, unless somebody stops or plays something else."""
        self._play(first(), 0, apart=True, then=second)

    def _play_then(self) -> None:
        if self._then is not None:
            self._play(self._then(), 0, apart=True)

    def _go_to_place(self, frame: int) -> None:
        self._selection.set_head(min(frame, max(self._session.episode.frames - 1, 0)))
        self._view.reveal(self._selection.head)
        self._return_to = self._selection.head

    def set_speed(self, speed: float) -> None:
        """The play speed, with the pitch kept; what plays goes on at it."""
        speed = min(max(speed, SPEEDS[0]), SPEEDS[-1])
        if speed != self.speed:
            self.speed = speed
            self.speed_changed.emit(speed)
        if not self._of_cut:
            self.player.set_speed(speed)

    def step_speed(self, direction: int) -> None:
        """The next higher (1) or lower (-1) play speed."""
        further = [s for s in SPEEDS if (s > self.speed if direction > 0 else s < self.speed)]
        if further:
            self.set_speed(further[0] if direction > 0 else further[-1])

    def shuttle(self, direction: int) -> None:
        """Forward and faster (1), or slower and then backwards (-1); when it stands still it begins at the play speed. Stopping ends it."""
        player = self.player
        if not player.is_playing or self._of_cut:
            self.stop()
            if direction > 0:
                self.play_from(self._selection.head)
            else:
                program = self._session.monitor.audible()
                self._play(program, program.map.to_program_or_next(self._selection.head), speed=-1.0)
            return
        self._return_to = None  # from here on one goes where the keys lead
        further = [s for s in SHUTTLE if s and (s > player.speed if direction > 0 else s < player.speed)]
        if further:
            player.set_speed(further[0] if direction > 0 else further[-1], to_end=not self.loop)

    def play_without(self, time_map: TimeMap, frame: int) -> None:
        """Hear a second or so around a session frame with other cuts than there are. time_map: of the program as it would be."""
        program, rate = self._session.monitor.program(time_map, beds=True), self._session.episode.rate
        at = time_map.to_program_or_next(frame)
        self._return_to = self._selection.head
        self._play(program, max(0, at - round(SEAM_LEAD_S * rate)), at + round(SEAM_TAIL_S * rate), apart=True)

    def play_selection(self) -> None:
        """Hear the selection or the picked cut as it lies in the session, cut or not."""
        if self._selection.range is not None:
            stretches = self._view.stretches(*self._selection.range)
        elif self._selection.cut is not None:
            stretches = [(self._selection.cut.start_frame, self._selection.cut.end_frame)]
        else:
            return
        if stretches:
            self._return_to = self._selection.head
            self._play(self._session.monitor.program(TimeMap(stretches)), 0, apart=True, loop=self.loop)

    def play_around(self, program_frame: int) -> None:
        """Hear a second or so of the program on both sides of one of its frames, and come back to where that is."""
        program, rate = self._session.monitor.program(), self._session.episode.rate
        self._return_to = self._session.map.to_session(program_frame)
        self._play(program, max(0, program_frame - round(SEAM_LEAD_S * rate)), program_frame + round(SEAM_TAIL_S * rate))

    def play_place(self, start: int, end: int) -> None:
        """Go to a place of the session and hear it with a little before and after, cut or not."""
        self._go_to_place(start)
        self._play(self._session.monitor.program(self._around(start, end)), 0, apart=True)

    def toggle_loop(self) -> None:
        self.loop = not self.loop
        self.loop_changed.emit(self.loop)

    def _on_head(self, frame: int) -> None:
        self._selection.set_head(frame)
        self._view.reveal(frame)

    def _on_state(self, playing: bool) -> None:
        if not playing and self._then is not None:
            self._between.start()
        elif not playing:
            self._go_back()

    def _go_back(self) -> None:
        """To where one was before a place was played."""
        if self._return_to is not None:
            self._selection.set_head(self._return_to)
            self._return_to = None

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.stop()
        elif sounds_otherwise(before, after):
            self._swap()

    def _swap(self) -> None:
        if self.player.is_playing and not self._of_cut:
            self.player.swap(self._session.monitor.audible())
