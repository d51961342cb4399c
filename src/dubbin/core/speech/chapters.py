"""Where a new subject begins: long pauses, and words that were not used before.

Source: Hearst, "TextTiling: segmenting text into multi-paragraph subtopic passages", Computational Linguistics 23(1), 1997; titles are the words that are
frequent in a part and rare elsewhere (tf-idf, Spärck Jones 1972).
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.speech.transcript import Word, WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import ENGLISH, Vocabulary, vocabulary_of
from dubbin.core.texts import tr

BLOCK_WORDS = 60
PAUSE_WEIGHT, LONG_PAUSE_S = 0.35, 2.5
SHARE_OF_LENGTH = 9.0  # a chapter lasts a ninth of the whole, or
LEAST_S, MOST_S = 35.0, 420.0  # between these


@dataclass(frozen=True)
class ChapterIdea:
    """Where a chapter might begin, and what it might be called."""

    frame: int
    title: str


def suggest_chapters(words: Sequence[Word], rate: int, languages: Sequence[str] = (ENGLISH,)) -> list[ChapterIdea]:
    """Beginnings of chapters with draft titles; words: of all voices, sorted by start, on one clock. languages: what is spoken. The first begins with the first word."""
    spoken = [w for w in words if w.kind is WordKind.WORD]
    if not spoken:
        return []
    length_s = (spoken[-1].end_frame - spoken[0].start_frame) / rate
    least_s = min(max(length_s / SHARE_OF_LENGTH, LEAST_S), MOST_S)
    vocabulary = vocabulary_of(languages, (plain(w.text) for w in spoken))
    places = _places(spoken, rate, vocabulary)
    chosen: list[int] = []
    for _, k in sorted(places, reverse=True):
        at = spoken[k].start_frame
        edges = [spoken[0].start_frame, spoken[-1].end_frame, *(spoken[c].start_frame for c in chosen)]
        if all(abs(at - edge) >= least_s * rate for edge in edges):
            chosen.append(k)
    starts = [0, *sorted(chosen)]
    parts = [spoken[a:b] for a, b in zip(starts, [*starts[1:], len(spoken)], strict=True)]
    titles = _titles(parts, vocabulary)
    return [ChapterIdea(part[0].start_frame, title) for part, title in zip(parts, titles, strict=True)]


def _terms(words: Sequence[Word], vocabulary: Vocabulary) -> Counter[str]:
    return Counter(t for w in words if (t := vocabulary.term(plain(w.text))) is not None)


def _places(spoken: Sequence[Word], rate: int, vocabulary: Vocabulary) -> list[tuple[float, int]]:
    """(how much like a beginning, number of the word) at every start of a sentence or after a pause."""
    out = []
    for k in range(1, len(spoken)):
        pause_s = (spoken[k].start_frame - spoken[k - 1].end_frame) / rate
        if not (ends_sentence(spoken[k - 1].text) or pause_s > 1.0):
            continue
        before, after = (_terms(block, vocabulary) for block in (spoken[max(0, k - BLOCK_WORDS) : k], spoken[k : k + BLOCK_WORDS]))
        apart = 1.0 - _cosine(before, after)
        out.append((apart + PAUSE_WEIGHT * min(pause_s, LONG_PAUSE_S) / LONG_PAUSE_S, k))
    return out


def _cosine(a: Counter[str], b: Counter[str]) -> float:
    dot = sum(a[t] * b[t] for t in a)
    size = math.sqrt(sum(v * v for v in a.values()) * sum(v * v for v in b.values()))
    return dot / size if size else 0.0


def _titles(parts: Sequence[Sequence[Word]], vocabulary: Vocabulary) -> list[str]:
    counts = [_terms(part, vocabulary) for part in parts]
    known = Counter(t for c in counts for t in c)
    out = []
    for number, (part, count) in enumerate(zip(parts, counts, strict=True)):
        # Long words say more than short ones of the same weight.
        weight = {t: n * math.log(1.0 + len(parts) / known[t]) * min(len(t), 9) for t, n in count.items()}
        shown: dict[str, tuple[int, str]] = {}  # as it was first said
        for k, word in enumerate(part):
            term = vocabulary.term(plain(word.text))
            if term is not None and term not in shown:
                text = word.text.strip(' ,.?!;:"“”«»')
                shown[term] = (k, re.split("['’]", text)[-1] if vocabulary.elides else text)
        best = sorted(weight, key=lambda t: (-weight[t], t))[:2]
        best.sort(key=lambda t: shown[t][0])
        title = vocabulary.joint.join(shown[t][1] for t in best)
        out.append(title[:1].upper() + title[1:] if best else tr("Part {number}").format(number=number + 1))
    return out
