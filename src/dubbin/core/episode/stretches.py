"""Stretches of the session: put together, and taken out of one another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut

FURTHEST_SESSION_FRAME = PARKED_FROM_FRAME // 10  # further than any session
Stretches = list[tuple[int, int]]


def merged(cuts: Sequence[Cut]) -> Stretches:
    """The union of cuts as sorted, separate stretches."""
    if not cuts:
        return []
    starts, ends = (np.array(values, np.int64) for values in ([c.start_frame for c in cuts], [c.end_frame for c in cuts]))
    order = np.argsort(starts, kind="stable")
    starts, reach = starts[order], np.maximum.accumulate(ends[order])
    first = np.flatnonzero(np.append(True, starts[1:] > reach[:-1]))
    last = np.append(first[1:], len(starts)) - 1
    return list(zip(starts[first].tolist(), reach[last].tolist(), strict=True))


def union(stretches: Iterable[tuple[int, int]]) -> Stretches:
    """Sorted, separate stretches that cover the same."""
    out: Stretches = []
    for start, end in sorted(stretches):
        if out and start <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((start, end))
    return out


def without(start: int, end: int, gone: Stretches) -> Stretches:
    """What is left of a stretch; gone: sorted and separate."""
    out, at = [], start
    for a, b in gone:
        if b <= start:
            continue
        if a >= end:
            break
        if a > at:
            out.append((at, min(a, end)))
        at = max(at, b)
    if at < end:
        out.append((at, end))
    return out
