"""Passages that stand alone: short stretches of a program that are worth a clip, with the reasons why.

A clip must be understood without what came before: it begins with a sentence that points at nothing earlier, and ends where somebody stops. Among those stretches count
the words that the talk is about (Luhn, "The automatic creation of literature abstracts", IBM Journal 2, 1958), laughter, a question that is answered, and how quickly
the voices take turns. Fillers and overlong silence count against it.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise

from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.speech.transcript import WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import ENGLISH, vocabulary_of
from dubbin.core.speech.written import written
from dubbin.core.texts import tr

SHORTEST_S, LONGEST_S = 12.0, 75.0
BEST_S = (20.0, 50.0)  # lengths that cost nothing
EVERY_S, FEWEST, MOST = 240.0, 3, 12  # a passage for so much of a program, but at least and at most so many
PAUSE_S = 0.35  # after which something may begin or end
LEAST_SCORE = 1.0
DENSE = 1.1  # times the usual share of words that the talk is about
USUAL_SILENCE = 0.35  # share of a passage between its words
LATE_LAUGH = 0.4  # of a passage: laughter counts from there on
QUICK_TURNS, QUICK_S = 4, 40.0
LEAD_S, TAIL_S = 0.15, 0.35  # of sound beside the words, where there is room
LONGEST_TITLE = 64


@dataclass(frozen=True)
class Passage:
    """A stretch of the program, in seconds. reasons: why it is worth a clip, in a few words each; title: what it begins with; speakers: who is heard."""

    start_s: float
    end_s: float
    score: float
    reasons: tuple[str, ...]
    title: str
    speakers: tuple[str, ...]

    @property
    def length_s(self) -> float:
        """How long it is."""
        return self.end_s - self.start_s


@dataclass(frozen=True)
class _Sentence:
    """first, last: numbers of its words, last one past the end."""

    first: int
    last: int
    speaker: str
    start_s: float
    end_s: float


def find_passages(words: Sequence[SpokenWord], most: int | None = None, languages: Sequence[str] = (ENGLISH,)) -> list[Passage]:
    """The best passages of a program, none of which overlap, in the order in which they are heard.

    words: of all voices on program time, in order. most: how many at most; by default as many as suit the length. languages: what is spoken.
    """
    talk = _Talk(words, languages)
    if not talk.sentences:
        return []
    most = most or min(max(round(words[-1].end_s / EVERY_S), FEWEST), MOST)
    found: list[tuple[float, int, int]] = []
    for a in range(len(talk.sentences)):
        for b in range(a, len(talk.sentences)):
            length = talk.sentences[b].end_s - talk.sentences[a].start_s
            if length > LONGEST_S:
                break
            if length >= SHORTEST_S:
                merits = talk.merits(a, b)
                if merits.is_any and merits.score >= LEAST_SCORE:
                    found.append((-merits.score, a, b))
    chosen: list[Passage] = []
    for _, a, b in sorted(found):
        if len(chosen) == most:
            break
        passage = talk.passage(a, b)
        if all(passage.end_s <= c.start_s or passage.start_s >= c.end_s for c in chosen):
            chosen.append(passage)
    return sorted(chosen, key=lambda p: p.start_s)


@dataclass(frozen=True)
class _Merits:
    """What speaks for a passage. density: of the words that the talk is about, against the usual; against: what speaks against it."""

    density: float
    turns: int
    length_s: float
    laughs_at: float | None  # share of the length at which somebody laughs last, if late enough
    is_answer: bool
    edges: float
    against: float

    @property
    def is_about(self) -> bool:
        """Whether it is full of words that tell what is talked about."""
        return self.density > DENSE

    @property
    def is_quick(self) -> bool:
        """Whether people answer one another quickly in it."""
        return self.turns >= QUICK_TURNS and self.length_s <= QUICK_S

    @property
    def is_told(self) -> bool:
        """Whether one person tells something at length."""
        return self.turns == 1 and self.length_s >= BEST_S[0]

    @property
    def is_any(self) -> bool:
        """Whether there is any reason to take it."""
        return self.is_about or self.is_quick or self.is_told or self.is_answer or self.laughs_at is not None

    @property
    def score(self) -> float:
        """The higher, the better; the weights are set by ear on conversations of two."""
        about = 3.0 * self.density / (1.0 + self.density)
        laughs = self.laughs_at or 0.0
        return about + laughs + 0.7 * self.is_answer + 0.3 * self.is_quick + 0.3 * self.is_told + self.edges - self.against


class _Talk:
    """A program's words with sums over them, so that any of many passages is judged at once."""

    def __init__(self, words: Sequence[SpokenWord], languages: Sequence[str]) -> None:
        self.words, self.sentences = words, _sentences(words)
        said = [w for w in words if w.kind is WordKind.WORD]
        self._vocabulary = vocabulary_of(languages, (plain(w.text) for w in said))
        self._terms = [self._vocabulary.term(plain(w.text)) if w.kind is WordKind.WORD else None for w in words]
        self._frequency = Counter(t for t in self._terms if t is not None)
        telling = [self._frequency[t] if t is not None else 0 for t in self._terms]
        self._usual = max(sum(telling) / max(len(said), 1), 1e-9)
        self._telling = _sums(telling)
        self._said = _sums([w.kind is WordKind.WORD for w in words])
        self._fillers = _sums([w.kind is WordKind.FILLER for w in words])
        self._sounding = _sums([w.end_s - w.start_s for w in words])
        changes = [x.speaker != y.speaker for x, y in pairwise(self.sentences)]
        self._changes = _sums(changes)
        self._laughs = [k for k, w in enumerate(words) if w.kind is WordKind.SOUND and w.text == "laugh"]

    def _behind(self, b: int) -> int:
        """The number of the first word after a sentence and the sounds behind it."""
        return self.sentences[b + 1].first if b + 1 < len(self.sentences) else len(self.words)

    def merits(self, a: int, b: int) -> _Merits:
        """What speaks for the passage from sentence a to sentence b, both included."""
        first, last = self.sentences[a], self.sentences[b]
        low, high, length = first.first, last.last, last.end_s - first.start_s
        count = max(self._said[high] - self._said[low], 1.0)
        # Laughter behind the last sentence, before anybody goes on, belongs to it.
        k = bisect_left(self._laughs, self._behind(b)) - 1
        laughs_at = (self.words[self._laughs[k]].start_s - first.start_s) / length if k >= 0 and self._laughs[k] >= low else None
        turns = 1 + int(self._changes[b] - self._changes[a])
        silence = max(0.0, 1.0 - (self._sounding[high] - self._sounding[low]) / length - USUAL_SILENCE)
        away = max(BEST_S[0] - length, length - BEST_S[1], 0.0)
        fillers = (self._fillers[high] - self._fillers[low]) / (high - low)
        asks = self.words[first.last - 1].text.rstrip("\"'”’)").endswith("?")
        return _Merits(
            (self._telling[high] - self._telling[low]) / count / self._usual, turns, length,
            laughs_at if laughs_at is not None and laughs_at > LATE_LAUGH else None, asks and turns > 1, self._edges(a, b),
            3.0 * fillers + silence + 0.02 * away,
        )  # fmt: skip

    def _edges(self, a: int, b: int) -> float:
        """What a beginning and an end are worth: whether the passage stands alone."""
        words, sentences = self.words, self.sentences
        first, last = sentences[a], sentences[b]
        out = -0.8 if plain(words[first.first].text) in self._vocabulary.leaning else 0.3
        if a == 0 or sentences[a - 1].speaker != first.speaker or first.start_s - sentences[a - 1].end_s > PAUSE_S:
            out += 0.3
        if not ends_sentence(words[last.last - 1].text):
            out -= 0.8
        if self._telling[last.last] == self._telling[last.first]:
            out -= 0.5  # a passage ends with something, not with what comes behind it
        if b + 1 == len(sentences) or sentences[b + 1].speaker != last.speaker or sentences[b + 1].start_s - last.end_s > PAUSE_S:
            out += 0.3
        return out

    def passage(self, a: int, b: int) -> Passage:
        """A passage with its reasons in words."""
        words, merits, behind = self.words, self.merits(a, b), self._behind(b)
        first, last = self.sentences[a], self.sentences[b]
        reasons = []
        if merits.is_about:
            inside = range(first.first, last.last)
            subjects = Counter(t for k in inside if (t := self._terms[k]) is not None and self._frequency[t] > 1)
            said = {self._terms[k]: self._vocabulary.bare(plain(words[k].text)) for k in reversed(inside)}
            reasons.append(
                tr("about ") + tr(" and ").join(said[t] for t, _ in subjects.most_common(2)) if subjects else tr("what the talk is about")
            )
        if merits.laughs_at is not None:
            reasons.append(tr("ends in laughter") if merits.laughs_at > 0.8 else "laughter")
        reasons += [tr("a question and its answer")] if merits.is_answer else []
        reasons += [tr("a quick exchange")] if merits.is_quick else []
        reasons += [tr("{speaker} tells it in one go").format(speaker=first.speaker)] if merits.is_told else []
        end_s = max([last.end_s, *(words[k].end_s for k in self._laughs if first.first <= k < behind)])
        before, after = (
            words[first.first - 1].end_s if first.first else 0.0,
            words[behind].start_s if behind < len(words) else end_s + TAIL_S,
        )
        return Passage(
            max(first.start_s - LEAD_S, min(before, first.start_s), 0.0), max(min(end_s + TAIL_S, after), end_s), merits.score, tuple(reasons),
            _title(words, first), tuple(dict.fromkeys(s.speaker for s in self.sentences[a : b + 1])),
        )  # fmt: skip


def _sums(values: Sequence[float]) -> list[float]:
    """Sums of the first 0, 1, 2 … values."""
    return [0.0, *accumulate(map(float, values))]


def _sentences(words: Sequence[SpokenWord]) -> list[_Sentence]:
    """Sentences of one speaker each, in order; sounds and fillers belong to the sentence in which they lie."""
    out: list[_Sentence] = []
    first: int | None = None
    last = 0
    for k, word in enumerate(words):
        if word.kind is WordKind.SOUND:
            continue
        if first is not None and (word.speaker != words[first].speaker or ends_sentence(words[last].text)):
            out.append(_sentence(words, first, last + 1))
            first = None
        if first is None:
            first = k
        last = k
    return [*out, _sentence(words, first, last + 1)] if first is not None else out


def _sentence(words: Sequence[SpokenWord], first: int, last: int) -> _Sentence:
    return _Sentence(first, last, words[first].speaker, words[first].start_s, max(w.end_s for w in words[first:last]))


def _title(words: Sequence[SpokenWord], sentence: _Sentence) -> str:
    text = written(w.text for w in words[sentence.first : sentence.last] if w.kind is WordKind.WORD)
    return text if len(text) <= LONGEST_TITLE else text[: LONGEST_TITLE - 2].rsplit(" ", 1)[0] + " …"
