"""Edges of the words of a whole recording, of a long one in parts: hours of levels, and of what is worked out of them, take hundreds of megabytes.

A part is a hundred times as long as what is needed to learn what letters sound like; it ends in the longest gap between words near its even end.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, Stretch
from dubbin.core.speech.activity import FRAMES_PER_S, Activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.word_edges import find_features, refine_edges

PART_S = 3600.0
SEEK_S = 120.0  # to both sides of an even end


def edges_in(
    source: Source, words: Sequence[HeardWord], activity: Activity, rt60_s: float | None = None, task: Task | None = None
) -> list[HeardWord]:
    """The same words with better edges, sorted, not overlapping: see `refine_edges`. activity: of the source; rt60_s: of its room, if it is known."""
    task, out = task or Task(), list[HeardWord]()
    ends = part_ends(words, source.frames / source.rate)
    number = [bisect_right(ends[:-1], _middle_s(w)) for w in words]  # of each word's part
    for k, ((start_s, end_s), part) in enumerate(zip(pairwise([0.0, *ends]), task.shares(len(ends)), strict=True)):
        own = [_moved(w, -start_s) for w, its in zip(words, number, strict=True) if its == k]
        stretch = Stretch(source, round(start_s * source.rate), min(round(end_s * source.rate), source.frames))
        frames = slice(round(start_s * FRAMES_PER_S), round(end_s * FRAMES_PER_S))
        heard = Activity(activity.level_db[frames], activity.excess_db[frames])
        found = refine_edges(own, find_features(stretch, part.part(0.0, 0.5)), heard, rt60_s, part.part(0.5, 1.0))
        out += [_moved(w, start_s) for w in found]
    return out


def part_ends(words: Sequence[HeardWord], seconds: float) -> list[float]:
    """Where the parts of a recording end, in seconds; the last one with the recording."""
    count = max(1, round(seconds / PART_S))
    return [*(_widest_gap(words, seconds * k / count) for k in range(1, count)), seconds]


def _widest_gap(words: Sequence[HeardWord], near_s: float) -> float:
    """The middle of the longest gap between words within SEEK_S; on a frame of the activity."""
    around = sorted((w.start_s, w.end_s) for w in words if abs(_middle_s(w) - near_s) < SEEK_S)
    gaps = [(b - a, (a + b) / 2) for (_, a), (b, _) in pairwise(around)]
    return round((max(gaps)[1] if gaps else near_s) * FRAMES_PER_S) / FRAMES_PER_S


def _middle_s(word: HeardWord) -> float:
    return (word.start_s + word.end_s) / 2


def _moved(word: HeardWord, by_s: float) -> HeardWord:
    return replace(word, start_s=word.start_s + by_s, end_s=word.end_s + by_s) if by_s else word
