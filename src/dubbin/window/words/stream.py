"""The words in the order in which they are heard, parted into paragraphs: what the pane lays out.

Paragraphs carry a key of all that is to be seen of them, so that an edit lays out anew only what it changed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
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


def paragraphs(table: WordTable, episode: Episode, time_map: TimeMap) -> Iterator[Paragraph]:
    """The whole transcript as it is heard now; time_map: of the program."""
    if not len(table):
        return
    rate = episode.rate
    middles = table.middles
    at = time_map.many_to_program(middles)
    is_cut = at < 0
    place = np.where(is_cut, time_map.many_to_program_or_next(middles), at)
    order = np.lexsort((table.starts, ~is_cut, place))
    order = order[table.is_read[order]]
    if not len(order):
        return
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
    edges = [*np.flatnonzero(opens).tolist(), len(order)]
    steps = np.round(pauses / STEP_S).astype(np.int32)
    gone_steps = np.round(gone / STEP_S).astype(np.int32)
    for a, b in pairwise(edges):
        part = order[a:b]
        own = tuple(heading_at.get(a, ()))
        words = tuple([table.texts[r] for r in part.tolist()])
        key = (words, part.tobytes(), is_cut[a:b].tobytes(), steps[a:b].tobytes(), gone_steps[a:b].tobytes(), int(voices[a]), own)
        yield Paragraph(part, is_cut[a:b], pauses[a:b], gone[a:b], int(voices[a]), own, key)


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
