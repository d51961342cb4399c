"""Where a new subject begins: long pauses, and words that were not used before.

Source: Hearst, "TextTiling: segmenting text into multi-paragraph subtopic passages", Computational Linguistics 23(1), 1997; titles are the words that are
frequent in a part and rare elsewhere (tf-idf, Spärck Jones 1972).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.speech.transcript import Word, WordKind, ends_sentence, plain

BLOCK_WORDS = 60
PAUSE_WEIGHT, LONG_PAUSE_S = 0.35, 2.5
SHARE_OF_LENGTH = 9.0  # a chapter lasts a ninth of the whole, or
LEAST_S, MOST_S = 35.0, 420.0  # between these
COMMON_TEXT = """
a about above across after again against all along among around also am an and any are as at be because been before being but by came can come could did do does doing
done down each even every few first for from get go goes going gone good got great had has have having he her here hers him his how
i if in into is it its it's i'm just know last let like little long look looks made make many maybe me mean more most much must my
never next no not now of off oh ok okay on once one only or other our out over own people quite really right said same say says see
she should so some something sort still such sure take than thank thanks that that's the their them then there these they thing things
think this those three through time to today too two under up us very want was way we well went were what when where which while who
why will with would yeah years yes you your you're i've don't didn't it'd there's they're we're let's lot bit kind actually
welcome hello
"""
COMMON = frozenset(COMMON_TEXT.split())


@dataclass(frozen=True)
class ChapterIdea:
    """Where a chapter might begin, and what it might be called."""

    frame: int
    title: str


def suggest_chapters(words: Sequence[Word], rate: int) -> list[ChapterIdea]:
    """Beginnings of chapters with draft titles; words: of all voices, sorted by start, on one clock. The first begins with the first word."""
    spoken = [w for w in words if w.kind is WordKind.WORD]
    if not spoken:
        return []
    length_s = (spoken[-1].end_frame - spoken[0].start_frame) / rate
    least_s = min(max(length_s / SHARE_OF_LENGTH, LEAST_S), MOST_S)
    places = _places(spoken, rate)
    chosen: list[int] = []
    for _, k in sorted(places, reverse=True):
        at = spoken[k].start_frame
        edges = [spoken[0].start_frame, spoken[-1].end_frame, *(spoken[c].start_frame for c in chosen)]
        if all(abs(at - edge) >= least_s * rate for edge in edges):
            chosen.append(k)
    starts = [0, *sorted(chosen)]
    parts = [spoken[a:b] for a, b in zip(starts, [*starts[1:], len(spoken)], strict=True)]
    titles = _titles(parts)
    return [ChapterIdea(part[0].start_frame, title) for part, title in zip(parts, titles, strict=True)]


def _terms(words: Sequence[Word]) -> Counter[str]:
    return Counter(t for w in words if (t := _stem(plain(w.text))) and t not in COMMON and len(t) > 2 and not t.isdigit())


def _stem(word: str) -> str:
    for ending in ("'s", "ies", "es", "s"):
        if word.endswith(ending) and len(word) - len(ending) >= 3 and not word.endswith("ss"):
            return word[: -len(ending)] + ("y" if ending == "ies" else "")
    return word


def _places(spoken: Sequence[Word], rate: int) -> list[tuple[float, int]]:
    """(how much like a beginning, number of the word) at every start of a sentence or after a pause."""
    out = []
    for k in range(1, len(spoken)):
        pause_s = (spoken[k].start_frame - spoken[k - 1].end_frame) / rate
        if not (ends_sentence(spoken[k - 1].text) or pause_s > 1.0):
            continue
        before, after = _terms(spoken[max(0, k - BLOCK_WORDS) : k]), _terms(spoken[k : k + BLOCK_WORDS])
        apart = 1.0 - _cosine(before, after)
        out.append((apart + PAUSE_WEIGHT * min(pause_s, LONG_PAUSE_S) / LONG_PAUSE_S, k))
    return out


def _cosine(a: Counter[str], b: Counter[str]) -> float:
    dot = sum(a[t] * b[t] for t in a)
    size = math.sqrt(sum(v * v for v in a.values()) * sum(v * v for v in b.values()))
    return dot / size if size else 0.0


def _titles(parts: Sequence[Sequence[Word]]) -> list[str]:
    counts = [_terms(part) for part in parts]
    known = Counter(t for c in counts for t in c)
    out = []
    for number, (part, count) in enumerate(zip(parts, counts, strict=True)):
        # Long words say more than short ones of the same weight.
        weight = {t: n * math.log(1.0 + len(parts) / known[t]) * min(len(t), 9) for t, n in count.items()}
        shown: dict[str, str] = {}
        for word in part:
            shown.setdefault(_stem(plain(word.text)), word.text.strip(' ,.?!;:"“”'))
        best = sorted(weight, key=lambda t: (-weight[t], t))[:2]
        best.sort(key=lambda t: next(k for k, w in enumerate(part) if _stem(plain(w.text)) == t))
        out.append(" and ".join(shown[t] for t in best).capitalize() if best else f"Part {number + 1}")
    return out
