"""Words as they are written in a row: with spaces between, but not in scripts that have none.

Scripts by their Unicode blocks. How wide a text is counts characters that stand in two columns twice (Unicode Standard Annex 11, East Asian Width).
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from dubbin.core.speech.transcript import plain

IDEOGRAPHS = (
    (0x2E80, 0x30FF),
    (0x31F0, 0x31FF),
    (0x3400, 0x4DBF),
    (0x4E00, 0x9FFF),
    (0xF900, 0xFAFF),
    (0xFF00, 0xFF60),
    (0x20000, 0x3FFFF),
)  # and kana and their marks
FIGURE_LETTERS, SYLLABLE_LETTERS = 4, 3
OTHERS = (
    (0x0E00, 0x0FFF),
    (0x1000, 0x109F),
    (0x1780, 0x17FF),
)  # Thai, Lao, Tibetan, Burmese, Khmer: a space stands beside words of other scripts


def written(words: Iterable[str]) -> str:
    """Words in a row."""
    out = ""
    for word in words:
        out += f" {word}" if out and word and not are_joined(out, word) else word
    return out


def are_joined(before: str, after: str) -> bool:
    """Whether no space stands between two words that follow one another."""
    if _is_in(before[-1:], IDEOGRAPHS) or _is_in(after[:1], IDEOGRAPHS):
        return True
    return _is_in(before[-1:], OTHERS) and _is_in(after[:1], OTHERS)


def letters_to_say(text: str) -> int:
    """How many letters of an alphabet a word takes to say, one at least: a figure is a word, an ideograph or a kana a syllable."""
    said = sum(FIGURE_LETTERS if c.isdigit() else SYLLABLE_LETTERS if _is_in(c, IDEOGRAPHS) else 1 for c in plain(text))
    return max(said, 1)


def columns(text: str) -> int:
    """How many columns a text takes, in letters of an alphabet."""
    return sum(0 if unicodedata.combining(c) else 2 if unicodedata.east_asian_width(c) in "WF" else 1 for c in text)


def _is_in(character: str, blocks: tuple[tuple[int, int], ...]) -> bool:
    return bool(character) and any(first <= ord(character) <= last for first, last in blocks)
