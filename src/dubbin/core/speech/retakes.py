"""Lines said again: stumbles, false starts and whole sentences, found by their words and, where the recogniser misheard one of them, by their sound.

A retake is a later stretch of the same voice that begins as an earlier one did and says much of the same; nobody says a sentence twice in a minute
because the sentence needs it. Words are compared by local alignment (Smith and Waterman, "Identification of common molecular subsequences", J. Mol. Biol.
147, 1981); sounds by dynamic time warping of their cepstra (Sakoe and Chiba, IEEE TASSP 1978).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.voicing import Voicing, cepstra
from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.speech.transcript import Word, WordKind, ends_sentence, plain

WITHIN_S = 60.0
LINE_GAP_S = 0.55  # a pause this long ends a line
FEWEST_WORDS = 3  # of a line that counts as said again
ALIKE = 0.62  # share of the shorter line's words that are the same
FEWEST_LETTERS, LETTERS_ALIKE = 12, 0.8
WORD_ALIKE = 0.72  # letters of two words that are taken for one
STUMBLE_WORDS = 4  # the longest group of words that is repeated at once
STUMBLE_GAP_S = 1.2
EMPHASIS = frozenset(("very", "really", "no", "yes", "so", "far", "many", "much", "ha", "bye", "yeah", "okay", "well", "long", "more"))
LINES_BETWEEN = 3  # at most, where only the sound tells
SOUND_ALIKE = 0.62  # of the distance between unlike lines
PROBE_S = 1.0  # the beginning of a line that is compared by sound


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


def find_retakes(words: Sequence[Word], rate: int, voicing: Voicing | None = None) -> list[Retake]:
    """Retakes of one voice, in the order of their first takes. rate: of the words' frames."""
    spoken = [k for k, w in enumerate(words) if w.kind is WordKind.WORD and plain(w.text)]
    if len(spoken) < 2:
        return []
    out = _stumbles(words, spoken, rate)
    taken = {k for r in out for t in r.takes[:-1] for k in range(t.first, t.last)}
    lines = _lines(words, [k for k in spoken if k not in taken], rate)
    out += _repeated_lines(words, lines, rate, voicing)
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


@lru_cache(maxsize=1 << 17)  # of an hour of talk: lines are compared with all that follow within a minute, and their words come back
def _same(a: str, b: str) -> bool:
    if a == b:
        return True
    if min(len(a), len(b)) < 3 or a[:1] != b[:1]:
        return False
    return SequenceMatcher(None, a, b).ratio() >= WORD_ALIKE


def likeness(a: Sequence[str], b: Sequence[str]) -> tuple[float, int]:
    """Share of the shorter text's words found in the other in the same order, and how many they are."""
    if not a or not b:
        return 0.0, 0
    theirs = [plain(y) for y in b]
    before = [0] * (len(b) + 1)
    for x in map(plain, a):
        row = [0]
        for j, y in enumerate(theirs):
            row.append(max(before[j + 1], row[j], before[j] + _same(x, y)))
        before = row
    return before[-1] / min(len(a), len(b)), before[-1]


def _repeated_lines(words: Sequence[Word], lines: list[list[int]], rate: int, voicing: Voicing | None) -> list[Retake]:
    out: list[Retake] = []
    used: set[int] = set()
    for i in range(len(lines)):
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


def _is_retake(words: Sequence[Word], lines: list[list[int]], i: int, j: int, rate: int, voicing: Voicing | None) -> tuple[bool, bool]:
    """Whether line j says line i again: by its words, by its sound."""
    first, second = lines[i], lines[j]
    a, b = [words[k].text for k in first], [words[k].text for k in second]
    share, count = likeness(a, b)
    begins_alike = sum(same_word(x, y) for x, y in zip(a[:3], b[:3], strict=False)) >= min(2, len(a), len(b))
    # A short answer taken up by the same voice ("eleven weeks. It rained for nine of them") is no retake: lines between, or too few words.
    if count >= FEWEST_WORDS and share >= ALIKE and (begins_alike or _spelled_alike(a, b)):
        return True, False
    if voicing is None or j > i + LINES_BETWEEN or min(len(a), len(b)) < FEWEST_WORDS or share < 0.2:
        return False, False
    return False, _sounds_alike(words, first, second, rate, voicing)


def _spelled_alike(a: Sequence[str], b: Sequence[str]) -> bool:
    """Whether two lines have the same letters for as long as the shorter one lasts, wherever the recogniser parted the words."""
    x, y = ("".join(plain(w) for w in words) for words in (a, b))
    size = min(len(x), len(y))
    return size >= FEWEST_LETTERS and SequenceMatcher(None, x[:size], y[:size], autojunk=False).ratio() >= LETTERS_ALIKE


def _sounds_alike(words: Sequence[Word], first: Sequence[int], second: Sequence[int], rate: int, voicing: Voicing) -> bool:
    per = rate / FRAMES_PER_S
    starts = [int(words[line[0]].start_frame / per) for line in (first, second)]
    ends = [int(words[line[-1]].end_frame / per) for line in (first, second)]
    size = round(PROBE_S * FRAMES_PER_S)
    parts = [cepstra(voicing.mel[a : min(a + size, b)])[:, 1:] for a, b in zip(starts, ends, strict=True)]
    if min(len(p) for p in parts) < 0.6 * size:
        return False
    alike = warped_distance(parts[0], parts[1])
    # Against itself half a line later: how far unlike speech of this voice is apart.
    middle = (starts[0] + ends[0]) // 2
    other = cepstra(voicing.mel[middle : middle + size])[:, 1:]
    unlike = warped_distance(parts[0], other) if len(other) > 20 else 60.0
    return alike < SOUND_ALIKE * unlike


def warped_distance(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """Mean distance of two runs of cepstra (n, k) along the best way through both."""
    from dubbin.core.speech.retakes_kernels import warped

    a, b = a[::2].astype(np.float64), b[::2].astype(np.float64)
    cost = np.sqrt(((a[:, None, :] - b[None, :, :]) ** 2).mean(axis=2))
    return warped(cost) / (len(a) + len(b))


def _stumbles(words: Sequence[Word], spoken: Sequence[int], rate: int) -> list[Retake]:
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
            if same and close and voice and not whole and not (size == 1 and plain(words[a[0]].text) in EMPHASIS):
                out.append(Retake((_take(words, a), _take(words, b)), True))
                found = size
                break
        at += found or 1
    return out


def _take(words: Sequence[Word], numbers: Sequence[int]) -> Take:
    first, last = numbers[0], numbers[-1] + 1
    return Take(first, last, words[first].start_frame, words[last - 1].end_frame, " ".join(words[k].text for k in numbers))
