"""The words in the order in which they are heard, parted into paragraphs: what the pane lays out.

Paragraphs carry a key of all that is to be seen of them, so that an edit lays out anew only what it changed; those above it are not even looked at.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, PlacedKind
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.figures import number
from dubbin.core.speech.word_table import WordTable
from dubbin.core.texts import tr

PAUSE_S = 0.35  # from which a pause is drawn
PARAGRAPH_WORDS = 90  # after which a sentence's end ends the paragraph too
STEP_S = 0.02  # of the lengths that are told apart


@dataclass(frozen=True)
class Heading:
    """A line over a paragraph: a chapter, a break or an insert. kind: chapter, break or insert; frame: session frame to go to."""

    text: str
    kind: str
    frame: int


@dataclass(frozen=True)
class Paragraph:
    """rows: of the word table. is_cut, pauses (seconds before the word as it is heard, 0 for none), gone (seconds of the cut that ends before the word,
    0 for none) belong to them. voice: who speaks. key: equal for paragraphs that look the same."""

    rows: NDArray[np.int64]
    is_cut: NDArray[np.bool_]
    pauses: NDArray[np.float32]
    gone: NDArray[np.float32]
    voice: int
    headings: tuple[Heading, ...]
    key: tuple[object, ...]


@dataclass(frozen=True)
class Stream:
    """The whole transcript as it is heard now. rows: of the word table, and what belongs to each, as in paragraphs; pauses and gone, in steps, are what is seen of them.
    edges: places in it at which paragraphs begin, and behind the last. headings: over the paragraphs that begin at a place."""

    table: WordTable
    rows: NDArray[np.int64]
    is_cut: NDArray[np.bool_]
    pauses: NDArray[np.float32]
    gone: NDArray[np.float32]
    voices: NDArray[np.int64]
    edges: NDArray[np.int64]
    headings: dict[int, tuple[Heading, ...]]

    @cached_property
    def _steps(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        return np.round(self.pauses / STEP_S).astype(np.int32), np.round(self.gone / STEP_S).astype(np.int32)

    def paragraphs(self, first: int = 0) -> Iterator[Paragraph]:
        """Its paragraphs, from number `first` on, made as they are asked for."""
        steps, gone_steps = self._steps
        texts = self.table.texts
        for a, b in pairwise(self.edges[first:].tolist()):
            part = self.rows[a:b]
            own = self.headings.get(a, ())
            words = tuple([texts[r] for r in part.tolist()])
            seen = (self.is_cut[a:b].tobytes(), steps[a:b].tobytes(), gone_steps[a:b].tobytes())
            key = (words, part.tobytes(), *seen, int(self.voices[a]), own)
            yield Paragraph(part, self.is_cut[a:b], self.pauses[a:b], self.gone[a:b], int(self.voices[a]), own, key)

    def unchanged(self, before: Stream) -> int:
        """How many paragraphs at the beginning look as those of another."""
        n, m = min(len(self.rows), len(before.rows)), min(len(self.edges), len(before.edges))
        pairs = [
            (self.rows, before.rows),
            (self.is_cut, before.is_cut),
            (self.voices, before.voices),
            *zip(self._steps, before._steps, strict=True),
        ]
        same = _alike(np.logical_and.reduce([a[:n] == b[:n] for a, b in pairs]))
        if self.table is not before.table:
            texts, others = self.table.texts, before.table.texts
            same = next((k for k, row in enumerate(self.rows[:same].tolist()) if texts[row] != others[row]), same)
        edges = self.edges[: _alike(self.edges[:m] == before.edges[:m])]
        count = max(int(np.searchsorted(edges, same, side="right")) - 1, 0)
        return next((k for k, a in enumerate(edges[:count].tolist()) if self.headings.get(a) != before.headings.get(a)), count)


def _alike(are: NDArray[np.bool_]) -> int:
    """How many are true before the first that is not."""
    return len(are) if are.all() else int(np.argmin(are))


def _nothing() -> Stream:
    places, lengths = np.zeros(0, np.int64), np.zeros(0, np.float32)
    return Stream(WordTable(()), places, np.zeros(0, np.bool_), lengths, lengths, places, np.zeros(1, np.int64), {})


NOTHING = _nothing()


def stream_of(table: WordTable, episode: Episode, time_map: TimeMap) -> Stream:
    """time_map: of the program."""
    if not len(table):
        return NOTHING
    rate = episode.rate
    middles = table.middles
    at = time_map.many_to_program(middles)
    is_cut = at < 0
    place = np.where(is_cut, time_map.many_to_program_or_next(middles), at)
    order = np.lexsort((table.starts, ~is_cut, place))
    order = order[table.is_read[order]]
    if not len(order):
        return NOTHING
    is_cut, place = is_cut[order], place[order]
    starts, ends, voices = table.starts[order], table.ends[order], table.voice_of[order]
    voices = _filled(voices, is_cut)
    pauses, gone = _between(starts, ends, place, is_cut, time_map, rate)
    opens = np.zeros(len(order), np.bool_)
    opens[0] = True
    opens[1:] = voices[1:] != voices[:-1]
    heading_at: dict[int, list[Heading]] = {}
    for frame, heading in headings(episode, time_map):
        # The first word that is heard from there on.
        candidates = np.flatnonzero(~is_cut & (place >= frame - rate // 20))
        k = int(candidates[0]) if len(candidates) else len(order) - 1
        heading_at.setdefault(k, []).append(heading)
        opens[k] = True
        if heading.kind != "chapter":
            pauses[k] = 0.0  # the heading says how long it is
    _part_long(opens, order, table)
    edges = np.append(np.flatnonzero(opens), len(order))
    return Stream(table, order, is_cut, pauses, gone, voices, edges, {k: tuple(found) for k, found in heading_at.items()})


def _filled(voices: NDArray[np.int64], is_cut: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Cut words stand in the paragraph of the heard word before them, whoever said them."""
    heard = np.flatnonzero(~is_cut)
    if not len(heard):
        return voices
    last = np.maximum.accumulate(np.where(~is_cut, np.arange(len(voices)), -1))
    return voices[np.where(last < 0, heard[0], last)]


def _between(
    starts: NDArray[np.int64], ends: NDArray[np.int64], place: NDArray[np.int64], is_cut: NDArray[np.bool_], time_map: TimeMap, rate: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Before each heard word: the pause that is left, and how much is cut there."""
    pauses, gone = np.zeros(len(starts), np.float32), np.zeros(len(starts), np.float32)
    heard = np.flatnonzero(~is_cut)
    if not len(heard):
        return pauses, gone
    half = (ends - starts) // 2
    begin, end = place[heard] - half[heard], place[heard] + half[heard]
    latest = np.maximum.accumulate(end)
    gap = np.concatenate([[begin[0]], begin[1:] - latest[:-1]]) / rate
    pauses[heard] = np.where(gap >= PAUSE_S, gap, 0.0)
    # Cuts: the seams between a word and the one before, and how long each is.
    seams, lengths = time_map.seam_lengths
    if len(seams):
        sums = np.concatenate([[0.0], np.cumsum(lengths)])
        middle = place[heard]
        before = np.concatenate([[-1], middle[:-1]])
        low, high = np.searchsorted(seams, before, side="right"), np.searchsorted(seams, middle, side="right")
        gone[heard] = (sums[np.maximum(high, low)] - sums[low]) / rate
    if time_map.spans and time_map.spans[0].start > 0 and len(heard):
        gone[heard[0]] += time_map.spans[0].start / rate
    return pauses, gone


def headings(episode: Episode, time_map: TimeMap) -> list[tuple[int, Heading]]:
    """(program frame, what stands there over the words) of chapters, breaks and inserts, in their order."""
    out = [(time_map.to_program_or_next(m.frame), Heading(m.text, "chapter", m.frame)) for m in episode.chapters]
    for item in episode.placed:
        first = item.pieces[0].start_frame if item.pieces else 0
        at = time_map.to_program(first)
        if at is None or item.kind not in (PlacedKind.BREAK, PlacedKind.INSERT):
            continue
        kind, name = ("break", tr("Break")) if item.kind is PlacedKind.BREAK else ("insert", tr("Insert"))
        out.append((at + item.frames, Heading(f"{item.name or name} · {number(item.frames / episode.rate)} s", kind, first)))
    return sorted(out, key=lambda h: h[0])


def _part_long(opens: NDArray[np.bool_], order: NDArray[np.int64], table: WordTable) -> None:
    """Have long paragraphs end with a sentence."""
    ends = table.ends_sentence[order]
    edges = [*np.flatnonzero(opens).tolist(), len(order)]
    for start, stop in pairwise(edges):
        at = start
        while stop - at > PARAGRAPH_WORDS:
            after = np.flatnonzero(ends[at + PARAGRAPH_WORDS - 1 : stop - 1])
            if not len(after):
                break
            at += PARAGRAPH_WORDS + int(after[0])
            opens[at] = True
