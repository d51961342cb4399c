"""Waiting for recordings that come into folders, for as long as somebody wants."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from dubbin.core.batch.inputs import BatchInput, find_inputs
from dubbin.core.errors import DubbinError

LOOK_S = 2.0  # between two looks
CALM_S = 10.0  # for which nothing of an episode has changed: what is still being copied grows
Seen = tuple[tuple[str, int, int], ...]


def arriving(
    paths: Sequence[Path], out: Path, *, look_s: float = LOOK_S, calm_s: float = CALM_S, wait: Callable[[float], None] = time.sleep
) -> Iterator[list[BatchInput]]:
    """What is new or was changed, as soon as it is whole: all that is there at first, then what comes. Ends never. wait: is asked to pass the time between looks."""
    seen: dict[BatchInput, tuple[Seen, float]] = {}
    handed: dict[BatchInput, Seen] = {}
    while True:
        ready, now = [], time.monotonic()
        for item in _present(paths, out):
            state = _state(item)
            if state is None or handed.get(item) == state:
                continue
            known, since = seen.get(item, (None, now))
            if known != state:
                seen[item] = (state, now)
                since = now
            if now - since >= calm_s:
                handed[item] = state
                ready.append(item)
        if ready:
            yield ready
        wait(look_s)


def _present(paths: Sequence[Path], out: Path) -> list[BatchInput]:
    """What is there now; an empty folder is no error for somebody who waits."""
    found: list[BatchInput] = []
    for path in paths:
        try:
            found += find_inputs([path], out)
        except (DubbinError, OSError):
            continue
    return found


def _state(item: BatchInput) -> Seen | None:
    """Sizes and times of all its files; None where one is missing."""
    try:
        return tuple((str(file), file.stat().st_size, file.stat().st_mtime_ns) for file in item.recordings)
    except OSError:
        return None
