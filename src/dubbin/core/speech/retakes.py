"""Lines said again: stumbles, false starts and whole sentences, found by their words and, where the recogniser misheard one of them, by their sound.

A retake is a later stretch of the same voice that begins as an earlier one did and says again all that the earlier one said, but for what it broke off in;
so nothing is lost when the earlier one goes. What is only alike is not said again: of two set phrases ("for the harbour, take line two; for the mill, take line
three") each says something of its own. Who says a line again does so soon, and who puts one right does so at once. Words are compared by the longest common subsequence (Needleman and Wunsch,
J. Mol. Biol. 48, 1970, with gaps that cost nothing); sounds by dynamic time warping of their cepstra (Sakoe and Chiba, IEEE TASSP 1978).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import Enum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import KeptVoicing, cepstra
from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.speech.doubled_words import may_be_doubled
from dubbin.core.speech.transcript import Word, WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import ENGLISH
from dubbin.core.speech.written import written

WITHIN_S = 20.0  # from the end of a take to the begin of the next
LINE_GAP_S = 0.55  # a pause this long ends a line
FEWEST_WORDS, MOST_WORDS = 3, 200  # of a line that counts as said again: minutes without a pause or a full stop are no line
SAID_AGAIN = 0.8  # share of a take's words that the next one has too
BROKEN_OFF, BROKEN_SHARE = 3, 1 / 3  # words at the end of a take that broke off, which the next need not have; of a long one more
MISHEARD, SURE = 0.8, 0.6  # letters of words that were heard differently; a confidence from which on they are others
FEWEST_LETTERS, LETTERS_ALIKE = 12, 0.85
WORD_ALIKE = 0.72  # letters of two words that are taken for one
STUMBLE_WORDS = 4  # the longest group of words that is repeated at once
STUMBLE_GAP_S = 1.2
CORRECTED_S, OPENING_WORDS = 8.0, 5  # until a line is put right; words by which a set phrase is known
LINES_BETWEEN = 2  # of the same voice, at most
SOUND_ALIKE = 0.62  # of the distance between unlike lines
SHORTEST_SOUND_S, LONGEST_SOUND_S = 0.6, 6.0  # of a line that is compared by sound, and of what is compared


@dataclass(frozen=True)
class Take:
    """One of the times a line was said: numbers of its first and one past its last word, and where it lies."""

    first: int
    last: int
    start_frame: int
    end_frame: int
    text: str


@dataclass(frozen=True)
class Retake:
    """A line with all its takes in the order in which they were said; the last is kept unless another is chosen. by_sound: the
    words differ, the sound does not."""

    takes: tuple[Take, ...]
    is_stumble: bool = False
    by_sound: bool = False


def find_retakes(
    words: Sequence[Word], rate: int, voicing: KeptVoicing | None = None, language: str = ENGLISH, task: Task | None = None
) -> list[Retake]:
    """Retakes of one voice, in the order of their first takes. rate: of the words' frames. language: a code such as en. Raises Cancelled."""
    task = task or Task()
    spoken = [k for k, w in enumerate(words) if w.kind is WordKind.WORD and plain(w.text)]
    if len(spoken) < 2:
        return []
    out = _stumbles(words, spoken, rate, language)
    taken = {k for r in out for t in r.takes[:-1] for k in range(t.first, t.last)}
    lines = _lines(words, [k for k in spoken if k not in taken], rate)
    out += _repeated_lines(words, lines, rate, voicing, task)
    return sorted(out, key=lambda r: r.takes[0].start_frame)


def _lines(words: Sequence[Word], spoken: Sequence[int], rate: int) -> list[list[int]]:
    """Numbers of words, line by line: parted at the ends of sentences and at pauses."""
    lines: list[list[int]] = [[]]
    for k in spoken:
        if lines[-1]:
            last = words[lines[-1][-1]]
            pause = words[k].start_frame - words[k - 1].end_frame > LINE_GAP_S * rate
            if words[k].speaker != last.speaker or pause or ends_sentence(last.text):
                lines.append([])
        lines[-1].append(k)
    return [line for line in lines if line]


def same_word(a: str, b: str) -> bool:
    """Whether two words are the same, or misheard for one another."""
    return _same(plain(a), plain(b))


@lru_cache(maxsize=1 << 17)  # of an hour of talk: lines are compared with those that follow soon, and their words come back
def _same(a: str, b: str) -> bool:
    if a == b:
        return True
    if min(len(a), len(b)) < 3 or a[:1] != b[:1]:
        return False
    return SequenceMatcher(None, a, b).ratio() >= WORD_ALIKE


def alignment(a: Sequence[str], b: Sequence[str]) -> list[tuple[int, int]]:
    """Numbers of the words of both that are the same, in order: as many as there can be."""
    theirs = [plain(y) for y in b]
    table = [[0] * (len(b) + 1)]
    for x in map(plain, a):
        before, row = table[-1], [0]
        for j, y in enumerate(theirs):
            row.append(max(before[j + 1], row[j], before[j] + _same(x, y)))
        table.append(row)
    out, i, j = [], len(a), len(b)
    while i and j:
        if table[i][j] == table[i - 1][j]:
            i -= 1
        elif table[i][j] == table[i][j - 1]:
            j -= 1
        else:
            i, j = i - 1, j - 1
            out.append((i, j))
    return out[::-1]


class Verdict(Enum):
    """What the words of two lines tell: the later one says the earlier one again, or something else, or it can't be told."""

    AGAIN = "again"
    OTHERWISE = "otherwise"
    UNSURE = "unsure"


def compared(first: Sequence[Word], second: Sequence[Word]) -> Verdict:
    """Whether a line says all that an earlier one said, but for what that one broke off in."""
    a, b = [w.text for w in first], [w.text for w in second]
    pairs = alignment(a, b)
    if len(pairs) < FEWEST_WORDS or not _begin_alike(a, b):
        return Verdict.AGAIN if _spelled_alike(a, b) else Verdict.UNSURE
    whole, found = len(a), {i for i, _ in pairs}
    if not ends_sentence(a[-1]):  # it broke off: from the first word on that is not said again, it may have been wrong
        tail = max(BROKEN_OFF, int(BROKEN_SHARE * len(a)))
        whole = next((k for k in range(max(len(a) - tail, 0), len(a)) if k not in found), len(a))
    pairs = [(i, j) for i, j in pairs if i < whole]
    missing = 0
    for (i, j), (m, n) in zip([(-1, -1), *pairs], [*pairs, (whole, len(b))], strict=True):
        mine, theirs = first[i + 1 : m], second[j + 1 : n]
        if not mine or _are_misheard(mine, theirs):
            continue
        if theirs and _are_sure(mine) and _are_sure(theirs[: len(mine)]):
            return Verdict.OTHERWISE
        missing += len(mine)
    return Verdict.AGAIN if whole - missing >= SAID_AGAIN * whole else Verdict.UNSURE


def _begin_alike(a: Sequence[str], b: Sequence[str]) -> bool:
    return sum(same_word(x, y) for x, y in zip(a[:3], b[:3], strict=False)) >= min(2, len(a), len(b))


def _are_misheard(mine: Sequence[Word], theirs: Sequence[Word]) -> bool:
    """Whether words are others by their letters only as far as a recogniser parts and spells them otherwise."""
    x, y = ("".join(plain(w.text) for w in words) for words in (mine, theirs))
    return bool(y) and SequenceMatcher(None, x, y[: len(x) + 2], autojunk=False).ratio() >= MISHEARD


def _are_sure(words: Sequence[Word]) -> bool:
    return float(np.mean([w.confidence for w in words])) >= SURE


def _repeated_lines(words: Sequence[Word], lines: list[list[int]], rate: int, voicing: KeptVoicing | None, task: Task) -> list[Retake]:
    out: list[Retake] = []
    used: set[int] = set()
    for i in range(len(lines)):
        task.step(i / len(lines))
        if i in used:
            continue
        group, by_sound = [i], False
        for j in range(i + 1, len(lines)):
            last = lines[group[-1]]
            if words[lines[j][0]].start_frame - words[last[-1]].end_frame > WITHIN_S * rate:
                break
            if j in used or words[lines[j][0]].speaker != words[last[0]].speaker:
                continue
            said_again, heard_again = _is_retake(words, lines, group[-1], j, rate, voicing)
            if said_again or heard_again:
                group.append(j)
                by_sound |= not said_again
        if len(group) > 1:
            used.update(group)
            out.append(Retake(tuple(_take(words, lines[k]) for k in group), False, by_sound))
    return out


def _is_retake(words: Sequence[Word], lines: list[list[int]], i: int, j: int, rate: int, voicing: KeptVoicing | None) -> tuple[bool, bool]:
    """Whether line j says line i again: by its words, by its sound."""
    first, second = lines[i], lines[j]
    if j > i + 1 + LINES_BETWEEN or len(first) > MOST_WORDS:
        return False, False
    a, b = [words[k] for k in first], [words[k] for k in second]
    # A short answer taken up by the same voice ("eleven weeks. It rained for nine of them") is no retake: it has too few words.
    verdict = compared(a, b)
    if verdict is not Verdict.UNSURE:
        return verdict is Verdict.AGAIN or _is_corrected(words, lines, i, j, rate), False
    if voicing is None or min(len(a), len(b)) < FEWEST_WORDS or not alignment([w.text for w in a], [w.text for w in b]):
        return False, False
    return False, _sounds_alike(words, first, second, rate, voicing)


def _is_corrected(words: Sequence[Word], lines: list[list[int]], i: int, j: int, rate: int) -> bool:
    """Whether line j puts line i right at once: begun in the same words for long, it goes on in others. An opening that a third line has too is a set phrase."""
    if j != i + 1 or words[lines[j][0]].start_frame - words[lines[i][-1]].end_frame > CORRECTED_S * rate:
        return False
    a, b = ([plain(words[k].text) for k in line] for line in (lines[i], lines[j]))
    same = next((k for k, (x, y) in enumerate(zip(a, b, strict=False)) if not _same(x, y)), min(len(a), len(b)))
    if same < max(OPENING_WORDS, len(a) / 2):
        return False
    opening = a[:OPENING_WORDS]
    others = (line for k, line in enumerate(lines) if k not in (i, j))
    return all([plain(words[k].text) for k in line[:OPENING_WORDS]] != opening for line in others)


def _spelled_alike(a: Sequence[str], b: Sequence[str]) -> bool:
    """Whether two lines have the same letters for as long as the shorter one lasts, wherever the recogniser parted the words."""
    x, y = ("".join(plain(w) for w in words) for words in (a, b))
    size = min(len(x), len(y))
    return size >= FEWEST_LETTERS and SequenceMatcher(None, x[:size], y[:size], autojunk=False).ratio() >= LETTERS_ALIKE


def _sounds_alike(words: Sequence[Word], first: Sequence[int], second: Sequence[int], rate: int, voicing: KeptVoicing) -> bool:
    """Whether the whole of a line, as far as it goes, sounds as the later one begins."""
    per = rate / FRAMES_PER_S
    spans = [(int(words[line[0]].start_frame / per), int(words[line[-1]].end_frame / per)) for line in (first, second)]
    (start, end), (again, until) = spans
    size = min(end - start, round(LONGEST_SOUND_S * FRAMES_PER_S))
    if min(size, until - again) < SHORTEST_SOUND_S * FRAMES_PER_S:
        return False
    mine = cepstra(voicing.mel[start : start + size])[:, 1:]
    alike = warped_distance(mine, cepstra(voicing.mel[again : min(again + size * 3 // 2, until)])[:, 1:])
    # Against itself half a line later: how far unlike speech of this voice is apart.
    other = cepstra(voicing.mel[start + size // 2 : start + size // 2 + size])[:, 1:]
    return alike < SOUND_ALIKE * warped_distance(mine, other)


def warped_distance(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """Mean distance of a run of cepstra a (n, k) from the beginning of another, b (m, k), along the best way; b may go on longer."""
    from dubbin.core.speech.retakes_kernels import warped

    a, b = a[::2].astype(np.float64), b[::2].astype(np.float64)
    if not len(a) or not len(b):
        return float("inf")
    cost = np.sqrt(((a[:, None, :] - b[None, :, :]) ** 2).mean(axis=2))
    ways = warped(cost) / (len(a) + np.arange(1, len(b) + 1))
    return float(ways[len(b) // 2 :].min())


def _stumbles(words: Sequence[Word], spoken: Sequence[int], rate: int, language: str) -> list[Retake]:
    """A word or some, said again at once: "what was, what was", "today, um, today"."""
    out: list[Retake] = []
    at = 0
    while at < len(spoken):
        found = 0
        for size in range(STUMBLE_WORDS, 0, -1):
            group = spoken[at : at + 2 * size]
            if len(group) < 2 * size:
                continue
            a, b = group[:size], group[size:]
            close = words[b[0]].start_frame - words[a[-1]].end_frame < STUMBLE_GAP_S * rate
            whole = ends_sentence(words[a[-1]].text)
            same = all(plain(words[x].text) == plain(words[y].text) for x, y in zip(a, b, strict=True))
            voice = words[a[0]].speaker == words[b[-1]].speaker
            if same and close and voice and not whole and not (size == 1 and may_be_doubled(plain(words[a[0]].text), language)):
                out.append(Retake((_take(words, a), _take(words, b)), True))
                found = size
                break
        at += found or 1
    return out


def _take(words: Sequence[Word], numbers: Sequence[int]) -> Take:
    first, last = numbers[0], numbers[-1] + 1
    return Take(first, last, words[first].start_frame, words[last - 1].end_frame, written(words[k].text for k in numbers))
