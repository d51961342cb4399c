"""What is a hesitation, a laugh or a stumble in one language is a word in another, and no automatic cut takes that."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech import transcribe as transcribing
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.doubled_words import DOUBLED, may_be_doubled
from dubbin.core.speech.hesitations import (
    EVERYWHERE,
    HEARD,
    HEARD_ELSEWHERE,
    HESITATIONS,
    SAME_LISTS,
    heard_hesitation,
    is_filler_text,
    is_laughter_text,
)
from dubbin.core.speech.models import LANGUAGES
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.transcript import Word, WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import vocabulary_of
from tests.conftest import RATE, noise


def words(text: str, each_s: float = 0.3) -> list[Word]:
    step = round(each_s * RATE)
    return [Word(t, k * step, k * step + step - 2000) for k, t in enumerate(text.split())]


@pytest.mark.parametrize(("language", "text"), [
    ("en", "Um,"), ("en", "uhhhh"), ("en", "Er..."), ("de", "äh,"), ("de", "Ähhhm"), ("fr", "euh"), ("da", "øh"), ("sv", "öh"), ("ru", "э-э"), ("ru", "мммм"), ("nl", "eh"), ("it", "ehm"),
    ("pl", "yyyy"), ("sw", "hmm"), ("", "mhm"),
])  # fmt: skip
def test_what_a_language_writes_for_a_hesitation_is_one(language, text):
    assert is_filler_text(text, language)


@pytest.mark.parametrize(("language", "text"), [
    ("de", "er"), ("de", "um"), ("da", "er"), ("no", "er"), ("nl", "er"), ("pt", "um"), ("fr", "ah"), ("de", "eh"), ("et", "öö"), ("en", "m"), ("en", "a"), ("fr", "m'a"), ("en", "era"), ("xx", "er"),
])  # fmt: skip
def test_what_is_a_word_in_it_is_none(language, text):
    assert not is_filler_text(text, language)


@pytest.mark.parametrize(("language", "text", "laughs"), [
    ("en", "Ha!", True), ("en", "ha ha", True), ("en", "Uh-huh.", False), ("en", "uh-huh-huh", True), ("es", "ha", False), ("it", "ha", False), ("sv", "ha", False), ("it", "ho", False),
    ("es", "Jajaja", True), ("de", "jaja", False), ("de", "haha", True), ("fr", "ha-ha-ha", True), ("en", "", False), ("en", "happy", False),
])  # fmt: skip
def test_laughter_is_known_by_what_a_language_writes_for_it(language, text, laughs):
    assert is_laughter_text(text, language) == laughs


@pytest.mark.parametrize("language", [*sorted(HEARD), "nb", "sw", ""])
def test_what_is_written_for_one_that_is_heard_is_one_in_that_language(language):
    assert all(is_filler_text(heard_hesitation(is_closed=closed, language=language), language) for closed in (True, False))
    assert heard_hesitation(is_closed=True) == "um" and heard_hesitation(is_closed=False, language="xx") == HEARD_ELSEWHERE[1]


@pytest.mark.parametrize("language", sorted(HESITATIONS))
def test_no_hesitation_is_among_the_frequent_words_of_its_language(language):
    common = vocabulary_of([language]).common
    assert not common & (HESITATIONS[language] | EVERYWHERE)


def test_lists_are_of_languages_that_there_are_and_in_the_form_in_which_words_are_compared():
    assert {*HESITATIONS, *DOUBLED, *SAME_LISTS} - {"nb"} <= {*LANGUAGES, "hr", "bs"}
    for listed in (*HESITATIONS.values(), *DOUBLED.values(), EVERYWHERE):
        assert all(plain(text) == text for text in listed)


@pytest.mark.parametrize(("language", "text", "stumbles"), [
    ("fr", "nous nous sommes vus", 0), ("de", "das war sehr sehr gut", 0), ("it", "piano piano si va", 0), ("en", "what it is is strange", 0), ("en", "she had had it", 0),
    ("de", "wir gingen gingen nach Haus", 1), ("fr", "dans la la rue", 1), ("en", "to the the harbour", 1), ("ja", "どう どう しよう", 0), ("vi", "xa xa kia", 0),
    ("ja", "この 店 この 店 は", 1),
])  # fmt: skip
def test_a_word_said_twice_is_a_stumble_only_where_it_can_be_none_else(language, text, stumbles):
    assert len(find_retakes(words(text), RATE, None, language)) == stumbles


def test_of_a_language_without_a_list_any_word_may_be_doubled():
    assert may_be_doubled("kia", "vi") and not may_be_doubled("harbour", "en")


@pytest.mark.parametrize(("text", "ends"), [
    ("done.", True), ("vraiment ?", True), ("« fini. »", True), ("„Ende.“", True), ("終わり。", True), ("何？」", True), ("انتهى؟", True), ("समाप्त।", True), ("done,", False), ("3.5", False), ("", False),
])  # fmt: skip
def test_a_sentence_ends_as_its_script_has_it(text, ends):
    assert ends_sentence(text) == ends


def test_a_transcript_tells_hesitations_by_the_language_that_was_heard(monkeypatch):
    rng = np.random.default_rng(1)
    source = Sound(
        (noise(6, -60) + 0.1 * rng.standard_normal(6 * RATE).astype(np.float32) * (np.arange(6 * RATE) % RATE > RATE // 3))[None].astype(
            np.float32
        ),
        RATE,
    )
    heard = [HeardWord(t, 0.5 + k, 0.9 + k, 0.95) for k, t in enumerate(("Er", "sagt", "äh", "um", "elf"))]
    for name, made in {
        "recognise": lambda *a, **k: (heard, "de"), "hear_again": lambda h, *a, **k: h, "edges_in": lambda source, h, *a, **k: h, "is_known_language": lambda *a, **k: True,
        "fitting_words": lambda h, *a, **k: h, "add_unheard": lambda w, *a, **k: w, "find_voicing": find_voicing,
    }.items():  # fmt: skip
        monkeypatch.setattr(transcribing, name, made)
    activity = find_activity(source)

    class Model:
        name, is_multilingual = "thorough", True

    found = transcribing.transcribe(source, "l", activity, activity.audible, Model()).transcript
    assert [(w.text, w.kind) for w in found.words if w.kind is not WordKind.WORD] == [("äh", WordKind.FILLER)] and found.language == "de"
