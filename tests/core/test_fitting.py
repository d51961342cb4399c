"""Words need sound under them that fits: what a recogniser invents is left out, what was said stays, and a language that it does not know is said."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.voicing import Voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.fillers import NOT_UNDERSTOOD, speech_without_words
from dubbin.core.speech.fitting import fitting_words, is_known_language
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import recogniser
from dubbin.core.speech.transcribe import remark_on, transcribe
from dubbin.core.speech.transcript import UNKNOWN, Transcript, WordKind
from tests.conftest import RATE
from tests.core.test_hearing_again import marks


def voicing(seconds: float, *spans: tuple[float, float]) -> Voicing:
    pitch = np.where(marks(seconds, *spans), 120.0, 0.0).astype(np.float32)
    return Voicing(pitch, pitch / 120, np.zeros((len(pitch), 24), np.float32))


def said(text: str, start_s: float, each_s: float, confidence: float = 0.95) -> list[HeardWord]:
    return [HeardWord(t, start_s + k * each_s, start_s + (k + 0.9) * each_s, confidence) for k, t in enumerate(text.split())]


TALK = [(1.0, 4.0), (5.0, 6.0)]


def left(words: list[HeardWord], own=TALK, voiced=TALK) -> str:
    return " ".join(w.text for w in fitting_words(words, marks(10, *own), voicing(10, *voiced).voiced))


def test_what_is_said_stays():
    assert left(said("we went down to the harbour", 1.0, 0.4) + said("and back", 5.0, 0.4)) == "we went down to the harbour and back"


def test_a_sentence_within_three_tenths_of_a_second_is_invented_and_one_short_word_is_not():
    assert left(said("the harbour", 1.0, 0.5) + said("see you all again next time", 2.0, 0.05)) == "the harbour"
    assert left([*said("we went", 1.0, 0.3), HeardWord("to", 1.6, 1.61, 0.9), *said("the harbour", 1.7, 0.4)]) == "we went to the harbour"


def test_words_where_nobody_speaks_or_nothing_is_voiced_are_invented():
    assert left(said("we went", 1.0, 0.4) + said("thank you very much", 7.0, 0.4)) == "we went"
    assert left(said("thank you very much", 5.0, 0.25), voiced=[]) == ""
    assert left(said("sh", 5.0, 0.3), voiced=[(1.0, 4.0)]) == "sh", "a single word may be whispered"
    assert left(said("sh", 5.0, 0.3, 0.3), voiced=[(1.0, 4.0)]) == ""


def test_a_group_of_guesses_is_left_out():
    assert left(said("we went down", 1.0, 0.4) + said("mona kulte edvard", 5.0, 0.3, 0.2)) == "we went down"


def test_a_language_is_known_by_how_sure_the_words_are_and_how_many_there_are():
    own = marks(20, (0, 12))
    text = " ".join(f"word{k}" for k in range(30))
    assert is_known_language(said(text, 0, 0.3, 0.89), own) and not is_known_language(said(text, 0, 0.3, 0.5), own)
    loop = said(text, 0, 0.1, 0.4) + said("going to go " * 40, 3, 0.05, 0.95)
    assert not is_known_language(loop, own), "what is said over and over counts once"
    few = said("hello there you", 0, 0.3, 0.75)
    assert not is_known_language(few, own) and is_known_language(few, marks(20, (0, 3))), (
        "three words in twelve seconds of talk are guesses"
    )
    assert not is_known_language([], own) and is_known_language([], marks(20, (0, 3)))


def test_a_model_of_many_languages_may_be_less_sure_of_each():
    own = marks(20, (0, 15))
    text = " ".join(f"word{k}" for k in range(30))
    for confidence, known in ((0.6, True), (0.5, False)):
        assert is_known_language(said(text, 0, 0.3, confidence), own, of_many=True) is known
        assert not is_known_language(said(text, 0, 0.3, confidence), own)
    few = said("hello there you", 0, 0.3, 0.7)
    assert not is_known_language(few, own, of_many=True)


def test_what_the_model_does_not_know_is_said_and_shown_as_not_understood(speech):
    x = np.ascontiguousarray(speech[::-1][: 9 * RATE])  # speech as no language has it
    source = Sound(x[None], RATE)
    activity = find_activity(source)
    transcript = transcribe(source, "l", activity, activity.audible, recogniser(built_in_model())).transcript
    assert transcript.language == UNKNOWN and "Set the language" in (remark_on(transcript, "Ines") or "")
    assert {w.kind for w in transcript.words} == {WordKind.SOUND} and any(w.text == NOT_UNDERSTOOD for w in transcript.words)
    assert remark_on(Transcript("l", ()), "Ines") is None


def test_all_that_is_said_in_an_unknown_language_is_marked_once_a_stretch():
    own = marks(10, (1.0, 2.0), (2.1, 3.0), (5.0, 5.1), (6.0, 7.0), (8.0, 9.0))
    found = speech_without_words(own, voicing(10, (1.0, 3.0), (5.0, 5.1), (8.2, 8.9)), RATE)
    spans = [(w.start_frame / RATE, w.end_frame / RATE) for w in found]
    assert spans == [pytest.approx((1.0, 3.0)), pytest.approx((8.0, 9.0))], "no burst, and nothing that is not voiced"
