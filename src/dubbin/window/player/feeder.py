"""Renders a little ahead of what is heard, on its own thread, so that the window and the device never wait."""

from __future__ import annotations

import logging
import threading
from collections import deque
from dataclasses import dataclass

import numpy as np

from dubbin.core.errors import DubbinError
from dubbin.core.measure.live import LiveMeter, Reading
from dubbin.core.sound.source import Samples
from dubbin.core.texts import tr
from dubbin.window.player.cursor import Cursor, Playable

BLOCK = 1024
AHEAD = 12  # blocks: about a quarter of a second at 48 kHz
BLEND = 480  # frames over which one sound turns into another


@dataclass(frozen=True)
class Chunk:
    """Rendered sound, the program frames it begins and ends at, the program it is of, and the meters after it."""

    x: Samples
    frame: int
    end_frame: int
    program: Playable
    reading: Reading | None

    def frame_after(self, heard: int) -> int:
        """The program frame that is heard after so many frames of this chunk."""
        count = self.x.shape[1]
        share = min(max(heard, 0), count) / count if count else 0.0
        return self.frame + round(share * (self.end_frame - self.frame))


class Feeder:
    """`play` begins; `swap` goes on with another sound at another frame without a gap; `take` gives chunks in order."""

    def __init__(self, rate: int) -> None:
        self._ready = threading.Condition()
        self._chunks: deque[Chunk] = deque()
        self._cursor: Cursor | None = None
        self._old: Cursor | None = None
        self._loop_from: int | None = None
        self._finished = True
        self._trouble: str | None = None
        self._closing = False
        self.meter = LiveMeter(rate, 2)
        self._thread = threading.Thread(target=self._run, name="dubbin-feeder", daemon=True)
        self._thread.start()

    def play(self, program: Playable, start: int, stop: int, loop: bool = False, speed: float = 1.0) -> None:
        """Render program frames start to stop, again and again if `loop`. speed: as a Cursor takes it."""
        with self._ready:
            self._chunks.clear()
            self._cursor, self._old = Cursor(program, start, stop, speed), None
            self._loop_from = start if loop else None
            self._finished = False
            self.meter.reset()
            self._ready.notify_all()

    def swap(self, program: Playable, frame: int, old_frame: int, stop: int, speed: float = 1.0) -> None:
        """From the next chunk on `program` at `frame`, blended out of what played at `old_frame`."""
        with self._ready:
            if self._cursor is None or self._finished:
                return
            self._chunks.clear()
            old = self._cursor
            self._old = Cursor(old.program, old_frame, old.program.frames if old.speed > 0 else 0, old.speed)
            self._cursor = Cursor(program, frame, stop, speed)
            if self._loop_from is not None:
                self._loop_from = min(self._loop_from, frame)
            self._ready.notify_all()

    def set_rate(self, rate: int) -> None:
        """Meter what is played from now on at another rate, in Hz."""
        with self._ready:
            self.meter = LiveMeter(rate, 2)

    def halt(self) -> None:
        with self._ready:
            self._finished, self._cursor = True, None
            self._chunks.clear()

    def take(self) -> Chunk | None:
        """The next chunk; None when none is ready."""
        with self._ready:
            chunk = self._chunks.popleft() if self._chunks else None
            self._ready.notify_all()
            return chunk

    @property
    def is_finished(self) -> bool:
        """Whether everything was rendered and taken."""
        with self._ready:
            return self._finished and not self._chunks

    def taken_trouble(self) -> str | None:
        """Why playing ended, in a sentence, once; None where it did not end by an error."""
        with self._ready:
            trouble, self._trouble = self._trouble, None
            return trouble

    def close(self) -> None:
        with self._ready:
            self._closing = True
            self._ready.notify_all()
        self._thread.join(timeout=5)

    def _run(self) -> None:
        while True:
            with self._ready:
                while not self._closing and (self._finished or len(self._chunks) >= AHEAD):
                    self._ready.wait()
                if self._closing:
                    return
                cursor, old = self._cursor, self._old
            if cursor is None:
                continue
            frame = cursor.frame
            try:
                x = self._render(cursor, old)
                trouble = None
            except DubbinError as error:
                x, trouble = np.zeros((2, 0), np.float32), str(error)
            except Exception:
                logging.getLogger("dubbin").exception("playback failed")
                x, trouble = np.zeros((2, 0), np.float32), tr("This can't be played: something went wrong inside; the log tells more.")
            with self._ready:
                if cursor is not self._cursor:
                    continue  # swapped or stopped meanwhile: this chunk is not wanted any more
                if trouble is not None:
                    self._trouble, self._finished = trouble, True
                    continue
                self._old = None
                if x.shape[1]:
                    self._chunks.append(Chunk(x, frame, cursor.frame, cursor.program, self.meter.push(x)))
                if cursor.is_at_end or not x.shape[1]:
                    if self._loop_from is not None and cursor.stop > self._loop_from:
                        self._cursor = Cursor(cursor.program, self._loop_from, cursor.stop, cursor.speed)
                    else:
                        self._finished = True

    @staticmethod
    def _render(cursor: Cursor, old: Cursor | None) -> Samples:
        x = cursor.next(BLOCK)
        if old is None or not x.shape[1]:
            return x
        before = old.next(min(BLEND, x.shape[1]))
        count = before.shape[1]
        if count > 0:
            rise = np.linspace(0.0, 1.0, count, dtype=np.float32)
            x = x.copy()
            x[:, :count] = x[:, :count] * rise + before * (1 - rise)
        return x
