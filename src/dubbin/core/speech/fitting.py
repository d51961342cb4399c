"""Words need sound under them that fits: a recogniser that hears nothing it knows writes down what it has read most often.

What is invented gives itself away in the sound: whole sentences within a few tenths of a second, words where nobody speaks or where nothing is voiced, and, in
a language that the model does not know, hardly a word that it is sure of. Such words are left out, so that what is said there shows as not understood.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import groupby, pairwise

import numpy as np
from numpy.typing import NDArray

from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.transcript import plain

# Measured with the built-in English model: on English voices the mean confidence is .89 and more, on five other languages .38 to .56.
LEAST_MEAN_CONFIDENCE, SURE_MEAN_CONFIDENCE = 0.65, 0.85
# A model of many languages is less sure of itself in each: lists of single words in six languages .58 to .89, voices played backwards .38 to .52.
LEAST_OF_MANY, SURE_OF_MANY = 0.55, 0.75
LEAST_SPEECH_S, LEAST_WORDS_PER_S = 5.0, 0.6  # slow talk has two words a second of what is said
# Fast talk has 25 letters a second. Alignment makes single words too short now and then, but not several in a row.
FASTEST_LETTERS_PER_S, FASTEST_IN_A_ROW = 45.0, 30.0
IN_A_ROW = 3
GROUP_GAP_S = 0.3  # words nearer than this are one group
AROUND_S = 0.05
LEAST_VOICED_S, LEAST_VOICED_SHARE = 0.03, 0.12
SURE = 0.6  # single words without voice, whispered or too short to tell, are kept from this confidence on
LEAST_GROUP_CONFIDENCE = 0.35


def is_known_language(words: Sequence[HeardWord], own: NDArray[np.bool_], *, of_many: bool = False) -> bool:
    """Whether a recogniser knows what it heard: it finds words in most of what is said, and is sure of them.

    own: marks, 100 a second, of what this voice says; a few seconds tell nothing. of_many: whether the recogniser knows many languages. What is said over and over counts once: in a loop a recogniser is sure of itself.
    """
    speech_s = np.count_nonzero(own) / FRAMES_PER_S
    if speech_s < LEAST_SPEECH_S:
        return True
    if not words:
        return False
    pairs: dict[tuple[str, str], list[float]] = {}
    for before, word in pairwise([None, *words]):
        if word is not None:
            pairs.setdefault((plain(before.text) if before else "", plain(word.text)), []).append(word.confidence)
    mean = float(np.mean([np.mean(c) for c in pairs.values()]))
    least, sure = (LEAST_OF_MANY, SURE_OF_MANY) if of_many else (LEAST_MEAN_CONFIDENCE, SURE_MEAN_CONFIDENCE)
    return mean >= (least if len(words) >= LEAST_WORDS_PER_S * speech_s else sure)


def fitting_words(words: Sequence[HeardWord], own: NDArray[np.bool_], voiced: NDArray[np.bool_]) -> list[HeardWord]:
    """Those of the words, sorted, that have sound under them that fits. own, voiced: marks, 100 a second, of what this voice says and of what has a pitch."""
    kept = [w for w in words if _span(own, w).any()]
    kept = _without_runs(kept, _is_too_fast, IN_A_ROW, lambda run: _pace(run) > FASTEST_IN_A_ROW)

    def has_no_voice(word: HeardWord) -> bool:
        return bool(np.count_nonzero(_span(voiced, word)) < LEAST_VOICED_S * FRAMES_PER_S)

    kept = _without_runs(kept, has_no_voice, IN_A_ROW, lambda _: True)
    kept = [w for w in kept if w.confidence >= SURE or not has_no_voice(w)]
    return [word for group in _groups(kept) if _is_plausible(group, voiced) for word in group]


def _span(marks: NDArray[np.bool_], word: HeardWord) -> NDArray[np.bool_]:
    low = max(int((word.start_s - AROUND_S) * FRAMES_PER_S), 0)
    return marks[low : max(int(np.ceil((word.end_s + AROUND_S) * FRAMES_PER_S)), low + 1)]


def _letters(word: HeardWord) -> int:
    return max(len(plain(word.text)), 1)


def _is_too_fast(word: HeardWord) -> bool:
    return _letters(word) > FASTEST_LETTERS_PER_S * (word.end_s - word.start_s)


def _pace(words: Sequence[HeardWord]) -> float:
    """Letters a second."""
    return sum(_letters(w) for w in words) / max(words[-1].end_s - words[0].start_s, 1e-3)


def _without_runs(
    words: Sequence[HeardWord], is_odd: Callable[[HeardWord], bool], least: int, and_if: Callable[[Sequence[HeardWord]], bool]
) -> list[HeardWord]:
    """The words without runs of `least` odd ones and more in a row of which and_if holds."""
    out: list[HeardWord] = []
    for odd, run in groupby(words, is_odd):
        found = list(run)
        if not odd or len(found) < least or not and_if(found):
            out += found
    return out


def _groups(words: Sequence[HeardWord]) -> list[list[HeardWord]]:
    groups: list[list[HeardWord]] = []
    for word in words:
        if groups and word.start_s - groups[-1][-1].end_s < GROUP_GAP_S:
            groups[-1].append(word)
        else:
            groups.append([word])
    return groups


def _is_plausible(group: Sequence[HeardWord], voiced: NDArray[np.bool_]) -> bool:
    """Whether a group of words that follow one another has enough voice under it, and is more than a guess."""
    low, high = int(group[0].start_s * FRAMES_PER_S), int(np.ceil(group[-1].end_s * FRAMES_PER_S))
    share = float(voiced[low : max(high, low + 1)].mean()) if low < len(voiced) else 0.0
    confidence = float(np.mean([w.confidence for w in group]))
    return confidence >= LEAST_GROUP_CONFIDENCE and (share >= LEAST_VOICED_SHARE or (len(group) < IN_A_ROW and confidence >= SURE))
