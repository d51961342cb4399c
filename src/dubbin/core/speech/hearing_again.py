"""What a recogniser passed over: speech without words is heard again by itself, and no word lasts longer than a mouth makes it.

A recogniser that looks at half a minute at a time leaves out whole sentences now and then, and stretches the word before over them. So a word that is much
longer than its letters tell is no word yet: its stretch is heard again together with all speech that no word lies over. What stays without words then is
shown as not understood.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.recogniser import Recogniser, recognise
from dubbin.core.speech.written import letters_to_say

LONGEST_S, LONGEST_LETTER_S = 0.9, 0.14  # of a word: for its vowel, drawn out, and for every letter
AROUND_S = 0.12  # of a word counts as covered by it
JOIN_S = 0.5  # passed over stretches nearer than this are heard together
LEAST_SPEECH_S = 0.25  # of speech in a stretch that is heard again: a short answer has no more


def longest_s(text: str) -> float:
    """Seconds that a word lasts at most, spoken slowly and drawn out."""
    return LONGEST_S + LONGEST_LETTER_S * letters_to_say(text)


def is_plausible(word: HeardWord) -> bool:
    """Whether a word is no longer than a mouth makes it."""
    return word.end_s - word.start_s <= longest_s(word.text)


def passed_over(words: Sequence[HeardWord], own: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Marks (n,), 100 a second, of stretches with LEAST_SPEECH_S of speech and no words. own: marks of what is said."""
    free = own.copy()
    for word in words:
        free[max(int((word.start_s - AROUND_S) * FRAMES_PER_S), 0) : int(np.ceil((word.end_s + AROUND_S) * FRAMES_PER_S))] = False
    out = np.zeros_like(own)
    spans: list[list[int]] = []
    for a, b in zip(*runs(free), strict=True):
        if spans and a - spans[-1][1] < JOIN_S * FRAMES_PER_S and not _lies_between(words, spans[-1][1], int(a)):
            spans[-1][1] = int(b)
        else:
            spans.append([int(a), int(b)])
    for a, b in spans:
        if np.count_nonzero(free[a:b]) >= LEAST_SPEECH_S * FRAMES_PER_S:
            out[a:b] = True
    return out


def _lies_between(words: Sequence[HeardWord], start: int, end: int) -> bool:
    """Whether the middle of a word lies between two marks."""
    return any(start <= (w.start_s + w.end_s) / 2 * FRAMES_PER_S < end for w in words)


def hear_again(
    words: Sequence[HeardWord],
    source: Source,
    own: NDArray[np.bool_],
    model: Recogniser,
    *,
    language: str | None = None,
    terms: Sequence[str] = (),
    task: Task | None = None,
) -> list[HeardWord]:
    """The words with those of a second hearing where the first one passed speech over, sorted.

    own: marks (n,), 100 a second, of what is said. A word that is too long stays only where the second hearing has nothing better, shortened.
    """
    good = [w for w in words if is_plausible(w)]
    marks = passed_over(good, own)
    if not marks.any():
        return list(words)
    again, _ = recognise(source, marks, model, language=language, terms=terms, task=task)
    new = [w for w in again if is_plausible(w) and _is_free(w, good) and marks[_middle(w, len(marks))]]
    shortened = [replace(w, end_s=w.start_s + longest_s(w.text)) for w in words if not is_plausible(w)]
    kept = [w for w in shortened if _is_free(w, good) and all(n.start_s >= w.end_s or n.end_s <= w.start_s for n in new)]
    return sorted([*good, *new, *kept], key=lambda w: w.start_s)


def _middle(word: HeardWord, count: int) -> int:
    return min(int((word.start_s + word.end_s) / 2 * FRAMES_PER_S), count - 1)


def _is_free(word: HeardWord, others: Sequence[HeardWord]) -> bool:
    """Whether most of a word's time is not that of another."""
    half = (word.end_s - word.start_s) / 2
    return all(min(word.end_s, o.end_s) - max(word.start_s, o.start_s) < half for o in others)
