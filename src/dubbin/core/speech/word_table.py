"""The words of all lanes on the session clock, sorted, as arrays: what is shown, found and cut by words looks here."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dubbin.core.speech.transcript import PASSING_SOUNDS, Transcript, Word, WordKind, ends_sentence, plain

NEAR_ROWS = 40  # among which a neighbour is looked for
REPAIRED_SOUNDS = frozenset(("click",))  # they stand on the lanes, where they are repaired, and are no part of what is read


@dataclass(frozen=True)
class Voice:
    """Somebody who is heard: a lane, and the number of the speaker in it."""

    lane: str
    speaker: int
    name: str


class WordTable:
    """Rows sorted by start. starts, ends: session frames; voices: number of the voice of each row; numbers: of the word in its
    transcript."""

    def __init__(self, transcripts: Sequence[tuple[Transcript, int, str]]) -> None:
        """transcripts: each with the session frame at which its lane begins, and the lane's name."""
        words: list[Word] = []
        starts: list[NDArray[np.int64]] = []
        voices: list[NDArray[np.int64]] = []
        numbers: list[NDArray[np.int64]] = []
        self.voices: list[Voice] = []
        for transcript, offset, name in transcripts:
            base, said = len(self.voices), transcript.words
            names = transcript.speakers or (name,)
            self.voices += [Voice(transcript.lane, k, n) for k, n in enumerate(names)]
            words += said
            starts.append(np.array([w.start_frame for w in said], np.int64) + offset)
            speakers = np.array([w.speaker for w in said], np.int64) if len(names) > 1 else np.zeros(len(said), np.int64)
            voices.append(base + np.minimum(speakers, len(names) - 1))
            numbers.append(np.arange(len(said)))
        start = np.concatenate(starts) if starts else np.zeros(0, np.int64)
        length = np.array([w.end_frame for w in words], np.int64) - np.array([w.start_frame for w in words], np.int64)
        order = np.lexsort((length, start))
        self.words = [words[k] for k in order.tolist()]
        self.starts = start[order]
        self.ends = self.starts + length[order]
        self.voice_of = np.concatenate(voices)[order] if voices else np.zeros(0, np.int64)
        self.numbers = np.concatenate(numbers)[order] if numbers else np.zeros(0, np.int64)
        self.middles = (self.starts + self.ends) // 2
        self.texts = [w.text for w in self.words]
        kinds = [w.kind for w in self.words]
        self.word_count, self.has_fillers = kinds.count(WordKind.WORD), WordKind.FILLER in kinds
        self.ends_sentence = np.array([ends_sentence(t) for t in self.texts], np.bool_)
        self.is_sound = np.array([kind is WordKind.SOUND for kind in kinds], np.bool_)
        self.is_kept, self.is_read = np.ones(len(kinds), np.bool_), np.ones(len(kinds), np.bool_)
        for row in np.flatnonzero(self.is_sound).tolist():
            self.is_kept[row] = self.texts[row] not in PASSING_SOUNDS
            self.is_read[row] = self.texts[row] not in REPAIRED_SOUNDS

    def __len__(self) -> int:
        return len(self.words)

    def voice(self, row: int) -> Voice:
        """Who says the word of a row."""
        return self.voices[int(self.voice_of[row])]

    def row_at(self, frame: int) -> int | None:
        """The last row that has begun at a session frame and not ended."""
        k = bisect_right(self.starts, frame) - 1
        for row in range(k, max(k - 6, -1), -1):
            if self.starts[row] <= frame < self.ends[row]:
                return row
        return None

    def rows_in(self, start: int, end: int) -> list[int]:
        """Rows whose middle lies between two session frames."""
        middles = self.middles
        low, high = np.searchsorted(self.starts, [start - 10 * 10**6, end])
        return [int(r) for r in range(int(low), int(high)) if start <= middles[r] < end]

    def neighbours(self, rows: Sequence[int], counted: NDArray[np.bool_] | None = None) -> tuple[int | None, int | None]:
        """(end of the last one before, start of the first one after) rows that follow one another, of any voice.

        counted: (rows,) which rows may be neighbours; by default all that no automatic cut may touch.
        """
        counts = self.is_kept if counted is None else counted
        first, last = min(rows), max(rows)
        before = [int(self.ends[r]) for r in range(max(0, first - NEAR_ROWS), first) if counts[r]]
        after = next((int(self.starts[r]) for r in range(last + 1, min(last + 1 + NEAR_ROWS, len(self))) if counts[r]), None)
        return (max(before) if before else None), after

    def alike(self, row: int) -> list[int]:
        """All rows of the same kind with the same text as a row's, whoever says them; capitals and punctuation do not count."""
        kind, text = self.words[row].kind, plain(self.words[row].text)
        return [k for k, word in enumerate(self.words) if word.kind is kind and plain(word.text) == text]

    def find(self, text: str) -> list[tuple[int, int]]:
        """(first row, one past the last) of every place where one voice says the words of a text in a row; the last word may be begun only."""
        wanted = [plain(part) for part in text.split() if plain(part)]
        if not wanted:
            return []
        *whole, begun = wanted
        out = []
        for rows, said in self._said:
            for k in [k for k, word in enumerate(said) if word.startswith(begun)]:
                first = k - len(whole)
                if first >= 0 and said[first:k] == whole:
                    out.append((rows[first], rows[k] + 1))
        return sorted(out)

    @cached_property
    def _said(self) -> list[tuple[list[int], list[str]]]:
        """Of each voice the rows of its words, and the words as they are compared."""
        rows = [np.flatnonzero((self.voice_of == voice) & ~self.is_sound).tolist() for voice in range(len(self.voices))]
        return [(own, [plain(self.texts[row]) for row in own]) for own in rows]
