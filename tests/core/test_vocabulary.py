"""What words say in a language: little words, stems, articles written onto words; and chapters, passages and notes of talks that are not in English."""

from __future__ import annotations

import pytest

from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.deliver.notes import draft_notes
from dubbin.core.deliver.passages import find_passages
from dubbin.core.deliver.publication import Publication
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.speech.chapters import suggest_chapters
from dubbin.core.speech.transcript import UNKNOWN, Transcript, Word, plain
from dubbin.core.speech.vocabulary import vocabulary_of
from tests.conftest import RATE

LITTLE = {
    "en": "the and with", "fr": "les avec dans", "it": "della con sono", "da": "ikke med det", "ro": "este pentru care", "ru": "что как это",
    "ca": "amb que per", "de": "und nicht mit", "es": "para con los", "nl": "niet met het", "no": "ikke med det",
}  # fmt: skip
TELLING = {
    "en": "lighthouse", "fr": "phare", "it": "traghetto", "da": "færge", "ro": "clopote", "ru": "корабль", "ca": "vaixell", "de": "glocke", "es": "campana",
    "nl": "veerboot", "no": "ferge",
}  # fmt: skip
FERRY = "Le vieux bateau traverse la baie. Les bateaux de la baie partent au matin avec le capitaine du bateau."
BELL = "La cloche de bronze sonne au village. Les cloches du village viennent de l'atelier de bronze des cloches."


def said(text: str, start: float = 0.0, each_s: float = 0.4) -> list[Word]:
    return [
        Word(w, round((start + k * each_s) * RATE), round((start + k * each_s + 0.8 * each_s) * RATE)) for k, w in enumerate(text.split())
    ]


def spoken(words: list[Word], speaker: str = "Ines") -> list[SpokenWord]:
    return [SpokenWord(w.text, w.start_frame / RATE, w.end_frame / RATE, speaker) for w in words]


@pytest.mark.parametrize("language", sorted(LITTLE))
def test_little_words_of_a_language_say_nothing_and_others_do(language):
    vocabulary = vocabulary_of((language,))
    assert [vocabulary.term(w) for w in LITTLE[language].split()] == [None] * len(LITTLE[language].split())
    assert vocabulary.term(TELLING[language]) is not None


@pytest.mark.parametrize(
    ("language", "one", "other"),
    [("fr", "bateau", "bateaux"), ("it", "campana", "campane"), ("en", "ferry", "ferries"), ("ru", "корабль", "корабля")],
)
def test_forms_of_a_word_are_counted_as_one(language, one, other):
    vocabulary = vocabulary_of((language,))
    assert vocabulary.term(one) == vocabulary.term(other)


def test_an_article_that_is_written_onto_a_word_does_not_count():
    french, english = vocabulary_of(("fr",)), vocabulary_of(("en",))
    assert french.term(plain("l’atelier")) == french.term("atelier") and french.term("qu'elle") is None
    assert english.term("o'clock") == "o'clock"


def test_in_a_language_without_a_list_the_most_frequent_words_of_the_talk_say_little():
    words = ["ya"] * 50 + [f"word{k}" for k in range(100)]
    vocabulary = vocabulary_of(("sw",), words)
    assert vocabulary.term("ya") is None and vocabulary.term("word99") == "word99"
    assert vocabulary_of(()).is_english and vocabulary_of((), ["word"]).term("word") == "word"


def test_chapters_of_a_french_talk_are_called_by_what_it_is_about_and_not_by_articles():
    words = said(" ".join([FERRY] * 8))
    start = words[-1].end_frame / RATE + 3
    ideas = suggest_chapters([*words, *said(" ".join([BELL] * 8), start)], RATE, ("fr",))
    assert len(ideas) == 2 and ideas[1].frame == pytest.approx(start * RATE, abs=RATE)
    titles = [i.title.lower() for i in ideas]
    assert any(w in titles[0] for w in ("bateau", "baie", "capitaine")) and any(
        w in titles[1] for w in ("cloche", "bronze", "village", "atelier")
    )
    assert " and " not in " ".join(titles) and "l'" not in " ".join(titles)


def test_passages_and_notes_of_a_french_talk_speak_of_its_subjects():
    small = " ".join(["Oui et alors il est comme ça avec nous."] * 12)
    asked = "Combien coûte une cloche de bronze à l'atelier?"
    told = "La cloche de bronze coûte un hiver entier à l'atelier. Cloches et bronze attendent la nuit. Le bronze ne refroidit jamais avant le village."
    words = spoken(said(small)) + spoken(said(asked, 60.0)) + spoken(said(told, 64.0), "Tobias") + spoken(said(small, 90.0))
    (best, *_) = sorted(find_passages(words, languages=("fr",)), key=lambda p: -p.score)
    assert best.title.startswith("Combien") and any("bronze" in r or "cloche" in r for r in best.reasons)
    notes = draft_notes(Publication(words=tuple(words), languages=("fr",), duration_s=140.0), "Cloches")
    about = notes.split("## About")[1].split("##")[0].lower()
    assert "bronze" in about and "est" not in about.split() and "avec" not in about.split()


def test_an_episode_names_its_languages_the_most_spoken_first():
    lanes = tuple(Lane(v, v, (0,), v) for v in "abc")
    transcripts = (
        Transcript("a", tuple(said("one two")), "en"), Transcript("b", tuple(said("un deux trois quatre")), "fr"), Transcript("c", tuple(said("x")), UNKNOWN),
    )  # fmt: skip
    assert Episode("e", lanes=lanes, transcripts=transcripts).languages == ("fr", "en")
