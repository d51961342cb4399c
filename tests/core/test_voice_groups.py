"""Points of voices, brought to groups: against clouds whose voices are known."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.speech.speakers import _stood_for
from dubbin.core.speech.voice_groups import MOST_GROUPED, MOST_VOICES, differing_groups, groups_of

SIZE = 64
NEAR = 0.88  # cosine of points of one voice with its middle, as the encoder has it


def middles_of(alike: float, count: int) -> np.ndarray:
    """Directions of which every two have this cosine."""
    common, own = np.eye(SIZE)[0], np.eye(SIZE)[1 : count + 1]
    return np.sqrt(alike) * common + np.sqrt(1 - alike) * own


def cloud(middles: np.ndarray, sizes: list[int], seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """Points around middles, mixed, and whose each is."""
    rng = np.random.default_rng(seed)
    labels = rng.permutation(np.repeat(np.arange(len(sizes)), sizes))
    aside = rng.standard_normal((len(labels), SIZE))
    aside -= np.sum(aside * middles[labels], axis=1, keepdims=True) * middles[labels]
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    return (NEAR * middles[labels] + np.sqrt(1 - NEAR**2) * aside).astype(np.float32), labels


def right(found: np.ndarray, points: np.ndarray, labels: np.ndarray) -> float:
    """The share of points that lie nearest to a group of which most are the same voice's, each voice having one."""
    near = np.argmax(points @ found.T, axis=1)
    table = np.zeros((len(found), int(labels.max()) + 1))
    np.add.at(table, (near, labels), 1)
    assert len(set(np.argmax(table, axis=1))) == len(found), "no voice has two groups"
    return float(table.max(axis=1).sum() / len(labels))


def even(points: np.ndarray) -> np.ndarray:
    return np.full(len(points), 0.25)


@pytest.mark.parametrize("sizes", [[300, 300], [570, 30], [588, 12], [200, 200, 60], [150, 150, 150, 150]])
def test_as_many_as_somebody_said_are_told_apart_also_where_one_says_very_little(sizes):
    points, labels = cloud(middles_of(0.7, len(sizes)), sizes)
    found = groups_of(points, even(points), len(sizes))
    assert found.shape == (len(sizes), SIZE) and right(found, points, labels) > 0.99
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1.0, atol=1e-5)


@settings(max_examples=25)
@given(st.lists(st.integers(60, 200), min_size=1, max_size=MOST_VOICES), st.integers(0, 10**6))
def test_as_many_as_there_are_are_found_where_nobody_said_so(sizes, seed):
    points, labels = cloud(middles_of(0.6, len(sizes)), sizes, seed)
    found = differing_groups(points, even(points), 0.05 * 0.25 * len(points))
    assert len(found) == len(sizes)
    assert right(found, points, labels) > 0.98


@pytest.mark.parametrize("seed", range(4))
def test_one_voice_is_never_two_however_it_scatters(seed):
    points, _ = cloud(middles_of(0.6, 1), [600], seed)
    assert len(differing_groups(points, even(points), 8.0)) == 1


@pytest.mark.parametrize(
    ("alike", "sizes", "voices"), [(0.82, [300, 300], 2), (0.82, [560, 40], 1), (0.90, [300, 300], 1), (0.70, [560, 40], 2)]
)
def test_who_says_little_must_differ_more_to_be_somebody_else(alike, sizes, voices):
    """A laugh is farther from one's own voice than many a brother's is."""
    points, _ = cloud(middles_of(alike, 2), sizes)
    assert len(differing_groups(points, even(points), 8.0)) == voices


def test_what_is_shorter_than_a_voice_is_none_but_counts_where_somebody_said_that_there_is_one():
    points, labels = cloud(middles_of(0.3, 2), [580, 20])
    assert len(differing_groups(points, even(points), 8.0)) == 1 and len(differing_groups(points, even(points), 4.0)) == 2
    assert right(groups_of(points, even(points), 2), points, labels) > 0.99


def test_seconds_count_and_not_points():
    """Of short utterances each is one point, of long ones every quarter of a second is."""
    points, labels = cloud(middles_of(0.5, 2), [300, 12])
    seconds = np.where(labels == 0, 0.25, 2.0)
    assert len(differing_groups(points, seconds, 10.0)) == 2 and len(differing_groups(points, even(points), 10.0)) == 1


def test_more_voices_than_points_are_as_many_as_there_are_points():
    points, _ = cloud(middles_of(0.5, 2), [1, 1])
    assert len(groups_of(points, even(points), 5)) == 2
    assert len(differing_groups(points[:1], np.array([9.0]), 8.0)) == 1


def test_voices_that_can_not_be_told_apart_are_as_many_as_was_said_all_the_same():
    points, _ = cloud(middles_of(0.6, 1), [300])
    assert len(groups_of(points, even(points), 3)) == 3


def test_an_hours_points_come_to_what_some_of_them_do():
    points, labels = cloud(middles_of(0.6, 3), [3000, 3000, 1000])
    assert len(points) > 4 * MOST_GROUPED
    found = differing_groups(points, even(points), 8.0)
    assert len(found) == 3 and right(found, points, labels) > 0.98


def test_the_same_points_come_to_the_same_groups():
    points, _ = cloud(middles_of(0.75, 3), [200, 100, 50])
    np.testing.assert_array_equal(groups_of(points, even(points), 3), groups_of(points.copy(), even(points), 3))


@given(st.lists(st.tuples(st.floats(0.3, 4.0), st.floats(-0.2, 3.0)), min_size=1, max_size=30))
def test_every_moment_of_speech_is_stood_for_once(runs):
    """Stretches of some length, each begun a while after the end of the one before, or before it."""
    spans, at = [], 0.0
    for length, gap in runs:
        a = max(at + gap, spans[-1][0] + 0.05 if spans else 0.0)
        b = max(a + length, spans[-1][1] + 0.05 if spans else 0.0)
        spans.append((a, b))
        at = b
    covered = sum(b - a for a, b in spans) - sum(max(0.0, x[1] - y[0]) for x, y in pairwise(spans))
    if all(x[1] <= z[0] for x, z in zip(spans, spans[2:], strict=False)):  # no moment is shared by three
        assert _stood_for(spans).sum() == pytest.approx(covered, abs=1e-6)
    assert (_stood_for(spans) >= -1e-9).all()
