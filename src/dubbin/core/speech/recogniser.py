"""Speech to words, with a Whisper model that runs on this computer and needs no network.

A recording is not read from end to end: what its voice says is gathered into pages of less than half a minute (the model looks at
thirty seconds at a time, however little is said in them), so that silence and other voices cost nothing and can't be
taken for words. Every finished page is kept, so that work that was broken off goes on where it was.

Source: Radford, Kim, Xu, Brockman, McLeavey and Sutskever, "Robust speech recognition via large-scale weak supervision",
ICML 2023, run by CTranslate2. The weights that come with the program are the smallest English ones; a folder with others of the
same form takes their place.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.memory import give_back
from dubbin.core.seats import CORES, holding
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.speech.decoding import MODEL_RATE, Decoder, Heard, HeardWord
from dubbin.core.speech.models import built_in_model, check_model
from dubbin.core.speech.transcript import plain

PAGE_S = 27.0
MARGIN_S = 0.22  # heard before and after what is said
JOIN_S = 0.7  # gaps shorter than this stay as they are
SHORTEST_S = 0.08
EARLIEST_PART = 0.75  # of a page, after which a longer stretch is parted
PAGES_AT_ONCE = 2  # that the model writes side by side, at most; as many groups as there are cores go on at the same time
UNHEARD_S, AFTER_WORD_S = 0.25, 0.1  # speech in what a page left unfinished that is heard again; what still belongs to its last word
MOST_ROUNDS = 4
LANGUAGE_PAGES = 3  # from which the language is told
PROBED_PAGES, LEAST_PAGES = (
    4,
    8,
)  # heard first, spread over the whole, where a model may not know the language; of less than the second number all are heard
SURE = 0.5  # words without length are kept from this confidence on
LEAST_CONFIDENCE = 0.12  # a whole page below this is no speech
LOOP_WORDS, LOOP_TIMES = 3, 6  # words that are said again and again, and how often in a row nobody says them


@dataclass(frozen=True)
class Piece:
    """A stretch of the recording, from start_s to end_s, that lies at at_s on its page."""

    start_s: float
    end_s: float
    at_s: float


Page = tuple[Piece, ...]
_loading = threading.Lock()


def pages_of(said: NDArray[np.bool_], duration_s: float) -> list[Page]:
    """Gather what is said (marks, 100 a second) into pages of at most PAGE_S."""
    starts, ends = runs(said)
    spans: list[list[float]] = []
    for a, b in zip(starts / FRAMES_PER_S, ends / FRAMES_PER_S, strict=True):
        if b - a < SHORTEST_S:
            continue
        a, b = max(a - MARGIN_S, 0.0), min(b + MARGIN_S, duration_s)
        if spans and a - spans[-1][1] < JOIN_S:
            spans[-1][1] = b
        else:
            spans.append([a, b])
    return _packed([Piece(a, b, 0.0) for span in spans for a, b in _parts(span[0], span[1], said)])


def _packed(pieces: Sequence[Piece]) -> list[Page]:
    """Pieces on pages of at most PAGE_S, in order: what was said together is heard together."""
    pages: list[list[Piece]] = []
    for piece in pieces:
        length = piece.end_s - piece.start_s
        if not pages or _end_s(pages[-1]) + length > PAGE_S:
            pages.append([])
        pages[-1].append(Piece(piece.start_s, piece.end_s, _end_s(pages[-1])))
    return [tuple(page) for page in pages]


def _end_s(page: Sequence[Piece]) -> float:
    return page[-1].at_s + page[-1].end_s - page[-1].start_s if page else 0.0


def _parts(start: float, end: float, said: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """A stretch in parts of at most PAGE_S, parted in the longest gap that lies late enough."""
    parts = []
    while end - start > PAGE_S:
        low, high = round((start + PAGE_S * EARLIEST_PART) * FRAMES_PER_S), round((start + PAGE_S) * FRAMES_PER_S)
        gaps = list(zip(*runs(~said[low:high]), strict=True))
        a, b = max(gaps, key=lambda g: g[1] - g[0]) if gaps else (high - low, high - low)
        cut = (low + (a + b) / 2) / FRAMES_PER_S
        parts.append((start, cut))
        start = cut
    return [*parts, (start, end)]


class LanguageNotKnown(Exception):
    """A model understands hardly a word of what it heard first."""


class Recogniser:
    """A loaded model."""

    def __init__(self, folder: Path) -> None:
        """Raises DubbinError."""
        check_model(folder)
        self.name = folder.name if folder != built_in_model() else "quick"
        self._decoder = Decoder(folder)

    @property
    def is_multilingual(self) -> bool:
        """Whether it knows more than English."""
        return self._decoder.multilingual

    def language_of(self, x: NDArray[np.float32]) -> tuple[str, float]:
        """The language that is spoken in x, mono (frames,) at MODEL_RATE, and how likely it is that."""
        return self._decoder.language_of(x)

    def encode(self, x: NDArray[np.float32]) -> NDArray[np.float32]:
        """What its encoder makes of x, mono (frames,) at MODEL_RATE, half a minute at most: (1500, size), 50 a second. May be called from several threads."""
        return self._decoder.encode(x)

    def hear(self, windows: Sequence[NDArray[np.float32]], language: str, terms: Sequence[str] = ()) -> list[Heard]:
        """The words in windows, mono (frames,) at MODEL_RATE; times in seconds of each. terms: names that may come up. May be called from several threads."""
        heard = self._decoder.hear(windows, language, terms)
        give_back()  # the attention of half a minute takes as much as all else
        return [Heard(tuple(without_loops(_whole_words(h.words))), h.until_s) for h in heard]


def _whole_words(words: Sequence[HeardWord]) -> list[HeardWord]:
    """Parts that begin with a hyphen belong to the word before ("uh", "-huh")."""
    out: list[HeardWord] = []
    for word in words:
        if out and word.text.startswith("-") and len(word.text) > 1 and word.start_s - out[-1].end_s < 0.3:
            last = out[-1]
            out[-1] = HeardWord(last.text + word.text, last.start_s, word.end_s, min(last.confidence, word.confidence))
        elif word.text.strip("-–—."):
            out.append(word)
    return out


def without_loops(words: Sequence[HeardWord]) -> list[HeardWord]:
    """The words without those that stand in a loop: up to LOOP_WORDS words, LOOP_TIMES or more in a row. Its first round stays."""
    texts, k = [plain(w.text) for w in words], 0
    out: list[HeardWord] = []
    while k < len(words):
        for size in range(1, LOOP_WORDS + 1):
            times = 1
            while texts[k : k + size] == texts[k + times * size : k + (times + 1) * size]:
                times += 1
            if times >= LOOP_TIMES and k + size <= len(words):
                out += words[k : k + size]
                k += times * size
                break
        else:
            out.append(words[k])
            k += 1
    return out


@lru_cache(maxsize=2)
def _loaded(folder: Path) -> Recogniser:
    found = Recogniser(folder)
    give_back()  # its weights as they stand in the file are three times as large as what is kept
    return found


def recogniser(folder: Path) -> Recogniser:
    """The model in a folder, loaded once, however many voices ask for it at the same time. Raises DubbinError."""
    with holding(_loading):
        return _loaded(folder)


def release() -> None:
    """Let go of the model, until words are asked for again; whoever holds it goes on."""
    _loaded.cache_clear()


def recognise(
    source: Source, said: NDArray[np.bool_], model: Recogniser, *, language: str | None = None, terms: Sequence[str] = (), keep: Path | None = None,
    is_known: Callable[[Sequence[HeardWord], NDArray[np.bool_]], bool] | None = None, task: Task | None = None,
) -> tuple[list[HeardWord], str]:  # fmt: skip
    """All words of a source, sorted, and their language.

    said: marks (n,), 100 a second, of what is to be heard. terms: names and words that may come up. keep: a file in which finished pages are noted; one that is there
    is gone on with. is_known: is asked, with the words of a few pages of a long recording and marks of what is said on them, whether the model knows the
    language. Raises LanguageNotKnown where it says no.
    """
    task = task or Task()
    pages = pages_of(said, source.frames / source.rate)
    known = _Notes(keep) if keep else None
    if pages and language is None:
        language = _language_of(source, pages, model)
    out: list[HeardWord] = []
    if is_known is not None and len(pages) >= LEAST_PAGES:
        known = known or _Notes()
        probed = [pages[k] for k in _spread(len(pages), PROBED_PAGES)]
        words = _words_on(probed, _hear_pages(source, probed, model, language or "en", terms, known, task.part(0.0, 0.0)))
        if not is_known(words, _marks_of(probed, said)):
            raise LanguageNotKnown
    for turn in range(MOST_ROUNDS):
        # The first round hears nearly all: what a later one takes is short.
        part = task.part(1.0 - 0.2**turn, 1.0 - 0.2 ** (turn + 1))
        heard = _hear_pages(source, pages, model, language or "en", terms, known, part)
        out += _words_on(pages, heard)
        pages = _packed([piece for page, h in zip(pages, heard, strict=True) for piece in _unheard(page, h, said)])
        if not pages:
            break
    out.sort(key=lambda w: w.start_s)
    return out, language or "en"


def _language_of(source: Source, pages: Sequence[Page], model: Recogniser) -> str:
    """What is spoken on most of a few pages, spread over the whole: the first may hold a greeting in another language, or a song."""
    if not model.is_multilingual:
        return "en"
    votes: dict[str, float] = {}
    for k in _spread(len(pages), LANGUAGE_PAGES):
        language, sure = model.language_of(_sound_of(source, pages[k]))
        votes[language] = votes.get(language, 0.0) + sure
    return max(votes, key=lambda language: votes[language])


def _spread(count: int, some: int) -> list[int]:
    """Some of so many places, from the first to the last."""
    return sorted({round(k) for k in np.linspace(0, count - 1, min(some, count))})


def _words_on(pages: Sequence[Page], heard: Sequence[Heard]) -> list[HeardWord]:
    """What was heard on pages, on the recording's clock."""
    return [placed for page, h in zip(pages, heard, strict=True) for w in h.words if (placed := _placed(w, page)) is not None]


def _marks_of(pages: Sequence[Page], said: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Marks of what is said on some pages alone."""
    out = np.zeros_like(said)
    for piece in (piece for page in pages for piece in page):
        span = slice(round(piece.start_s * FRAMES_PER_S), round(piece.end_s * FRAMES_PER_S))
        out[span] = said[span]
    return out


def _hear_pages(
    source: Source, pages: Sequence[Page], model: Recogniser, language: str, terms: Sequence[str], known: _Notes | None, task: Task
) -> list[Heard]:
    """What is heard on every page, with finished ones noted."""
    found: dict[int, Heard] = {k: noted for k, page in enumerate(pages) if known and (noted := known.get(page)) is not None}
    missing = [k for k in range(len(pages)) if k not in found]

    def hear(numbers: Sequence[int]) -> None:
        for k, heard in zip(numbers, model.hear([_sound_of(source, pages[k]) for k in numbers], language, terms), strict=True):
            if heard.words and float(np.mean([w.confidence for w in heard.words])) < LEAST_CONFIDENCE:
                heard = Heard((), heard.until_s)
            found[k] = heard
            if known:
                known.add(pages[k], heard)

    in_parallel(hear, _groups(missing), task)
    return [found[k] for k in range(len(pages))]


def _groups(numbers: Sequence[int]) -> list[Sequence[int]]:
    """Numbers of pages in groups of PAGES_AT_ONCE or less, as many for each core: two short rests on one page each would have one core wait for the other."""
    count = min(CORES * -(-len(numbers) // (CORES * PAGES_AT_ONCE)), len(numbers))
    edges = [k * len(numbers) // count for k in range(count + 1)] if count else []
    return [numbers[a:b] for a, b in pairwise(edges)]


def _unheard(page: Page, heard: Heard, said: NDArray[np.bool_]) -> list[Piece]:
    """What a page holds behind the place until which it was heard, where enough is said in it."""
    out, speech, first = [], 0, heard.until_s + AFTER_WORD_S
    for piece in page:
        start = piece.start_s + max(heard.until_s - piece.at_s, 0.0)
        if piece.end_s - start >= SHORTEST_S:
            out.append(Piece(start, piece.end_s, 0.0))
            begin = piece.start_s + max(first - piece.at_s, 0.0)
            speech += int(np.count_nonzero(said[round(begin * FRAMES_PER_S) : round(piece.end_s * FRAMES_PER_S)]))
    return out if speech >= UNHEARD_S * FRAMES_PER_S else []


def _sound_of(source: Source, page: Page) -> NDArray[np.float32]:
    parts = []
    for piece in page:
        x = read_padded(source, round(piece.start_s * source.rate), round(piece.end_s * source.rate)).mean(axis=0)
        y = soxr.resample(x, source.rate, MODEL_RATE, quality="HQ").astype(np.float32)
        ramp = min(len(y) // 2, MODEL_RATE // 200)
        if ramp:
            fade = np.linspace(0.0, 1.0, ramp, dtype=np.float32)
            y[:ramp] *= fade
            y[-ramp:] *= fade[::-1]
        parts.append(y)
    x = np.concatenate(parts)
    loudest = float(np.max(np.abs(x), initial=0.0))
    return x * np.float32(0.5 / loudest) if loudest > 1e-6 else x


def _placed(word: HeardWord, page: Page) -> HeardWord | None:
    """A word on the recording's clock; what reaches over a join belongs to the side that holds its middle."""
    middle = (word.start_s + word.end_s) / 2
    piece = next((p for p in reversed(page) if p.at_s <= middle), page[0])
    length = piece.end_s - piece.start_s
    a = min(max(word.start_s - piece.at_s, 0.0), max(length - SHORTEST_S, 0.0))
    b = min(max(word.end_s - piece.at_s, a + 0.02), length)
    if b - a < 0.01 or (word.end_s - word.start_s < 0.01 and word.confidence < SURE):
        return None
    return HeardWord(word.text, piece.start_s + a, piece.start_s + b, word.confidence)


class _Notes:
    """Finished pages, known again by the pieces that they hold; in a file of JSON lines, if one is given."""

    def __init__(self, path: Path | None = None) -> None:
        self._path, self._lock = path, threading.Lock()
        self._pages: dict[str, Heard] = {}
        if path is None:
            return
        if path.is_file():
            for line in path.read_text().splitlines():
                try:
                    entry = json.loads(line)
                    self._pages[entry["page"]] = Heard(tuple(HeardWord(*w) for w in entry["words"]), float(entry["until"]))
                except (ValueError, KeyError, TypeError):
                    break  # torn off in the middle
        path.parent.mkdir(parents=True, exist_ok=True)

    def get(self, page: Page) -> Heard | None:
        """What was heard on a page; None where it was not heard yet."""
        return self._pages.get(_name(page))

    def add(self, page: Page, heard: Heard) -> None:
        """Keep what was heard on a page, on the disk too where there is a file."""
        rows = [[w.text, round(w.start_s, 4), round(w.end_s, 4), round(w.confidence, 3)] for w in heard.words]
        entry = {"page": _name(page), "words": rows, "until": round(heard.until_s, 4)}
        self._pages[_name(page)] = heard
        if self._path is None:
            return
        with self._lock, open(self._path, "a") as out:
            out.write(json.dumps(entry) + "\n")


def _name(page: Page) -> str:
    return " ".join(f"{piece.start_s:.2f}-{piece.end_s:.2f}" for piece in page)
