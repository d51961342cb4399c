"""What part of the time axis is seen, and how frames become pixels."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.time_map import TimeMap, program_map, session_map
from dubbin.window.session.session import Session

CLOSEST = 0.25  # frames a pixel


class Viewport(QObject):
    """Display time is program time when folded, session time when unfolded."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.folded = False
        self.start = 0.0
        self.per_pixel = 1000.0
        self.width = 800
        self._whole = True
        self._map: TimeMap | None = None
        session.episode_changed.connect(self._on_episode_changed)

    @property
    def map(self) -> TimeMap:
        """From display time to session time."""
        if self._map is None:
            episode = self._session.episode
            self._map = program_map(episode) if self.folded else session_map(episode)
        return self._map

    @property
    def frames(self) -> int:
        return self.map.program_frames

    @property
    def stop(self) -> float:
        return self.start + self.width * self.per_pixel

    @property
    def is_whole(self) -> bool:
        """Whether all is seen, and goes on to be when there is more."""
        return self._whole

    def x_of_display(self, frame: float) -> float:
        return (frame - self.start) / self.per_pixel

    def x_of(self, frame: int) -> float:
        """Pixel of a session frame; where it is folded away, of its seam."""
        return self.x_of_display(self.map.to_program_or_next(frame))

    def session_at(self, x: float) -> int:
        frame = int(self.start + x * self.per_pixel)
        return self.map.to_session(min(max(frame, 0), max(self.frames - 1, 0)))

    def x_of_end(self, frame: int) -> float:
        """Pixel of the end of a stretch whose last frame is the one before a session frame."""
        return self.x_of_display(self.map.to_program_or_next(max(frame - 1, 0)) + 1)

    def stretches(self, start: int, end: int) -> list[tuple[int, int]]:
        """What is heard from one session frame to another, as session stretches in the order of this view."""
        first, last = self.map.to_program_or_next(start), self.map.to_program_or_next(max(end - 1, 0)) + 1
        return self.map.stretches_between(first, last) if last > first else []

    def set_width(self, width: int) -> None:
        if width != self.width and width > 0:
            self.width = width
            if self._whole:
                self.show_all()
            else:
                self._clamp()

    def set_folded(self, folded: bool) -> None:
        if folded == self.folded:
            return
        middle = self.session_at(self.width / 2)
        self.folded = folded
        self._map = None
        if self._whole:
            self.show_all()
        else:
            self.start = self.map.to_program_or_next(middle) - self.width / 2 * self.per_pixel
            self._clamp()
        self.changed.emit()

    def show_all(self) -> None:
        self._whole = True
        self.start = 0.0
        self.per_pixel = max(self.frames / max(self.width, 1), CLOSEST)
        self.changed.emit()

    def show_range(self, start: float, stop: float) -> None:
        """Show display frames start to stop."""
        self._whole = False
        self.per_pixel = max((stop - start) / max(self.width, 1), CLOSEST)
        self.start = start
        self._clamp()

    def zoom(self, factor: float, x: float | None = None) -> None:
        """factor < 1 looks closer; the instant under pixel x stays where it is."""
        x = self.width / 2 if x is None else x
        under = self.start + x * self.per_pixel
        widest = max(self.frames / max(self.width, 1), CLOSEST)
        self.per_pixel = min(max(self.per_pixel * factor, CLOSEST), widest)
        self._whole = self.per_pixel >= widest
        self.start = under - x * self.per_pixel
        self._clamp()

    def scroll(self, pixels: float) -> None:
        self.start += pixels * self.per_pixel
        self._clamp()

    def reveal(self, frame: int) -> None:
        """Scroll as little as needed, a page at a time, so that a session frame is seen."""
        x = self.x_of(frame)
        if x < 0 or x >= self.width:
            self.start = self.map.to_program_or_next(frame) - self.width * 0.1 * self.per_pixel
            self._clamp()

    def _clamp(self) -> None:
        longest = max(self.frames - self.width * self.per_pixel, 0.0)
        self.start = min(max(self.start, 0.0), longest)
        self.changed.emit()

    def _on_episode_changed(self, before: object, after: object) -> None:
        self._map = None
        if self._whole:
            self.show_all()
        else:
            self._clamp()
