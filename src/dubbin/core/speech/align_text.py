"""A transcript from elsewhere, put to the sound: its words take the times of what the recogniser heard.

Text is matched with what was heard word by word; words that were not heard lie between those that were, as long as their letters.
"""

from __future__ import annotations

import html
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher
from pathlib import Path

from dubbin.core.errors import DubbinError
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.transcript import plain
from dubbin.core.texts import tr

LARGEST_BYTES = 20_000_000
SPEAKER = re.compile(r"^\s*([A-Z][\w .'’-]{0,30}):\s+")
LETTER_S = 0.06


@dataclass(frozen=True)
class TextWord:
    """A word of a text. start_s, end_s: of the caption that it stood in, if it stood in one. speaker: a name, if one was given."""

    text: str
    start_s: float | None = None
    end_s: float | None = None
    speaker: str = ""


def read_text(path: Path) -> list[TextWord]:
    """The words of a SRT, VTT or plain text file. Raises DubbinError."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise DubbinError(tr("{name} is too large for a transcript.").format(name=path.name))
        data = path.read_bytes()
    except OSError as error:
        raise DubbinError(tr("{path} could not be read: {strerror}.").format(path=path, strerror=error.strerror)) from error
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        if b"\x00" in data[:4000]:
            raise DubbinError(tr("{name} is no text.").format(name=path.name)) from None
        text = data.decode("latin-1")
    ending = path.suffix.lower()
    words = _captions(text, path.name, is_vtt=ending == ".vtt") if ending in (".srt", ".vtt") and text.strip() else _plain_words(text)
    if not words:
        raise DubbinError(tr("{name} holds no words.").format(name=path.name))
    return words


def _captions(text: str, name: str, *, is_vtt: bool) -> list[TextWord]:
    """The words of captions, of a file of that name. is_vtt: they are WebVTT, where characters that mean something there are written as entities."""
    import pysubs2

    try:
        subtitles = pysubs2.SSAFile.from_string(text)
    except Exception as error:
        raise DubbinError(
            tr(
                "{name} is not made of captions: each has a line with its times, 00:00:01,000 --> 00:00:02,500, and its words below."
            ).format(name=name)
        ) from error
    out: list[TextWord] = []
    for event in subtitles:
        if event.is_comment:
            continue
        out += _words_of(event.plaintext.replace("\n", " "), event.start / 1000.0, event.end / 1000.0)
    return [replace(word, text=html.unescape(word.text)) for word in out] if is_vtt else out


def _plain_words(text: str) -> list[TextWord]:
    return [word for line in text.splitlines() for word in _words_of(line, None, None)]


def _words_of(line: str, start_s: float | None, end_s: float | None) -> list[TextWord]:
    found = SPEAKER.match(line)
    speaker = found.group(1) if found else ""
    rest = line[found.end() :] if found else line
    rest = re.sub(r"\[[^\]]*\]|<[^>]*>", " ", rest)
    return [TextWord(word, start_s, end_s, speaker) for word in rest.split() if plain(word)]


def align_text(text: Sequence[TextWord], heard: Sequence[HeardWord], duration_s: float) -> list[HeardWord]:
    """Every word of the text with a time; heard: the recogniser's words, sorted."""
    matcher = SequenceMatcher(None, [plain(w.text) for w in text], [plain(w.text) for w in heard], autojunk=False)
    times: list[tuple[float, float] | None] = [None] * len(text)
    for i, j, size in matcher.get_matching_blocks():
        for k in range(size):
            word, at = text[i + k], heard[j + k]
            inside = word.start_s is None or word.end_s is None or word.start_s - 1.0 <= at.start_s <= word.end_s + 1.0
            if inside:
                times[i + k] = at.start_s, at.end_s
    out: list[HeardWord] = []
    k = 0
    while k < len(text):
        known = times[k]
        if known is not None:
            out.append(HeardWord(text[k].text, known[0], known[1], 1.0))
            k += 1
            continue
        stop = next((n for n in range(k, len(text)) if times[n] is not None), len(text))
        low = out[-1].end_s if out else 0.0
        after = times[stop] if stop < len(text) else None
        high = after[0] if after else duration_s
        out += _spread(text[k:stop], low, high)
        k = stop
    return out


def _spread(words: Sequence[TextWord], low: float, high: float) -> list[HeardWord]:
    """Words between two known places, each as long as its letters, within their captions where they have some."""
    starts = [w.start_s for w in words if w.start_s is not None]
    ends = [w.end_s for w in words if w.end_s is not None]
    if starts and ends:
        low, high = max(low, min(starts)), min(high, max(ends))
    needed = sum((len(plain(w.text)) + 1.6) * LETTER_S for w in words)
    squeeze = min(max(high - low, 0.0) / needed, 1.0) if needed else 0.0
    at, out = low, []
    for word in words:
        length = (len(plain(word.text)) + 1.6) * LETTER_S * squeeze
        out.append(HeardWord(word.text, at, at + max(length, 0.0), 0.3))
        at += length
    return out
