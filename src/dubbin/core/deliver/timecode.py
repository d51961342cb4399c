"""Time code of a picture: hours, minutes, seconds and frames, with dropped numbers at 29.97 and 59.94.

Source: SMPTE ST 12-1. At 30000/1001 frames a second the first two numbers of every minute are left out, save in every tenth, so that the code keeps up with
the clock; at 60000/1001 the first four.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

FASTEST = 240.0
USUAL = ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60")
NTSC = 1000.0 / 1001.0


@dataclass(frozen=True)
class FrameRate:
    """fps: exact frames a second. base: numbers that a second of time code has. dropped: of them at the begin of a minute."""

    fps: float
    base: int
    dropped: int = 0

    def frame(self, seconds: float) -> int:
        """The number of the picture frame nearest to a time."""
        return round(seconds * self.fps)

    def timecode(self, frame: int) -> str:
        """HH:MM:SS:FF of a frame, with a semicolon before the frames where numbers are dropped."""
        number = frame
        if self.dropped:
            minute, ten_minutes = 60 * self.base - self.dropped, 600 * self.base - 9 * self.dropped
            tens, rest = divmod(frame, ten_minutes)
            number += 9 * self.dropped * tens + (self.dropped * ((rest - self.dropped) // minute) if rest >= self.dropped else 0)
        seconds, rest = divmod(number, self.base)
        mark = ";" if self.dropped else ":"
        return f"{seconds // 3600 % 24:02d}:{seconds % 3600 // 60:02d}:{seconds % 60:02d}{mark}{rest:02d}"

    def frame_of(self, code: str) -> int:
        """The frame that a time code names, HH:MM:SS:FF or HH:MM:SS;FF. Raises ValueError."""
        parts = re.fullmatch(r"(\d\d):(\d\d):(\d\d)[:;.](\d\d)", code.strip())
        if parts is None:
            raise ValueError(f"{code} is no time code")
        hours, minutes, seconds, rest = (int(p) for p in parts.groups())
        whole = 60 * hours + minutes
        return (60 * whole + seconds) * self.base + rest - self.dropped * (whole - whole // 10)


def frame_rate(fps: float) -> FrameRate:
    """The rate that is meant by a number such as 25 or 29.97. Raises ValueError."""
    if not math.isfinite(fps) or not 1.0 <= fps <= FASTEST:
        raise ValueError(f"a picture has 1 to {FASTEST:.0f} frames a second, not {fps:g}")
    base = round(fps)
    exact = base * NTSC
    if abs(fps - exact) < 0.004 * base / 24:
        return FrameRate(exact, base, {30: 2, 60: 4}.get(base, 0))
    return FrameRate(fps, base)
