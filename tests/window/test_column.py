"""The column of paragraphs: all of them in the end, at the places of a whole laying out, however small the slices are."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.commands.cuts import cut_stretch, put_back
from dubbin.core.episode.commands.markers import add_chapter
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.episode.time_map import program_map
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.core.speech.word_table import WordTable
from dubbin.window.parts.theme import font
from dubbin.window.words.column import TOP, Column
from dubbin.window.words.flow import Flow
from dubbin.window.words.stream import Paragraph, stream_of
from tests.conftest import RATE


def paragraph(rows: list[int]) -> Paragraph:
    zeros = np.zeros(len(rows), np.float32)
    return Paragraph(np.array(rows), np.zeros(len(rows), np.bool_), zeros, zeros, 0, (), (tuple(rows),))


@pytest.fixture(scope="module")
def table():
    words = tuple(Word(f"word{k}", k * RATE, k * RATE + RATE // 2) for k in range(60))
    return WordTable([(Transcript("lane", words), 0, "Ines")])


@pytest.fixture(scope="module")
def flow(qapp):
    return Flow(font(17), font(13), 300.0)


@given(st.lists(st.integers(1, 7), max_size=8), st.lists(st.floats(0.0, 400.0), max_size=12))
def test_slices_add_up_to_the_whole(flow, table, lengths, heights):
    edges = np.concatenate([[0], np.cumsum(lengths)]).astype(int).tolist()
    parts = [paragraph(list(range(a, b))) for a, b in pairwise(edges)]
    whole, sliced = Column(table, parts), Column(table, parts)
    whole.go_on(flow, frozenset())
    for height in heights:
        before, was_whole = len(sliced.laid), sliced.is_whole
        sliced.go_on(flow, frozenset(), height, 0.0)
        assert was_whole or len(sliced.laid) > before, "each slice gets on"
        assert sliced.is_whole or sliced.height > height, "what is seen is laid out"
    sliced.go_on(flow, frozenset())
    assert whole.is_whole and sliced.is_whole
    for name in ("laid", "tops", "rows", "order", "firsts", "height"):
        assert getattr(sliced, name) == getattr(whole, name), name
    assert whole.rows == list(range(edges[-1])) and whole.firsts == edges
    assert whole.height == pytest.approx(TOP + sum(one.height for one in whole.laid))
    assert all(whole.order[row] == k for k, row in enumerate(whole.rows))


def test_paragraphs_are_made_as_they_are_asked_for(flow, table):
    made = []

    def parts():
        for k in range(10):
            made.append(k)
            yield paragraph([k])

    column = Column(table, parts())
    column.go_on(flow, frozenset(), 0.0, 0.0)
    assert len(made) == 2 and not column.is_whole


# -- what an edit leaves as it was ----------------------------------------------------


def spoken(texts: list[str], rate: int = RATE) -> Episode:
    """Two voices in turn, five words each, a second a word."""
    recordings = tuple(Recording(v, f"/{v}.wav", v, (len(texts) + 1) * rate, rate, 1) for v in ("ines", "tobias"))
    lanes = tuple(Lane(v, v, (0,), v) for v in ("ines", "tobias"))
    words = [Word(text, k * rate + rate // 10, k * rate + rate // 2) for k, text in enumerate(texts)]
    transcripts = tuple(Transcript(v, tuple(w for k, w in enumerate(words) if k // 5 % 2 == n)) for n, v in enumerate(("ines", "tobias")))
    return replace(new_episode(), recordings=recordings, lanes=lanes, transcripts=transcripts)


def table_of(episode: Episode) -> WordTable:
    return WordTable([(t, 0, t.lane) for t in episode.transcripts])


COUNT = 40
EDITS = st.one_of(
    st.tuples(st.just("cut"), st.integers(0, COUNT), st.integers(1, 6)),
    st.tuples(st.just("put back"), st.integers(0, 3), st.just(0)),
    st.tuples(st.just("correct"), st.integers(0, COUNT - 1), st.integers(0, 9)),
    st.tuples(st.just("chapter"), st.integers(0, COUNT), st.integers(0, 9)),
)


def edited(episode: Episode, kind: str, at: int, much: int) -> Episode:
    if kind == "cut":
        return cut_stretch(episode, at * RATE, at * RATE + much * RATE // 2).episode
    if kind == "put back":
        return put_back(episode, episode.cuts[at]).episode if at < len(episode.cuts) else episode
    if kind == "chapter":
        return add_chapter(episode, at * RATE, f"chapter {much}").episode
    texts = [w.text for w in sorted((w for t in episode.transcripts for w in t.words), key=lambda w: w.start_frame)]
    texts[at] = f"word {much}"
    return replace(episode, transcripts=spoken(texts).transcripts)


@given(st.lists(EDITS, min_size=1, max_size=6), st.floats(0.0, 300.0))
def test_what_stands_above_an_edit_is_taken_over_as_laying_all_out_anew_has_it(flow, edits, seen_to):
    episode = spoken([f"w{k}" for k in range(COUNT)])
    before = stream_of(table_of(episode), episode, program_map(episode))
    column = Column(before.table, before.paragraphs())
    column.go_on(flow, frozenset(), seen_to, 0.0)
    for edit in edits:
        episode = edited(episode, *edit)
        now = stream_of(table_of(episode), episode, program_map(episode))
        same = now.unchanged(before)
        keys, others = ([p.key for p in s.paragraphs()] for s in (now, before))
        assert same == next((k for k, (a, b) in enumerate(zip(keys, others, strict=False)) if a != b), min(len(keys), len(others)))
        stays = min(same, len(column.laid))
        column, anew = Column(now.table, now.paragraphs(stays), column, stays), Column(now.table, now.paragraphs())
        for each in (column, anew):
            each.go_on(flow, frozenset())
        for name in ("tops", "rows", "order", "firsts", "height"):
            assert getattr(column, name) == getattr(anew, name), name
        assert [one.paragraph.key for one in column.laid] == [one.paragraph.key for one in anew.laid]
        assert [one.lines for one in column.laid] == [one.lines for one in anew.laid]
        before = now
