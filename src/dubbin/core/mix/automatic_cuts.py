"""The one check that all automatic cuts pass: none ends inside audible speech.

Pauses, fillers and takes are found by what is heard and by what was recognised, and both err now and then. So each edge is looked at once more, in the sound
itself and against the words that stay: it lies where
nobody is heard, in a dip between two sounds, or where a word ends that stays, and never inside a word. An edge that does not is drawn
in to the nearest place that does; where there is none near, nothing is cut.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Source
from dubbin.core.speech.activity import FRAMES_PER_S, Activity
from dubbin.core.speech.beside_words import beside_words
from dubbin.core.speech.edges import is_dip, quietest
from dubbin.core.speech.word_table import WordTable

DRAWN_IN_S = 0.35  # by which an edge is drawn in at most, and never beyond the middle of its cut
STEP_S = 0.005
GAP_S, GAP_DB = 0.25, 12.0  # a room that still sounds between two words lies so far below both
SPARED_S = 0.03  # before a word that begins in flowing speech: so far is its beginning wrong in the mean, and what is left of the sound before it is heard less than what it would lose
BETWEEN_S, SURE = 0.06, 0.3  # an edge this near to the end of a word that was recognised with this confidence lies between words
SPEECH_UNDER_LOUD_DB = 32.0  # below a voice's loud sounds: breaths and the room lie deeper, soft consonants do not
SHORTEST_CUT_S = 0.06
NO_FRAMES = np.zeros(0, np.int64)


class CutCheck:
    """Judges edges on the session clock. mix: all lanes as they are recorded. activities: with the session frames at which they begin. table: the words, where
    there are some."""

    def __init__(self, mix: Source, activities: Sequence[tuple[int, Activity]], table: WordTable | None = None) -> None:
        self._mix, self._table = mix, table
        self._heard = [(start, _speech(activity)) for start, activity in activities]

    def is_clear(self, frame: int) -> bool:
        """Whether no speech is heard at a frame, or the sound dips there."""
        rate = self._mix.rate
        for start, marks in self._heard:
            k = int((frame - start) * FRAMES_PER_S / rate)
            if k >= 0 and marks[max(k - 1, 0) : k + 2].any():
                return is_dip(self._mix, frame) or is_dip(self._mix, frame, GAP_S, GAP_DB)
        return True

    def settled(self, start: int, end: int) -> tuple[int, int] | None:
        """A cut with both edges where they may lie; None where it can't be made so."""
        table = self._table
        starts, ends = (table.starts[table.is_kept], table.ends[table.is_kept]) if table is not None else (NO_FRAMES, NO_FRAMES)
        first, last = beside_words(starts, ends, start, end, self._mix.rate)
        reach = min(round(DRAWN_IN_S * self._mix.rate), (end - start) // 2)
        found = self._drawn_in(first, reach, 1), self._drawn_in(last, reach, -1)
        if found[0] is None or found[1] is None or found[1] - found[0] < SHORTEST_CUT_S * self._mix.rate:
            return None
        return found[0], found[1]

    def all_settled(self, cuts: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
        """Those cuts that can be made, settled."""
        return [cut for start, end in cuts if (cut := self.settled(start, end)) is not None]

    def _is_between_words(self, frame: int, direction: int) -> bool:
        """Whether the word that stays ends at an edge: what is heard there is known, and stays whole. direction: 1 at the start of a cut."""
        table = self._table
        if table is None:
            return False
        edges = table.ends if direction > 0 else table.starts
        near = np.flatnonzero(table.is_kept & (np.abs(edges - frame) < BETWEEN_S * self._mix.rate))
        return any(table.words[row].confidence >= SURE and (table.middles[row] - frame) * direction < 0 for row in near)

    def _drawn_in(self, edge: int, reach: int, direction: int) -> int | None:
        if self.is_clear(edge):
            return edge
        step = round(STEP_S * self._mix.rate)
        if self._is_between_words(edge, direction):
            if direction > 0:
                return edge
            before = edge - min(round(SPARED_S * self._mix.rate), reach)
            return quietest(self._mix, before - 2 * step, before + 2 * step)
        for away in range(step, reach + 1, step):
            found = quietest(self._mix, edge + direction * away - step, edge + direction * away + step)
            if self.is_clear(found):
                return found
        return None


def _speech(activity: Activity) -> NDArray[np.bool_]:
    """Marks of what is loud enough to be speech."""
    audible = activity.audible
    if not audible.any():
        return audible
    loud = float(np.quantile(activity.level_db[audible], 0.9))
    return np.asarray(audible & (activity.level_db > loud - SPEECH_UNDER_LOUD_DB))
