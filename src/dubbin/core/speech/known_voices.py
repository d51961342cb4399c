"""Voices that a person asked to remember, so that the next episode of a show has its names from the start.

Of each voice a point on a sphere is kept (`speaker_encoder`), not its sound, in a file of this computer; it is given away with nothing. A voice is known again where it lies
near a remembered one and clearly nearer than to any other. Figures: of eight real voices the two halves of a recording lie .84 to .98 near, in noise at 20 dB .81 to .92,
different voices at most .77; over a telephone, or from the other end of a room, a voice is not known again, and asked for as before.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source
from dubbin.core.sound.writing import replacing
from dubbin.core.speech.speaker_encoder import SIZE, SPAN_S, embed
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.texts import tr

FILE = "voices.json"
ALIKE, CLEARLY = 0.80, 0.04  # cosine from which on it is the same voice, and by how much more than any other one's
MOST_SPANS, LEAST_S = 60, 6.0  # of speech that is listened to
GAP_S, SHORTEST_S = 0.4, 0.7
MOST_TIMES = 8  # that a voice was remembered count: it may change over the years

Point = NDArray[np.float32]
Spans = list[tuple[float, float]]


def spans_of_words(words: Sequence[Word], rate: int, speaker: int | None = None) -> Spans:
    """Where somebody speaks, in seconds of the recording, in stretches as long as are listened to at once. speaker: of several; None: whoever speaks."""
    spoken = [w for w in words if w.kind is WordKind.WORD and (speaker is None or w.speaker == speaker)]
    return _in_spans([(w.start_frame / rate, w.end_frame / rate) for w in spoken])


def spans_of_marks(marks: NDArray[np.bool_], per_s: int) -> Spans:
    """The same from marks (n,), so many a second."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], marks.astype(np.int8), [0]])))
    return _in_spans([(a / per_s, b / per_s) for a, b in edges.reshape(-1, 2).tolist()])


def _in_spans(spoken: Sequence[tuple[float, float]]) -> Spans:
    joined: Spans = []
    for a, b in spoken:
        if joined and a - joined[-1][1] < GAP_S:
            joined[-1] = (joined[-1][0], max(b, joined[-1][1]))
        else:
            joined.append((a, b))
    cut = [(t, min(t + SPAN_S, b)) for a, b in joined for t in np.arange(a, b, SPAN_S).tolist()]
    return [(a, b) for a, b in cut if b - a >= SHORTEST_S]


def voice_point(source: Source, spans_s: Spans, task: Task | None = None) -> Point | None:
    """What a voice sounds like, (SIZE,) of length 1; None where it speaks for less than LEAST_S."""
    if sum(b - a for a, b in spans_s) < LEAST_S:
        return None
    few = [spans_s[k] for k in np.unique(np.linspace(0, len(spans_s) - 1, MOST_SPANS).astype(int)).tolist()]
    middle = embed(source, few, task).mean(axis=0)
    return np.asarray(middle / np.linalg.norm(middle), np.float32)


class KnownVoices:
    """The remembered voices of this computer. A file that can't be read holds none."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / FILE
        self._voices: dict[str, tuple[Point, int]] = {}
        try:
            for name, kept in json.loads(self._path.read_text())["voices"].items():
                point = np.array(kept["point"], np.float64)
                if point.shape == (SIZE,) and np.all(np.abs(point) <= 1.0) and np.any(point):
                    self._voices[str(name)] = (np.asarray(point / np.linalg.norm(point), np.float32), max(int(kept["times"]), 1))
        except (OSError, ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
            self._voices = {}

    @property
    def names(self) -> list[str]:
        """Of all remembered voices, in alphabetical order."""
        return sorted(self._voices, key=str.casefold)

    def remember(self, name: str, point: Point) -> None:
        """Remember a voice; one of that name that is known already is adjusted. Raises CannotWrite."""
        known, times = self._voices.get(name, (np.zeros(SIZE, np.float32), 0))
        middle = known * min(times, MOST_TIMES) + point
        self._voices[name] = (np.asarray(middle / np.linalg.norm(middle), np.float32), times + 1)
        self._write()

    def forget(self, name: str) -> None:
        """Remember a voice no longer. Raises CannotWrite."""
        if self._voices.pop(name, None) is not None:
            self._write()

    def names_of(self, points: Sequence[Point | None]) -> list[str | None]:
        """Who each of some voices is, None where that is not clear; nobody is two of them."""
        out: list[str | None] = [None] * len(points)
        names = self.names
        here = [k for k, point in enumerate(points) if point is not None]
        if not names or not here:
            return out
        near = np.stack([points[k] for k in here]) @ np.stack([self._voices[name][0] for name in names]).T  # type: ignore[misc]
        for row, column in sorted(np.ndindex(near.shape), key=lambda at: -near[at]):
            value = near[row, column]
            others = [*np.delete(near[row], column), *np.delete(near[:, column], row)]
            if value >= ALIKE and value - max(others, default=-1.0) >= CLEARLY:
                out[here[row]] = names[column]
        return out

    def named(self, transcript: Transcript, source: Source, task: Task | None = None) -> Transcript:
        """A transcript with the names of those of its speakers who are known. source: what it was written down from."""
        if len(transcript.speakers) < 2 or not self._voices:
            return transcript
        points = [voice_point(source, spans_of_words(transcript.words, source.rate, k), task) for k in range(len(transcript.speakers))]
        names = [new or old for new, old in zip(self.names_of(points), transcript.speakers, strict=True)]
        return replace(transcript, speakers=tuple(names))

    def _write(self) -> None:
        kept = {name: {"point": [round(float(v), 5) for v in point], "times": times} for name, (point, times) in self._voices.items()}
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(self._path) as temporary:
                temporary.write_text(json.dumps({"voices": kept}))
        except OSError as error:
            raise CannotWrite(
                tr("Remembered voices could not be written to {path}: {strerror}.").format(path=self._path, strerror=error.strerror)
            ) from error
