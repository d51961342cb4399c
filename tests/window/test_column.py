"""The column of paragraphs: all of them in the end, at the places of a whole laying out, however small the slices are."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.document import new_episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.core.speech.word_table import WordTable
from dubbin.window.parts.theme import font
from dubbin.window.words.column import TOP, Column
from dubbin.window.words.flow import Flow
from dubbin.window.words.stream import Paragraph
from dubbin.window.words.stream import paragraphs as paragraphs_of
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


def test_nothing_is_nothing():
    column = Column(WordTable([]))
    assert column.is_whole and column.rows == [] and column.firsts == [0] and column.height == TOP
    episode = new_episode("Empty")
    assert list(paragraphs_of(WordTable([]), episode, program_map(episode))) == []
