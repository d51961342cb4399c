"""A long MP3, parts of which are encoded side by side: what is written does not depend on how many cores there are.

The encoder is the slowest part of making masters, and works on one core. A border between parts lies in the quietest place near its even one (a pause, most often);
both parts are encoded some way beyond it, so that both encoders have settled where one takes over from the other.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from dubbin.core.deliver.mp3_frames import SAMPLES, fits, joined
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound.source import Source

PART_S = 150.0
RATES = (32000, 44100, 48000)  # of MPEG-1; below, a frame is another thing
SEEK_S = 10.0  # to both sides of an even border, for a quiet place
CHOICE = 24  # frames to both sides of a border, of which one is taken
SETTLE, LOOK_AHEAD = 64, 4  # frames, before the first that may be taken and behind the last


@dataclass(frozen=True)
class Part:
    """Samples start to stop, encoded for themselves. border: the frame of the whole stream at which it ends."""

    start: int
    stop: int
    border: int


def parts_of(source: Source) -> list[Part]:
    """The parts of a source; one where it is short."""
    count = round(source.frames / (PART_S * source.rate))
    found = _borders(source, count) if source.rate in RATES and count > 1 else []
    starts = [0, *((b - CHOICE - SETTLE) * SAMPLES for b in found)]
    stops = [*((b + CHOICE + LOOK_AHEAD) * SAMPLES for b in found), source.frames]
    return [Part(*spans) for spans in zip(starts, stops, [*found, -1], strict=True)]


def _borders(source: Source, count: int) -> list[int]:
    seek = round(SEEK_S * source.rate / SAMPLES)
    even = [round(source.frames * k / count / SAMPLES) for k in range(1, count)]
    return [_quietest(source, middle - seek, middle + seek) for middle in even]


def _quietest(source: Source, start: int, stop: int) -> int:
    x = source.read(start * SAMPLES, stop * SAMPLES)
    energy = (x.reshape(source.channels, stop - start, SAMPLES) ** 2).sum(axis=(0, 2), dtype=np.float64)
    around = np.convolve(energy, np.ones(2 * CHOICE + 1), mode="valid")
    return start + CHOICE + int(np.argmin(around))


def frames_of(parts: Sequence[Part], encode: Callable[[Part, Task], list[bytes]], task: Task) -> list[bytes] | None:
    """Frames of the whole stream; None where two parts do not fit at any of the frames they share. encode: the frames of one part."""
    done: list[list[bytes]] = [[] for _ in parts]
    shares = task.shares(len(parts))

    def work(k: int) -> None:
        done[k] = encode(parts[k], shares[k])

    in_parallel(work, range(len(parts)), task.part(0.0, 0.0))
    whole = done[0]
    for ended, part, begun in zip(parts, parts[1:], done[1:], strict=False):
        first = part.start // SAMPLES
        at = _meeting(whole, begun, first, ended.border)
        if at is None:
            return None
        whole = joined(whole, at, begun, at - first) + begun[at - first :]
    return whole


def _meeting(whole: list[bytes], begun: list[bytes], first: int, border: int) -> int | None:
    """The frame nearest to a border at which a part that begins at frame `first` can take over."""
    near = sorted(range(border - CHOICE, border + CHOICE + 1), key=lambda frame: abs(frame - border))
    return next((frame for frame in near if fits(whole, frame, begun, frame - first)), None)
