"""A progress bar on stderr, where somebody is there to see it."""

from __future__ import annotations

import sys
import time

from dubbin.core.jobs import Task
from dubbin.core.kernel_cache import FIRST_USE, are_compiled

WIDTH = 30


def progress_task(label: str, quiet: bool) -> Task:
    """A task that draws a bar when stderr is a terminal and `quiet` is not asked for."""
    if quiet or not sys.stderr.isatty():
        return Task()
    if not are_compiled():
        print(FIRST_USE, file=sys.stderr)
    last = 0.0

    def report(fraction: float) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last > 0.1:
            last = now
            done = round(fraction * WIDTH)
            print(
                f"\r{label[:28]:28} {'#' * done}{'.' * (WIDTH - done)} {fraction:4.0%}",
                end="",
                file=sys.stderr,
            )

    return Task(report)


def end_progress(quiet: bool) -> None:
    if not quiet and sys.stderr.isatty():
        print("\r\x1b[K", end="", file=sys.stderr)
