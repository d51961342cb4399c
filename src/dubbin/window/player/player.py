"""Play, stop, and where the play head is."""

from __future__ import annotations

import time
from collections import deque

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dubbin.core.measure.live import Reading
from dubbin.core.sound.source import Samples
from dubbin.core.texts import tr
from dubbin.window.player.cursor import Playable
from dubbin.window.player.feeder import Chunk, Feeder
from dubbin.window.player.sinks import Sink, best_sink

TICK_MS = 15
STALLED_S = 3.0  # without a frame that is heard; devices take up to a second to wake


class Player(QObject):
    """Plays programs. `head_moved` gives the session frame that is heard; `state_changed` whether it plays; `failed` why it ended when it
    can't go on; `device_lost` that it ended because there is no device any more, so that another may be chosen."""

    head_moved = pyqtSignal(int)
    state_changed = pyqtSignal(bool)
    metered = pyqtSignal(object)
    failed = pyqtSignal(str)
    device_lost = pyqtSignal()

    def __init__(self, rate: int, sink: Sink | None = None) -> None:
        super().__init__()
        self.sink, self.rate = sink or best_sink(rate), rate
        self._feeder = Feeder(rate)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._waiting: Chunk | None = None
        self._written = 0
        # For what was written and not yet heard: (first sink frame, chunk).
        self._sent: deque[tuple[int, Chunk]] = deque()
        self._program: Playable | None = None
        self.is_playing = False
        self.speed = 1.0
        self._start, self._end = 0, 0  # program frames at which play began, and at which it ends where it goes forward
        self._heard = (0, 0.0)  # sink frames, and when they were reached

    def play(self, program: Playable, start: int, stop: int | None = None, loop: bool = False, speed: float = 1.0) -> None:
        """Play program frames start to stop (its end, by default). speed: program frames for one that is heard, with the pitch kept; negative: backwards, to
        the program's beginning."""
        end = program.frames if stop is None else min(stop, program.frames)
        if end <= start if speed > 0 else start <= 0:
            return
        if self.is_playing:
            self.sink.stop()
        self._program, self.speed, self._start, self._end = program, speed, start, end
        self._reset()
        self._feeder.play(program, start, end if speed > 0 else 0, loop, speed)
        self.sink.start()
        self.is_playing = True
        self._timer.start()
        self.state_changed.emit(True)

    def play_sound(self, x: Samples) -> None:
        """Play a short sound that belongs to no program, in place of what plays. x: (2, frames)."""
        self.stop()
        self._reset()
        self.sink.start()
        self.sink.write(x)

    def set_speed(self, speed: float, *, to_end: bool = False) -> None:
        """Go on at another speed, or in the other direction, from where one is. to_end: on to the program's end, also where less was to be played."""
        if self.is_playing and self._program is not None and speed != self.speed:
            self._go_on(self._program, speed, self._program.frames if to_end else self._end)
            self.state_changed.emit(True)

    def swap(self, program: Playable) -> None:
        """Go on with a changed program at the same place of the session, without a gap."""
        if self.is_playing and self._program is not None:
            self._go_on(program, self.speed, program.frames)

    def _go_on(self, program: Playable, speed: float, end: int) -> None:
        chunk = self._waiting or (self._sent[-1][1] if self._sent else None)
        if chunk is None:  # nothing has come yet: from where it is to begin
            old, old_frame = self._program, self._start
        else:
            old, old_frame = chunk.program, chunk.frame if chunk is self._waiting else chunk.end_frame
        assert old is not None
        frame = program.map.to_program_or_next(old.map.to_session(old_frame))
        self._waiting = None
        self._program, self.speed, self._start, self._end = program, speed, frame, end
        self._feeder.swap(program, frame, old_frame, end if speed > 0 else 0, speed)

    def stop(self) -> None:
        if not self.is_playing:
            return
        self._feeder.halt()
        self.sink.stop()
        self._timer.stop()
        self.is_playing = False
        self.state_changed.emit(False)

    def set_sink(self, sink: Sink) -> None:
        """Play somewhere else from now on."""
        self.stop()
        self.sink = sink

    def set_rate(self, rate: int, sink: Sink) -> None:
        """Play programs of another rate, in Hz, from now on. sink: that plays at it."""
        self.set_sink(sink)
        self.rate = rate
        self._feeder.set_rate(rate)

    def reset_meters(self) -> None:
        self._feeder.meter.reset()

    def close(self) -> None:
        self.stop()
        self._feeder.close()

    def _reset(self) -> None:
        self._waiting, self._written = None, 0
        self._heard = (0, time.monotonic())
        self._sent.clear()

    def _tick(self) -> None:
        while True:
            chunk = self._waiting or self._feeder.take()
            self._waiting = None
            if chunk is None:
                break
            if self.sink.room() < chunk.x.shape[1]:
                self._waiting = chunk
                break
            self._sent.append((self._written, chunk))
            self._written += chunk.x.shape[1]
            self.sink.write(chunk.x)
        heard = self.sink.played()
        self._tell_head(heard)
        if self._is_lost(heard):
            self.stop()
            self.failed.emit(tr("The sound device does not play any more. Play again to hear it on another one."))
            self.device_lost.emit()
            return
        if self._waiting is None and self._feeder.is_finished and heard >= self._written:
            self.stop()
            trouble = self._feeder.taken_trouble()
            if trouble is not None:
                self.failed.emit(trouble)

    def _is_lost(self, heard: int) -> bool:
        """Whether the device has gone, or takes no time any more while there is something to be heard."""
        now = time.monotonic()
        if heard != self._heard[0] or heard >= self._written:
            self._heard = (heard, now)
        return self.sink.is_gone() or now - self._heard[1] > STALLED_S

    def _tell_head(self, heard: int) -> None:
        passed: Reading | None = None
        while len(self._sent) > 1 and self._sent[1][0] <= heard:
            passed = self._sent.popleft()[1].reading
        if passed is not None:
            self.metered.emit(passed)
        if self._sent:
            first, chunk = self._sent[0]
            self.head_moved.emit(chunk.program.map.to_session(chunk.frame_after(heard - first)))
