"""What pauses tell of the words beside them: lags of a recogniser, and ends of what sounds."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.speech.beside_pauses import (
    SOUNDS_ON_S,
    STEP_S,
    USUAL_END_LAG_S,
    USUAL_LAG_S,
    audible_steps,
    sounding_on,
    usual_lags,
)  # fmt: skip
from dubbin.core.speech.decoding import HeardWord

SPOKEN, SILENT = -20.0, -70.0


def steps(*spans: tuple[float, float], length_s: float) -> np.ndarray:
    out = np.zeros(round(length_s / STEP_S), np.bool_)
    for a, b in spans:
        out[round(a / STEP_S) : round(b / STEP_S)] = True
    return out


def phrases(count: int) -> list[tuple[float, float]]:
    """Each of 1 s, with half a second between."""
    return [(0.5 + 1.5 * k, 1.5 + 1.5 * k) for k in range(count)]


def word(start_s: float, end_s: float) -> HeardWord:
    return HeardWord("word", start_s, end_s, 0.9)


class TestAudible:
    def test_soft_speech_counts_by_what_is_loud_around_it_and_not_by_what_is_loud_elsewhere(self):
        levels = np.full((4000, 15), SILENT - 20, np.float32)
        levels[:1000], levels[2500:3500] = SPOKEN, SPOKEN - 18.0
        heard = audible_steps(levels)
        assert heard[2600:3400].all() and not heard[3600:].any()

    def test_nothing_at_all_is_looked_at_all_the_same(self):
        assert len(audible_steps(np.full((1, 15), -100.0, np.float32))) == 1


class TestLags:
    @pytest.mark.parametrize(("late_s", "end_late_s"), [(0.06, 0.1), (-0.07, -0.14), (0.0, 0.0)])
    def test_what_a_recogniser_is_late_or_early_by_is_found(self, late_s, end_late_s):
        spoken = phrases(12)
        words = [w for a, b in spoken for w in (word(a + late_s, a + 0.4), word(a + 0.4, b + end_late_s))]
        found = usual_lags(words, steps(*spoken, length_s=20))
        assert found == pytest.approx((late_s, end_late_s), abs=STEP_S)

    def test_words_far_from_any_pause_say_nothing_of_it(self):
        spoken = phrases(12)
        words = [word(a + 0.45, a + 0.55) for a, _ in spoken]  # of each phrase only the middle was heard
        assert usual_lags(words, steps(*spoken, length_s=20)) == (USUAL_LAG_S, USUAL_END_LAG_S)


class TestSoundingOn:
    def test_a_word_before_a_pause_lasts_until_its_sound_has_ended(self):
        (first, second) = sounding_on([word(0.5, 0.9), word(2.0, 2.4)], steps((0.5, 1.0), (2.0, 2.4), length_s=3))
        assert first.end_s == pytest.approx(1.0, abs=STEP_S) and second.end_s == pytest.approx(2.4)

    def test_a_short_dip_belongs_to_it_and_a_longer_one_ends_it(self):
        short, long = ((0.5, 0.9), (0.92, 1.0)), ((0.5, 0.9), (0.98, 1.05))
        assert sounding_on([word(0.5, 0.9)], steps(*short, length_s=2))[0].end_s == pytest.approx(1.0, abs=STEP_S)
        assert sounding_on([word(0.5, 0.9)], steps(*long, length_s=2))[0].end_s == pytest.approx(0.9)

    def test_sound_that_goes_on_for_long_is_something_else_and_none_of_it_the_words(self):
        assert sounding_on([word(0.5, 0.9)], steps((0.5, 2.0), length_s=3)) == [word(0.5, 0.9)]

    def test_sound_that_goes_on_into_the_next_word_is_all_the_words(self):
        assert sounding_on([word(0.5, 0.9), word(1.0, 1.4)], steps((0.5, 1.4), length_s=3))[0].end_s == pytest.approx(1.0, abs=STEP_S)

    def test_a_word_that_runs_into_the_next_stays_as_it_is(self):
        words = [word(0.5, 0.9), word(0.91, 1.2)]
        assert sounding_on(words, steps((0.5, 1.2), length_s=2)) == words

    @given(st.lists(st.tuples(st.floats(0.0, 0.5), st.floats(0.02, 0.6)), max_size=12), st.lists(st.booleans(), min_size=1, max_size=80))
    def test_words_only_grow_at_their_ends_and_never_into_one_another(self, gaps_and_lengths, sound):
        words, at = [], 0.0
        for gap, length in gaps_and_lengths:
            words.append(word(at + gap, at + gap + length))
            at += gap + length
        out = sounding_on(words, np.repeat(np.array(sound), 20))
        assert [w.start_s for w in out] == [w.start_s for w in words]
        assert all(0.0 <= b.end_s - a.end_s <= SOUNDS_ON_S + STEP_S for a, b in zip(words, out, strict=True))
        assert all(a.end_s <= b.start_s + 1e-9 for a, b in pairwise(out))
