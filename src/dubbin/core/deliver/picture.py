"""The picture of a video: how many frames it has a second, and at which time code it begins."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.errors import DubbinError
from dubbin.core.sound.apart import look

USUAL_FPS = 25.0


@dataclass(frozen=True)
class Picture:
    """fps: frames a second. start_s: seconds of its time code at the first frame; 0 where it has none."""

    fps: float
    start_s: float = 0.0


def picture_of(path: Path) -> Picture | None:
    """What is known of a video's picture; None where a file has none, or can't be read."""
    try:
        info = look(path)
    except (DubbinError, OSError):
        return None
    if not info.has_video:
        return None
    fps = _plausible(info.fps or USUAL_FPS)
    return Picture(fps, _start(info.timecode, fps))


def _plausible(fps: float) -> float:
    try:
        return frame_rate(fps).fps
    except ValueError:
        return USUAL_FPS


def _start(timecode: str | None, fps: float) -> float:
    """Seconds on the clock of the picture's own frames."""
    rate = frame_rate(fps)
    try:
        return rate.frame_of(timecode) / rate.fps if timecode else 0.0
    except ValueError:
        return 0.0
