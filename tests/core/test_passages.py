"""Passages worth a clip: they stand alone, they say why, none overlaps another; clips of them have captions of their own. Drafted titles."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.deliver.delivery import Order, deliver_clips
from dubbin.core.deliver.formats import WAV
from dubbin.core.deliver.notes import draft_notes, draft_titles, sentences
from dubbin.core.deliver.passages import LONGEST_S, SHORTEST_S, find_passages
from dubbin.core.deliver.publication import Publication
from dubbin.core.deliver.targets import find_target
from dubbin.core.sound.source import Sound
from dubbin.core.speech.transcript import WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import LEANING
from tests.conftest import RATE, noise


class Talk:
    """Words one after the other, as voices say them."""

    def __init__(self) -> None:
        self.words: list[SpokenWord] = []
        self.at = 0.0

    def say(self, speaker: str, text: str, pause_s: float = 0.6, each_s: float = 0.4) -> Talk:
        self.at += pause_s
        for word in text.split():
            self.words.append(SpokenWord(word, self.at, self.at + each_s * 0.8, speaker))
            self.at += each_s
        return self

    def laugh(self, speaker: str) -> Talk:
        self.words.append(SpokenWord("laugh", self.at + 0.1, self.at + 1.1, speaker, WordKind.SOUND))
        self.at += 1.2
        return self

    def small_talk(self, sentences: int) -> Talk:
        for k in range(sentences):
            self.say("Ines" if k % 2 else "Tobias", "and so it was then just like that with them again and again you know.")
        return self


def texts(words: list[SpokenWord], passage) -> list[str]:
    return [w.text for w in words if passage.start_s <= (w.start_s + w.end_s) / 2 < passage.end_s]


def test_a_question_that_is_answered_is_found_between_small_talk_and_begins_with_the_question():
    talk = Talk().small_talk(12).say("Ines", "What does a bronze bell cost in the foundry?")
    talk.say(
        "Tobias", "The bronze costs more than the bell. A bell of bronze costs a winter in the foundry. Bronze never waits."
    ).small_talk(12)
    (best, *_) = sorted(find_passages(talk.words), key=lambda p: -p.score)
    said = texts(talk.words, best)
    assert said[0] == "What" and said[-1] == "waits." and "a question and its answer" in best.reasons
    assert best.title.startswith("What does a bronze bell") and best.speakers == ("Ines", "Tobias")


def test_laughter_behind_the_last_word_belongs_to_the_passage():
    talk = Talk().small_talk(8).say("Ines", "My teacher dropped the bell into the harbour on the very first morning of the year.")
    talk.say("Tobias", "They heard it ring under the water for a week and blamed the priest for it all.").laugh("Ines")
    end_of_laugh = talk.at
    talk.small_talk(8)
    best = max(find_passages(talk.words), key=lambda p: p.score)
    assert any("laughter" in r for r in best.reasons) and best.end_s >= end_of_laugh - 0.2
    assert best.end_s <= next(w.start_s for w in talk.words if w.start_s > end_of_laugh), "nothing of the next word"


def test_words_that_the_talk_is_about_are_named():
    talk = Talk().small_talk(6)
    for _ in range(3):
        talk.say("Ines", "Bells of bronze ring over harbours. Bronze bells ring longer. Harbours carry bronze bells.", 1.0).small_talk(5)
    assert any("bronze" in r or "bells" in r for p in find_passages(talk.words) for r in p.reasons if r.startswith("about"))


def test_of_nothing_said_and_of_small_talk_without_reason_nothing_is_found():
    assert find_passages([]) == [] and find_passages(Talk().say("Ines", "Hello there.").words) == []


voices = st.sampled_from(["Ines", "Tobias"])
vocabulary = st.sampled_from(
    ["the", "bell", "rang.", "why?", "and", "so", "bronze", "harbour", "we", "cast", "it", "again,", "then", "water", "fell."]
)


@settings(max_examples=40)
@given(st.lists(st.tuples(voices, st.lists(vocabulary, min_size=1, max_size=30), st.booleans()), max_size=25), st.integers(1, 6))
def test_passages_never_overlap_are_as_long_as_a_clip_and_come_in_order(turns, most):
    talk = Talk()
    for speaker, words, laughs in turns:
        talk.say(speaker, " ".join(words))
        if laughs:
            talk.laugh(speaker)
    found = find_passages(talk.words, most)
    assert len(found) <= most
    for a, b in pairwise(found):
        assert a.end_s <= b.start_s
    for p in found:
        assert SHORTEST_S <= p.length_s <= LONGEST_S + 60 and p.reasons and p.title
        assert not any(w.start_s + 1e-6 < p.start_s < w.end_s - 1e-6 for w in talk.words if w.kind is WordKind.WORD), "no word is cut into"


def test_clips_are_masters_with_captions_of_their_own_from_zero(tmp_path):
    talk = Talk().say("Ines", "The bell would not ring.").say("Tobias", "It was the frost that cracked it.", 4.0)
    x = (noise(14, -20, 1) * (np.sin(np.arange(14 * RATE) / 9000) > -0.5)).astype(np.float32)
    what = Publication(words=tuple(talk.words), duration_s=14.0)
    order = Order("ep", "Ep", (find_target("podcast-mono"),), (WAV,), what, ("proof",))
    done = deliver_clips(Sound(x[None], RATE), tmp_path, order, [(0, 5 * RATE), (6 * RATE, 13 * RATE)])
    assert [round(m.proof.measured.duration_s) for m in done.masters] == [5, 7] and not done.problems
    names = {p.name for p in tmp_path.iterdir()}
    assert {"ep.clip-0-5s.srt", "ep.clip-6-13s.srt", "ep.clip-6-13s.vtt"} <= names and any(n.endswith(".proof.html") for n in names)
    assert "frost" in (tmp_path / "ep.clip-6-13s.srt").read_text() and "bell" not in (tmp_path / "ep.clip-6-13s.srt").read_text()
    first = next(w for w in talk.words if w.text == "It").start_s - 6.0
    assert f"00:00:00,{round(first * 1000):03d}" in (tmp_path / "ep.clip-6-13s.srt").read_text()


def test_titles_are_drafted_from_what_is_said_and_stand_in_the_notes():
    talk = Talk()
    for _ in range(2):
        talk.say("Ines", "Why does the bronze bell ring longer?").say("Tobias", "And so the bronze bell rang.").say(
            "Tobias", "Our bronze bell cracked."
        )
    titles = draft_titles(sentences(talk.words))
    assert (
        titles[0] == "Why does the bronze bell ring longer?"
        and "Our bronze bell cracked" in titles
        and len(titles) == len(set(titles)) <= 5
    )
    assert all(t[0].isupper() and not ends_sentence(t.rstrip("?")) and plain(t.split()[0]) not in LEANING for t in titles)
    notes = draft_notes(Publication(words=tuple(talk.words)), "Ep")
    assert "## Titles to choose from" in notes and f"- {titles[0]}" in notes
    assert draft_titles([]) == [] and "Titles" not in draft_notes(Publication(), "Ep")


def test_hesitations_count_against_a_passage():
    talk = Talk().small_talk(4)
    talk.say(
        "Ines", "The bronze bell rang over the harbour while the founder slept through the whole cold night of his life there."
    ).small_talk(4)
    clean = max(p.score for p in find_passages(talk.words))
    spoiled = [replace(w, kind=WordKind.FILLER) if k % 3 == 0 else w for k, w in enumerate(talk.words)]
    assert max((p.score for p in find_passages(spoiled)), default=-9.0) < clean
