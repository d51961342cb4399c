"""How long each stage of a run takes, and the most memory that it holds: the kernel's count, begun anew at each stage."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from pathlib import Path

STATUS, ANEW = Path("/proc/self/status"), Path("/proc/self/clear_refs")


def peak_mb() -> int:
    """The most memory that this program has held, in MB of 2^20 bytes (VmHWM)."""
    found = re.search(r"VmHWM:\s+(\d+)", STATUS.read_text())
    assert found is not None
    return int(found[1]) // 1024


@dataclass(frozen=True)
class Stage:
    name: str
    seconds: float
    peak_mb: int


class Stages:
    """`begin` ends the stage before; `end` the last one."""

    def __init__(self) -> None:
        self.done: list[Stage] = []
        self._now: tuple[str, float] | None = None

    def begin(self, name: str) -> None:
        self.end()
        ANEW.write_text("5")  # proc(5): the peak is from here on
        self._now = name, time.perf_counter()

    def end(self) -> None:
        if self._now is not None:
            name, started = self._now
            self.done.append(Stage(name, time.perf_counter() - started, peak_mb()))
            self._now = None
