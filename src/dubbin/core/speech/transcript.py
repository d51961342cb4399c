"""What was said: words with their place in a recording, and who said them. Plain frozen data."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

UNKNOWN = "und"  # the code of ISO 639-2 for a language that is not determined


class WordKind(StrEnum):
    """A word, a hesitation, or a sound that is none."""

    WORD = "word"
    FILLER = "filler"
    SOUND = "sound"


@dataclass(frozen=True, slots=True)
class Word:
    """A word, a filler, or a sound that is no speech (its text says which: breath, laugh, cough, click).

    start_frame, end_frame: on the recording's own frames. confidence: 0 to 1. speaker: number of the speaker in a recording that
    holds several.
    """

    text: str
    start_frame: int
    end_frame: int
    kind: WordKind = WordKind.WORD
    confidence: float = 1.0
    speaker: int = 0


@dataclass(frozen=True)
class Transcript:
    """The words of one lane, sorted by start. speakers: names of several speakers in one recording; one or none: the lane's
    voice. source: what made it, the name of a model or of a file. together: stretches (start, end), in frames of the recording, in which
    two of several speakers are heard at once."""

    lane: str
    words: tuple[Word, ...]
    language: str = "en"
    source: str = ""
    speakers: tuple[str, ...] = ()
    together: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Spoken:
    """What is known of a show before it is heard. language: a code such as en; none: found by itself. terms: names and terms, as they are written."""

    language: str = ""
    terms: tuple[str, ...] = ()


PASSING_SOUNDS = frozenset(("click", "breath"))  # no automatic cut stops at them; it does at a laugh, and at what was not understood
_NO_WORD = re.compile(r"[^\w']+")
_ENDS_SENTENCE = re.compile(r"[.!?…。！？؟۔।॥։][\"'”’“»›)\]」』）\s]*$")


@lru_cache(maxsize=1 << 16)
def plain(text: str) -> str:
    """A word as it is compared: small letters, figures and inner apostrophes only."""
    return _NO_WORD.sub("", text.lower().replace("’", "'")).strip("'_")


@lru_cache(maxsize=1 << 16)
def ends_sentence(text: str) -> bool:
    """Whether a sentence ends with a word, by its punctuation."""
    return bool(_ENDS_SENTENCE.search(text.strip()))
