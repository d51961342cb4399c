"""Where two voices speak at once in one recording.

The encoder of the quick speech model has heard so much speech that what it makes of a sound tells also whether one voice speaks or two, in any language. A small temporal
convolutional network (sound/temporal.py) reads that from it. It was trained on mixtures of real voices in simulated rooms (`training/overlap`). Source of the task and of how it is
scored: Bullock, Bredin and Garcia-Perera, "Overlap-aware diarization: resegmentation using neural end-to-end overlapped speech detection", ICASSP 2020. Of the encoder: Radford and others
(recogniser.py).

Figures: docs/benchmarks.md. Limits: a voice far softer than the other one is not heard; a short "yes" under a loud word may be missed; laughter, or a song under speech, may count as a
second voice: in the microphone of one voice, into which another one's laughs bleed, half a place a minute.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core import array_files
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import neighbours
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.sound.temporal import temporal_network
from dubbin.core.speech.activity import runs
from dubbin.core.speech.recogniser import Recogniser

RATE, FRAMES_PER_S = 16000, 50
WINDOW_S, MARGIN_S = 30.0, 2.0  # that the encoder hears at once; at both ends of it, of which another window knows more
DILATIONS = (1, 2, 4, 8, 16)
LIKELY, BEGINS = 0.3, 0.9  # of what is a place all of it and some of it
TOGETHER_S, BRIDGE_S = 0.3, 0.2  # a shorter place nobody notices; a shorter gap is none


def find_together(source: Source, said: NDArray[np.bool_], model: Recogniser, task: Task | None = None) -> list[tuple[float, float]]:
    """Places (start, end) in seconds in which two voices are heard at once, sorted; channels are mixed.

    said: marks, 100 a second, of frames with speech. model: the quick one, whose encoder the network knows.
    """
    found, end_s = places_of(likelihood_of(source, said, model, task), said), source.frames / source.rate
    return [(a, min(b, end_s)) for a, b in found]  # the last frame reaches over the end


def places_of(likely: NDArray[np.float32], said: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Places in seconds of how likely two voices are in every frame (frames,), within what is said."""
    marks = np.zeros(len(likely), bool)
    pairs = said[: len(said) // 2 * 2].reshape(-1, 2)
    heard = (pairs[:, 0] | pairs[:, 1])[: len(likely)]
    marks[: len(heard)] = heard
    width = round(BRIDGE_S * FRAMES_PER_S) | 1
    above = np.pad(marks & (likely > LIKELY), width)
    joined = neighbours.closed(above, width)[width:-width]
    return [
        (float(a / FRAMES_PER_S), float(b / FRAMES_PER_S))
        for a, b in zip(*runs(joined), strict=True)
        if b - a >= TOGETHER_S * FRAMES_PER_S and likely[a:b].max() > BEGINS
    ]


def likelihood_of(source: Source, said: NDArray[np.bool_], model: Recogniser, task: Task | None = None) -> NDArray[np.float32]:
    """How likely it is that two voices are heard, 0 to 1, FRAMES_PER_S a second, (frames,); 0 in windows in which nobody speaks."""
    count = -(-source.frames * FRAMES_PER_S // source.rate)
    inner, margin = round((WINDOW_S - 2 * MARGIN_S) * FRAMES_PER_S), round(MARGIN_S * FRAMES_PER_S)
    out = np.zeros(count, np.float32)
    per_frame = source.rate / FRAMES_PER_S

    def look(first: int) -> None:
        if not said[2 * first : 2 * (first + inner)].any():
            return
        x = read_padded(source, round((first - margin) * per_frame), round((first + inner + margin) * per_frame)).mean(axis=0)
        y = soxr.resample(x, source.rate, RATE, quality="MQ").astype(np.float32)
        number = min(inner, count - first)
        out[first : first + number] = likelihood(model.encode(y))[margin : margin + number]

    in_parallel(look, range(0, count, inner), task or Task())
    return out


def likelihood(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
    """The same, (frames,), of what the encoder made of a window, (frames, size)."""
    weights = _weights()
    x = ((encoded - weights["mean"]) * weights["scale"]).astype(np.float32)
    odds = temporal_network(x, weights, DILATIONS)[:, 0]
    return np.asarray(1.0 / (1.0 + np.exp(-odds)), np.float32)


@lru_cache(maxsize=1)
def _weights() -> dict[str, NDArray[np.float32]]:
    return {
        name: np.ascontiguousarray(stored, np.float32) for name, stored in array_files.weights("dubbin.core.speech", "two-at-once").items()
    }
