"""Automatic cuts take nothing along: no edge inside audible speech or a word, and what would go is heard once more as a whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.commands.cuts import cut_pause, put_back, set_pauses
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Cut, CutKind, Lane, Recording
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.heard_in_cuts import speech_in_cuts
from dubbin.core.mix.word_cuts import FoundRetake, count_of_lines, find_fillers, last_take_cuts, unheard_filler_cuts
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.beside_words import DRAWN_IN_S, INSIDE_S, beside_words
from dubbin.core.speech.pauses import Pause, level_over
from dubbin.core.speech.retakes import Retake, Take
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.speech.word_table import WordTable
from tests.conftest import RATE, noise
from tests.core.test_hearing_again import Model


def vowels(seconds: float, *spans: tuple[float, float]) -> np.ndarray:
    """A voice's vowels over spans (s) with soft noise around: (frames,)."""
    x, period = noise(seconds, -75, 5), np.arange(RATE // 120) * 120 / RATE
    buzz = np.resize(sum(np.sin(2 * np.pi * k * period) / k for k in range(1, 25)), len(x)).astype(np.float32)
    for start_s, end_s in spans:
        a, b = round(start_s * RATE), round(end_s * RATE)
        x[a:b] += 0.1 * buzz[a:b] * np.minimum(1, np.minimum(np.arange(b - a), np.arange(b - a)[::-1]) / 480)
    return x.astype(np.float32)


def word(text: str, start_s: float, end_s: float, kind: WordKind = WordKind.WORD, confidence: float = 0.9) -> Word:
    return Word(text, round(start_s * RATE), round(end_s * RATE), kind, confidence)


def table_of(*items: Word) -> WordTable:
    return WordTable([(Transcript("l", items), 0, "Ines")])


def test_a_table_of_several_voices_is_sorted_and_knows_who_says_what():
    both = Transcript(
        "b",
        (replace(word("b0", 0.5, 0.9), speaker=1), replace(word("b1", 3, 4), speaker=5), word("b2", 3, 3.5)),
        speakers=("Tobias", "Mia"),
    )
    table = WordTable([(Transcript("a", (word("a0", 0, 0.4), word("a1", 2, 3))), RATE, "Ines"), (both, 0, "Table")])
    assert table.texts == ["b0", "a0", "b2", "a1", "b1"] and table.starts.tolist() == [round(s * RATE) for s in (0.5, 1, 3, 3, 3)]
    assert [table.voice(row).name for row in range(5)] == ["Mia", "Ines", "Tobias", "Ines", "Mia"]
    assert table.numbers.tolist() == [0, 0, 2, 1, 1]


def frames(*seconds: float) -> tuple[int, ...]:
    return tuple(round(s * RATE) for s in seconds)


@pytest.fixture(scope="module")
def check():
    source = Sound(vowels(12, (1.0, 2.0), (3.0, 3.4), (3.7, 5.0), (6.0, 8.0))[None], RATE)
    return CutCheck(source, [(0, find_activity(source))])


class TestEdges:
    def test_where_nobody_is_heard_a_cut_stays_as_it_is(self, check):
        assert check.settled(*frames(2.3, 2.8)) == frames(2.3, 2.8)

    def test_an_edge_in_a_dip_between_two_sounds_stays(self, check):
        assert check.settled(*frames(2.5, 3.55)) == frames(2.5, 3.55)

    def test_an_edge_inside_speech_is_drawn_in_to_the_quiet(self, check):
        start, end = check.settled(*frames(1.9, 2.8))
        assert start >= 1.985 * RATE and end == round(2.8 * RATE) and check.is_clear(start)

    def test_a_cut_that_lies_in_flowing_speech_is_not_made(self, check):
        assert check.settled(*frames(6.4, 7.5)) is None and not check.is_clear(round(7.0 * RATE))

    def test_where_a_word_ends_that_stays_an_edge_may_lie_in_speech(self):
        source = Sound(vowels(8, (1.0, 4.0))[None], RATE)
        activity = [(0, find_activity(source))]
        joined = table_of(word("and", 1.0, 2.0), word("uh", 2.0, 3.0, WordKind.FILLER), word("then", 3.0, 4.0))
        start, end = CutCheck(source, activity, joined).settled(*frames(2.0, 3.0))
        assert start == 2 * RATE and 2.955 * RATE < end < 2.99 * RATE, "where a word begins that stays, a little before it is spared"
        guessed = table_of(
            word("and", 1.0, 2.0, confidence=0.1), word("uh", 2.0, 3.0, WordKind.FILLER), word("then", 3.0, 4.0, confidence=0.1)
        )
        assert CutCheck(source, activity, guessed).settled(*frames(2.0, 3.0)) is None
        invented = table_of(word("no", 2.0, 2.4), word("no", 2.6, 3.0))
        assert CutCheck(source, activity, invented).settled(*frames(2.0, 3.0)) is None


class TestWords:
    @given(
        st.lists(st.tuples(st.integers(0, 200_000), st.integers(500, 40_000)), max_size=12),
        st.integers(0, 150_000),
        st.integers(3000, 90_000),
    )
    def test_an_edge_is_never_left_inside_a_word_unless_the_word_is_far_too_long(self, words, start, length):
        words = sorted(words)
        starts, ends = np.array([a for a, _ in words], np.int64), np.array([a + n for a, n in words], np.int64)
        end, inside, most = start + length, round(INSIDE_S * RATE), round(DRAWN_IN_S * RATE)
        a, b = beside_words(starts, ends, start, end, RATE)
        assert start <= a <= start + most and end - most <= b <= end
        around = [(s, e) for s, e in zip(starts, ends, strict=True) if not start <= (s + e) // 2 < end]
        for s, e in around:
            assert not (s + inside < start < e - inside) or a >= min(e, start + most)
            assert not (s + inside < end < e - inside) or b <= max(s, end - most)

    def test_pauses_do_not_touch_words_whether_the_words_come_first_or_last(self):
        lane = Lane("l", "r", (0,), "Ines")
        episode = replace(new_episode(), recordings=(Recording("r", "/a.wav", "f", 10 * RATE, RATE, 1),), lanes=(lane,))
        words = Transcript("l", (word("lovely", 0.5, 1.08), word("breath", 1.5, 1.9, WordKind.SOUND), word("bells", 1.92, 2.5)))
        pause = [Pause(0.9, 2.1, 1.0, 2.0)]
        first = set_pauses(set_transcript(episode, words).episode, episode.pauses, pause, on=True).episode
        last = set_transcript(set_pauses(episode, episode.pauses, pause, on=True).episode, words).episode
        assert first.cuts == last.cuts == (Cut(*frames(1.08, 1.92), CutKind.PAUSE),)
        back = put_back(first, first.cuts[0]).episode
        assert back.cuts == () and cut_pause(back, pause[0]).episode.cuts == first.cuts


class TestFillersAndTakes:
    SOUND = Sound(vowels(12, (1.0, 2.0), (2.4, 2.7), (3.1, 4.0), (6.0, 9.0))[None], RATE)

    def test_a_filler_whose_cut_does_not_pass_counts_as_tightly_joined(self):
        table = table_of(
            word("so", 1.0, 2.0), word("um", 2.4, 2.7, WordKind.FILLER), word("we", 3.1, 4.0),
            word("uh", 7.0, 7.4, WordKind.FILLER, 0.2),
        )  # fmt: skip
        check = CutCheck(self.SOUND, [(0, find_activity(self.SOUND))], table)
        loose, joined = find_fillers(table, self.SOUND, RATE, check)
        assert not loose.cut.is_tight and joined.cut.is_tight
        episode = new_episode()
        assert unheard_filler_cuts(episode, [loose, joined]) == [(loose.cut.start_frame, loose.cut.end_frame)]
        cut = replace(episode, cuts=(Cut(*frames(2.0, 3.0)),))
        assert unheard_filler_cuts(cut, [loose, joined]) == []

    def test_a_take_that_rests_on_invented_words_is_left(self):
        table = table_of(word("we", 6.3, 6.5), word("went", 6.5, 6.8), word("we", 8.0, 8.2), word("went", 8.3, 8.5))
        check = CutCheck(self.SOUND, [(0, find_activity(self.SOUND))], table)
        takes = tuple(Take(k, k + 2, *frames(a, b), "we went") for k, a, b in ((0, 6.3, 6.8), (2, 8.0, 8.5)))
        found = FoundRetake("l", Retake(takes), tuple((t.start_frame, t.end_frame) for t in takes))
        assert last_take_cuts(table, self.SOUND, RATE, [found], check) == []


class TestHeardOnceMore:
    SOUND = Sound(vowels(12, (1.0, 3.0), (5.0, 6.0), (8.0, 8.3))[None], RATE)
    LANE = Lane("l", "r", (0,), "Ines")

    def heard(self, model: Model, *cuts: Cut, retakes=()):
        own = {"l": find_activity(self.SOUND).audible}
        return speech_in_cuts(cuts, [self.LANE], {"l": self.SOUND}, own, retakes, model)

    def test_words_in_a_filler_that_reaches_over_a_sentence_are_found(self):
        cut = Cut(*frames(0.9, 3.1), CutKind.FILLER)
        (found,) = self.heard(Model("down", "to", "the", "harbour"), cut)
        assert found.voice == "Ines" and found.cut == cut and "harbour" in found.text

    def test_hesitations_laughter_and_nothing_are_no_speech(self):
        cut = Cut(*frames(0.9, 3.1), CutKind.FILLER)
        assert self.heard(Model("um", "uh"), cut) == [] and self.heard(Model("haha"), cut) == [] and self.heard(Model(), cut) == []

    def test_a_take_that_is_said_again_may_go_and_what_is_too_short_is_not_asked_for(self):
        spans = (frames(1.0, 3.0), frames(5.0, 6.0))
        retake = FoundRetake("l", Retake(tuple(Take(0, 2, *s, "x") for s in spans)), spans)
        model = Model("down", "to", "the", "harbour")
        assert self.heard(model, Cut(*frames(0.9, 3.1), CutKind.RETAKE), Cut(*frames(7.9, 8.4), CutKind.FILLER), retakes=[retake]) == []
        assert model.asked_s == []


def test_the_level_of_a_quiet_stretch_is_that_of_its_loudest_microphone():
    quiet, loud = (Activity(np.full(1000, db, np.float32), np.zeros(1000, np.float32)) for db in (-62.0, -55.0))
    assert level_over([(0.0, quiet), (2.0, loud)], 4.0, 6.0) == pytest.approx(-53.0)
    assert level_over([(0.0, quiet), (8.0, loud)], 4.0, 6.0) == pytest.approx(-60.0) and level_over([], 4.0, 6.0) is None
    assert level_over([(0.0, quiet)], 40.0, 60.0) is None


@given(st.lists(st.tuples(st.integers(0, 400_000), st.integers(500, 60_000)), max_size=12), st.lists(st.integers(0, 400_000), max_size=6))
def test_pauses_beside_many_words_are_as_beside_each_alone(words, places):
    episode = replace(new_episode(), recordings=(Recording("r", "/a.wav", "f", 10 * RATE, RATE, 1),), lanes=(Lane("l", "r", (0,), "Ines"),))
    said = tuple(Word("word", a, a + n) for a, n in sorted(words))
    episode = set_transcript(episode, Transcript("l", said)).episode
    pauses = [Pause(a / RATE, (a + 48_000) / RATE, a / RATE, (a + 40_000) / RATE) for a in places]
    starts, ends = (np.array([getattr(w, f) for w in said], np.int64) for f in ("start_frame", "end_frame"))
    wanted = {beside_words(starts, ends, a, min(a + 40_000, 10 * RATE), RATE) for a in places}
    made = set_pauses(episode, episode.pauses, pauses, on=True).episode.cuts
    assert {(c.start_frame, c.end_frame) for c in made} == {(a, b) for a, b in wanted if b > a}


@pytest.mark.parametrize(
    ("stretches", "lines"), [([], 0), ([(0, 100)], 1), ([(0, 100), (500, 600)], 2), ([(100, 200)], 0), ([(0, 60)], 1), ([(0, 40)], 0)]
)
def test_a_line_counts_as_cut_where_most_of_an_earlier_take_goes(stretches, lines):
    found = [FoundRetake("a", Retake(()), ((0, 100), (100, 200))), FoundRetake("a", Retake(()), ((500, 600), (600, 700), (700, 800)))]
    assert count_of_lines(found, stretches) == lines
