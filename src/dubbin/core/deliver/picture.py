"""The picture of a video: how many frames it has a second, and at which time code it begins."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.errors import DubbinError
from dubbin.core.sound.reading import opened, probe

USUAL_FPS = 25.0


@dataclass(frozen=True)
class Picture:
    """fps: frames a second. start_s: seconds of its time code at the first frame; 0 where it has none."""

    fps: float
    start_s: float = 0.0


def picture_of(path: Path) -> Picture | None:
    """What is known of a video's picture; None where a file has none, or can't be read."""
    import av

    try:
        if not probe(path).has_video:
            return None
        with opened(path) as container:
            stream = next(s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic)
            fps = _plausible(float(stream.average_rate or stream.base_rate or USUAL_FPS))
            return Picture(fps, _start(container, fps))
    except (DubbinError, OSError, av.error.FFmpegError):
        return None


def _plausible(fps: float) -> float:
    try:
        return frame_rate(fps).fps
    except ValueError:
        return USUAL_FPS


def _start(container: Any, fps: float) -> float:
    """Seconds on the clock of the picture's own frames."""
    rate = frame_rate(fps)
    for found in (*container.streams, container):
        code = found.metadata.get("timecode")
        if code:
            try:
                return rate.frame_of(code) / rate.fps
            except ValueError:
                continue
    return 0.0
