"""Speech that a recogniser passed over is heard again; nothing lasts longer than a mouth makes it; loops are no words."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.measure.echo import measure_echo
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.word_cuts import find_fillers
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.decoding import Heard, HeardWord
from dubbin.core.speech.fillers import LONGEST_S, NASAL_S, NOT_UNDERSTOOD, ONSET_S
from dubbin.core.speech.hearing_again import hear_again, is_plausible, longest_s, passed_over
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import recogniser, without_loops
from dubbin.core.speech.transcribe import transcribe
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.speech.word_table import WordTable
from tests.conftest import RATE

EXCERPT_S = 40


def words(*items: tuple[str, float, float]) -> list[HeardWord]:
    return [HeardWord(text, a, b, 0.9) for text, a, b in items]


def marks(seconds: float, *spans: tuple[float, float]) -> np.ndarray:
    out = np.zeros(round(100 * seconds), np.bool_)
    for a, b in spans:
        out[round(100 * a) : round(100 * b)] = True
    return out


class Model:
    """A recogniser that hears what it is told to, evenly over what it is given; it counts how often it is asked."""

    name, is_multilingual = "told", False

    def __init__(self, *texts: str) -> None:
        self.texts, self.asked_s = texts, []

    def language_of(self, x):
        return "en", 1.0

    def hear(self, windows, language, terms=()):
        return [self._heard(len(x) / 16000) for x in windows]

    def _heard(self, seconds):
        self.asked_s.append(seconds)
        step = seconds / max(len(self.texts), 1)
        return Heard(tuple(words(*((t, k * step, (k + 0.5) * step) for k, t in enumerate(self.texts)))), seconds)


SILENCE = Sound(np.zeros((1, 20 * RATE), np.float32), RATE)


def test_speech_without_words_is_marked_and_a_breath_between_words_is_not():
    own = marks(20, (1, 3), (5, 9), (12, 12.2))
    heard = words(("so", 1.0, 1.6), ("then", 1.9, 2.9), ("we", 5.0, 5.3))
    assert np.flatnonzero(np.diff(passed_over(heard, own).astype(int))).tolist() == pytest.approx([541, 899], abs=2)


def test_words_on_both_sides_of_a_word_are_stretches_of_their_own():
    own = marks(20, (1, 9))
    found = passed_over(words(("so", 4.8, 5.1)), own)
    assert found[150] and found[700] and not found[490]


@pytest.mark.parametrize(
    ("text", "length_s", "plausible"),
    [("no", 0.9, True), ("his", 4.6, False), ("opinions", 1.6, True), ("I", 1.5, False), ("", 3.0, False)],
)
def test_no_word_is_longer_than_a_mouth_makes_it(text, length_s, plausible):
    assert is_plausible(HeardWord(text, 1.0, 1.0 + length_s, 0.9)) == plausible


def test_a_word_that_hides_a_sentence_is_replaced_by_what_is_heard_there():
    own, model = marks(20, (1, 9)), Model("his", "name", "was", "on", "the", "bell")
    found = hear_again(words(("So", 1.0, 1.4), ("his", 1.5, 9.0)), SILENCE, own, model)
    assert [w.text for w in found] == ["So", "his", "name", "was", "on", "the", "bell"] and len(model.asked_s) == 1
    assert all(is_plausible(w) for w in found) and found == sorted(found, key=lambda w: w.start_s)


def test_what_is_still_not_understood_keeps_its_word_shortened():
    found = hear_again(words(("So", 1.0, 1.4), ("his", 1.5, 9.0)), SILENCE, marks(20, (1, 9)), Model())
    assert [w.text for w in found] == ["So", "his"] and found[1].end_s - found[1].start_s == pytest.approx(longest_s("his"))


def test_a_second_hearing_says_nothing_over_words_that_are_known():
    heard = words(("So", 4.0, 4.6), ("it", 4.7, 5.2))
    found = hear_again(heard, SILENCE, marks(20, (3, 7)), Model(*"abcdefgh"))
    assert [w for w in found if w in heard] == heard
    for word in set(found) - set(heard):
        assert all(min(word.end_s, o.end_s) - max(word.start_s, o.start_s) < (word.end_s - word.start_s) / 2 for o in heard)


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ("I, " * 40, "I,"),
        ("so then " + "I think, " * 9 + "and", "so then I think, and"),
        ("no no no no it was", "no no no no it was"),
        ("we went down to the water " * 6, ("we went down to the water " * 6).strip()),
    ],
)
def test_what_is_said_over_and_over_is_said_once_and_a_sentence_taken_again_stays(text, left):
    heard = words(*((t, k * 0.3, k * 0.3 + 0.2) for k, t in enumerate(text.split())))
    assert " ".join(w.text for w in without_loops(heard)) == left


@pytest.fixture(scope="module")
def one_recording(demo_folder):
    """Both voices of the demo in one recording, as it is written down, and the words that were said."""
    truth = [w for w in json.loads((demo_folder / "truth.json").read_text())["words"] if w["end_s"] < EXCERPT_S]
    names = sorted({w["voice"] for w in truth})
    parts = [sf.read(next(demo_folder.glob(f"{name}*.wav")), frames=EXCERPT_S * RATE, dtype="float32")[0] for name in names]
    source = Sound((0.6 * sum(parts))[None].astype(np.float32), RATE)
    activity = find_activity(source)
    done = transcribe(source, "l", activity, activity.audible, recogniser(built_in_model()), rt60_s=measure_echo(source).rt60_s)
    return source, done.transcript, truth


def covered(items: list[Word]) -> np.ndarray:
    out = np.zeros(EXCERPT_S * 100 + 100, np.bool_)
    for word in items:
        out[word.start_frame * 100 // RATE : -(-word.end_frame * 100 // RATE)] = True
    return out


def test_every_sentence_of_two_voices_in_one_recording_is_written_down(one_recording):
    _, transcript, truth = one_recording
    by_words, at_all = covered([w for w in transcript.words if w.kind is not WordKind.SOUND]), covered(list(transcript.words))
    spans = [slice(round(w["start_s"] * 100), round(w["end_s"] * 100)) for w in truth]
    without = [w["text"] for w, span in zip(truth, spans, strict=True) if by_words[span].mean() < 0.3]
    assert len(without) <= 0.04 * len(truth), without
    unmarked = [w["text"] for w, span in zip(truth, spans, strict=True) if not at_all[span].any()]
    assert not unmarked, "speech without a word is shown as not understood"


def test_words_and_hesitations_are_as_long_as_a_mouth_makes_them(one_recording):
    _, transcript, _ = one_recording
    for word in transcript.words:
        length_s = (word.end_frame - word.start_frame) / RATE
        if word.kind is WordKind.WORD:
            assert length_s <= longest_s(word.text) + 0.2, word
        elif word.kind is WordKind.FILLER:
            assert length_s <= LONGEST_S + ONSET_S + NASAL_S, word


def test_cutting_all_fillers_takes_no_word_along(one_recording):
    source, transcript, truth = one_recording
    table = WordTable([(transcript, 0, "Both")])
    gone = np.zeros(source.frames, np.bool_)
    fillers = find_fillers(table, source, RATE, CutCheck(source, [(0, find_activity(source))], table))
    for filler in fillers:
        gone[filler.cut.start_frame : filler.cut.end_frame] = True
    assert fillers
    for word in truth:
        span = slice(round(word["start_s"] * RATE), round(word["end_s"] * RATE))
        if word["text"].strip(" ,.?!").lower() not in ("um", "uh", "er", "erm"):
            assert np.count_nonzero(gone[span]) < 0.03 * RATE, word


def test_speech_that_was_not_understood_stops_a_cut_and_a_breath_does_not():
    items = [("uh", 1.0, 1.3, WordKind.FILLER), (NOT_UNDERSTOOD, 1.5, 2.5, WordKind.SOUND), ("um", 3.0, 3.3, WordKind.FILLER), ("breath", 3.4, 3.6, WordKind.SOUND)]  # fmt: skip
    table = WordTable([(Transcript("l", tuple(Word(t, round(a * RATE), round(b * RATE), k) for t, a, b, k in items)), 0, "Ines")])
    assert table.neighbours([0]) == (None, round(1.5 * RATE))
    assert table.neighbours([2]) == (round(2.5 * RATE), None)
