"""Texts as the tokens of a speech model, and back: byte pair encoding.

A text is cut into words, numbers and signs. The bytes of each are joined pair by pair, always the pair whose joined token stands first in the vocabulary, until no
joined pair stands there.

The recogniser's library reads vocabularies too, with a table of pairs beside them, and holds Python's lock for a sixth of a second meanwhile, and with it the window.
The order of the vocabulary says the same as that table.

Source: Sennrich, Haddow and Birch, "Neural machine translation of rare words with subword units", ACL 2016; on bytes: Radford et al., "Language models are
unsupervised multitask learners", 2019.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

import msgspec

LINES, LIST = "vocabulary.txt", "vocabulary.json"  # of a model in CTranslate2's form: one of them
END = "<|endoftext|>"  # from this token on none is text
WHITE_SPACE = frozenset(
    "\t\n\v\f\r \x85\xa0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000"
)
SHORT_FORMS = re.compile("'(?:s|t|re|ve|m|ll|d)")
# In kinds of characters (`_kind`): letters, numbers or signs, a space before them; white space, whose last goes to what follows.
PIECE = re.compile(r" ?(?:L+|N+|O+)|[ W]+(?![^ W])|[ W]+")


class Encoded(NamedTuple):
    """Numbers of tokens."""

    ids: list[int]


class BytePairs:
    """The tokens of the model in a folder. It has the three methods of the library's own that a recogniser asks for."""

    def __init__(self, folder: Path) -> None:
        """Raises OSError, ValueError."""
        self._tokens = _vocabulary(folder)
        self._ids = {token: number for number, token in enumerate(self._tokens)}
        if END not in self._ids:
            raise ValueError(f"no {END}")
        self._text_ids = self._ids[END]

    def token_to_id(self, token: str) -> int | None:
        """The number of a token, as it stands in the vocabulary."""
        return self._ids.get(token)

    def encode(self, text: str, add_special_tokens: bool = False) -> Encoded:
        """The numbers of a text's tokens. Nothing in it is taken for a token that is no text."""
        return Encoded([number for piece in _pieces(text) for number in self._joined(piece)])

    def decode(self, ids: Sequence[int]) -> str:
        """The text of tokens; those that are no text are passed over. A character of which bytes are missing becomes U+FFFD."""
        signs = "".join(self._tokens[number] for number in ids if 0 <= number < self._text_ids)
        return bytes(_bytes_of_signs()[sign] for sign in signs).decode(errors="replace")

    def _joined(self, piece: str) -> list[int]:
        parts = [_signs_of_bytes()[byte] for byte in piece.encode(errors="replace")]
        none = len(self._tokens)
        while len(parts) > 1:
            places = [self._ids.get(a + b, none) for a, b in pairwise(parts)]
            first = min(range(len(places)), key=places.__getitem__)
            if places[first] >= self._text_ids:
                break
            parts[first : first + 2] = [parts[first] + parts[first + 1]]
        return [self._ids[part] for part in parts]


def _vocabulary(folder: Path) -> list[str]:
    if (folder / LIST).exists():
        try:
            return msgspec.json.decode((folder / LIST).read_bytes(), type=list[str])
        except msgspec.DecodeError as error:
            raise ValueError(f"{LIST}: {error}") from error
    return (folder / LINES).read_text(encoding="utf-8").removesuffix("\n").split("\n")


def _pieces(text: str) -> Iterator[str]:
    kinds, at = "".join(map(_kind, text)), 0
    while at < len(text):
        found = SHORT_FORMS.match(text, at) or PIECE.match(kinds, at)
        assert found is not None, "every character is of a kind"
        yield text[at : found.end()]
        at = found.end()


@lru_cache(maxsize=4096)
def _kind(character: str) -> str:
    if character in WHITE_SPACE:
        return " " if character == " " else "W"
    category = unicodedata.category(character)[0]
    return category if category in "LN" else "O"


@lru_cache(maxsize=1)
def _signs_of_bytes() -> list[str]:
    """The character by which a vocabulary writes each byte: itself where it can be seen, else one of those from U+0100 on."""
    seen = {*range(ord("!"), ord("~") + 1), *range(ord("¡"), ord("¬") + 1), *range(ord("®"), ord("ÿ") + 1)}
    others = iter(range(256, 512))
    return [chr(byte) if byte in seen else chr(next(others)) for byte in range(256)]


@lru_cache(maxsize=1)
def _bytes_of_signs() -> dict[str, int]:
    return {sign: byte for byte, sign in enumerate(_signs_of_bytes())}
