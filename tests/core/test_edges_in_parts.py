"""Words of hours are put to their sound in parts: each word as it would be in the whole, none lost, none twice."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.measure.by_blocks import BLOCK, by_blocks
from dubbin.core.sound.source import Sound
from dubbin.core.speech import edges_in_parts
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.edges_in_parts import SEEK_S, edges_in, part_ends
from dubbin.core.speech.word_edges import find_features, refine_edges
from tests.conftest import RATE

EACH_S = 0.4
COUNT = 150  # words of a minute


@pytest.fixture(scope="module")
def bursts() -> tuple[Sound, list[HeardWord]]:
    """A minute of bursts, each a word from .1 to .3 s of its own .4, of which every twentieth has a second's rest; heard a little late."""
    rng, each = np.random.default_rng(0), round(EACH_S * RATE)
    burst = np.zeros(each, np.float32)
    burst[each // 4 : 3 * each // 4] = 0.1
    x = np.tile(burst, COUNT) * rng.standard_normal(COUNT * each).astype(np.float32) + 1e-4 * rng.standard_normal(COUNT * each).astype(
        np.float32
    )
    words = [HeardWord("sa", k * EACH_S + 0.15, k * EACH_S + 0.34, 0.9) for k in range(COUNT)]
    for k in range(19, COUNT, 20):
        x[k * each : (k + 1) * each] *= 0.001
    return Sound(x[None], RATE), [w for k, w in enumerate(words) if k % 20 != 19]


def test_a_recording_of_an_hour_is_one_part_and_as_it_was(bursts, monkeypatch):
    source, words = bursts
    activity = find_activity(source)
    assert part_ends(words, 3600.0) == [3600.0] and len(part_ends(words, 3 * 3600.0)) == 3
    assert edges_in(source, words, activity, 0.2) == refine_edges(words, find_features(source), activity, 0.2)


def test_in_parts_every_word_is_found_once_and_where_it_is(bursts, monkeypatch):
    source, words = bursts
    monkeypatch.setattr(edges_in_parts, "PART_S", 20.0)
    monkeypatch.setattr(edges_in_parts, "SEEK_S", 5.0)
    seen, refine = [], refine_edges
    monkeypatch.setattr(
        edges_in_parts, "refine_edges", lambda own, levels, *rest: seen.append((len(own), len(levels))) or refine(own, levels, *rest)
    )
    found = edges_in(source, words, find_activity(source))
    assert len(seen) == 3 and sum(count for count, _ in seen) == len(words) and max(steps for _, steps in seen) < 25 / 0.005
    assert [w.text for w in found] == [w.text for w in words] and all(a.end_s <= b.start_s + 1e-9 for a, b in pairwise(found))
    starts = np.array([w.start_s % EACH_S for w in found])
    assert np.median(np.abs(starts - 0.1)) < 0.03 and np.quantile(np.abs(starts - 0.1), 0.9) < 0.06


def test_a_part_ends_in_the_longest_gap_near_its_even_end(monkeypatch):
    monkeypatch.setattr(edges_in_parts, "PART_S", 1000.0)
    words = [
        HeardWord("so", at, at + 0.4, 1.0) for at in np.arange(0.0, 2000.0, 0.5) if not 1040.0 < at < 1043.0 and not 700.0 < at < 750.0
    ]
    (end, whole) = part_ends(words, 2000.0)
    assert end == pytest.approx((1040.4 + 1043.0) / 2, abs=0.01) and whole == 2000.0
    assert part_ends([], 2000.0) == [1000.0, 2000.0], "nothing is said anywhere near"


@given(st.lists(st.tuples(st.floats(0.05, 30.0), st.floats(0.0, 400.0)), max_size=60), st.floats(1.0, 20_000.0))
def test_parts_lie_one_behind_the_other_and_each_is_long_enough(lengths, seconds):
    words, at = [], 0.0
    for length, gap in lengths:
        words.append(HeardWord("so", at, at + length, 1.0))
        at += length + gap
    ends = part_ends([w for w in words if w.end_s <= seconds], seconds)
    assert ends[-1] == seconds and len(ends) == max(1, round(seconds / edges_in_parts.PART_S))
    assert all(b - a > edges_in_parts.PART_S / 2 - 2 * SEEK_S for a, b in pairwise([0.0, *ends])) or len(ends) == 1


def test_words_that_lie_behind_the_end_and_recordings_without_words_come_back(bursts):
    source, _ = bursts
    activity = find_activity(source)
    late = HeardWord("so", source.frames / RATE + 0.1, source.frames / RATE + 0.4, 0.5)
    assert [w.text for w in edges_in(source, [late], activity)] == ["so"]
    early = HeardWord("so", -0.4, 0.1, 0.5)
    assert [w.text for w in edges_in(source, [early], activity)] == ["so"]
    assert edges_in(source, [], activity) == []
    assert edges_in(Sound(np.zeros((1, 10), np.float32), RATE), [], Activity(np.zeros(1, np.float32), np.zeros(1, np.float32))) == []


@pytest.mark.parametrize("count", [0, 1, BLOCK - 1, BLOCK, 2 * BLOCK + 7])
def test_figures_of_many_frames_are_those_of_all_at_once(count):
    rows = np.random.default_rng(count).standard_normal((count, 3)).astype(np.float32)
    np.testing.assert_array_equal(by_blocks(lambda x: x.sum(axis=1).astype(float), rows), rows.sum(axis=1).astype(float))

    def moved(x):
        out = np.zeros(len(x))
        out[2:] = np.abs(x[2:] - x[:-2]).sum(axis=1)
        return out

    np.testing.assert_array_equal(by_blocks(moved, rows, margin=2), moved(rows))
