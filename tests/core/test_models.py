"""The speech models that come with the program: put together once, checked, chosen by language; and what is known of a show before it is heard."""

from __future__ import annotations

import hashlib
import threading
from itertools import pairwise

import numpy as np
import pytest

from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.sound.source import Sound
from dubbin.core.speech import models
from dubbin.core.speech import transcribe as transcribing
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.byte_pairs import LINES, LIST
from dubbin.core.speech.decoding import Heard, HeardWord, _joined
from dubbin.core.speech.models import LANGUAGES, MODELS, QUICK, THOROUGH, Models, built_in_model, find_model
from dubbin.core.speech.recogniser import LanguageNotKnown, recognise, recogniser
from dubbin.core.speech.transcribe import Transcription, transcribe_with
from dubbin.core.speech.transcript import UNKNOWN, Spoken, Transcript
from tests.conftest import RATE

PARTS = (b"first half, ", b"second half")


@pytest.fixture
def wheels(tmp_path, monkeypatch):
    """Two small packages with a model in two parts, as the wheels have it."""
    home = tmp_path / "packages"
    for k, data in enumerate(PARTS, 1):
        folder = home / f"parts_{k}" / "data"
        folder.mkdir(parents=True)
        (folder.parent / "__init__.py").write_text("")
        (folder / f"model.bin.part{k}").write_bytes(data)
    for name in models.THOROUGH_BESIDE:
        (home / "parts_2" / "data" / name).write_text("{}")
    monkeypatch.syspath_prepend(str(home))
    monkeypatch.setattr(models, "THOROUGH_PARTS", (("parts_1", "model.bin.part1"), ("parts_2", "model.bin.part2")))
    monkeypatch.setattr(models, "THOROUGH_SHA256", hashlib.sha256(b"".join(PARTS)).hexdigest())
    return home


def test_the_parts_are_put_together_once(wheels, tmp_path):
    folder = find_model("thorough", tmp_path / "cache")
    assert (folder / "model.bin").read_bytes() == b"".join(PARTS)
    assert all((folder / name).is_file() for name in (*models.NEEDED, LIST))
    (wheels / "parts_1" / "data" / "model.bin.part1").unlink()
    assert find_model("thorough", tmp_path / "cache") == folder
    assert [p.name for p in folder.parent.iterdir()] == [folder.name]  # no draft is left


def test_a_damaged_part_is_said_and_nothing_is_kept_of_it(wheels, tmp_path):
    (wheels / "parts_2" / "data" / "model.bin.part2").write_bytes(b"second helf")
    with pytest.raises(DubbinError, match="damaged"):
        find_model("thorough", tmp_path / "cache")
    assert not list((tmp_path / "cache" / "models").iterdir())


def test_a_model_that_was_broken_off_is_put_together_again(wheels, tmp_path):
    folder = find_model("thorough", tmp_path)
    (folder / "whole").unlink()
    (folder / "model.bin").write_bytes(b"fir")
    assert (find_model("thorough", tmp_path) / "model.bin").read_bytes() == b"".join(PARTS)


def test_several_threads_that_ask_at_once_get_one_whole_model(wheels, tmp_path):
    found: list[bytes] = []
    threads = [
        threading.Thread(target=lambda: found.append((find_model("thorough", tmp_path) / "model.bin").read_bytes())) for _ in range(6)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert found == [b"".join(PARTS)] * 6


def test_a_program_that_was_quicker_is_no_error(wheels, tmp_path, monkeypatch):
    """Another one has put the model together while this one was at it."""
    copyfile = models.shutil.copyfile

    def meanwhile(source, target):
        copyfile(source, target)
        theirs = tmp_path / "models" / models.THOROUGH_SHA256[:16]
        theirs.mkdir(exist_ok=True)
        (theirs / "model.bin").write_bytes(b"theirs")
        (theirs / "whole").touch()

    monkeypatch.setattr(models.shutil, "copyfile", meanwhile)
    folder = find_model("thorough", tmp_path)
    assert (folder / "model.bin").read_bytes() == b"theirs" and [p.name for p in folder.parent.iterdir()] == [folder.name]


def test_a_package_that_is_missing_is_said(monkeypatch, tmp_path):
    monkeypatch.setattr(models, "THOROUGH_PARTS", (("no_such_package_of_ours", "model.bin.part1"),))
    with pytest.raises(DubbinError, match="not installed"):
        find_model("thorough", tmp_path)


def test_a_cache_that_can_not_be_written_is_said(wheels, tmp_path):
    (tmp_path / "models").write_text("in the way")
    with pytest.raises(CannotWrite, match="could not be put together"):
        find_model("thorough", tmp_path)


def test_a_folder_without_a_model_is_said(tmp_path):
    with pytest.raises(DubbinError, match="holds no speech model"):
        find_model(str(tmp_path), tmp_path)
    assert find_model("", tmp_path) == find_model("quick", tmp_path) == built_in_model()


def test_every_model_says_what_it_can_do():
    assert MODELS == {"quick": QUICK, "thorough": THOROUGH} and THOROUGH.word_errors < QUICK.word_errors and THOROUGH.speed < QUICK.speed
    assert QUICK.about.startswith("English;") and THOROUGH.about.startswith("99 languages;") and len(LANGUAGES) == len(set(LANGUAGES)) == 99


class TestWhichModelHears:
    """The quick model knows English alone."""

    @pytest.fixture(autouse=True)
    def loaded(self, monkeypatch, wheels):
        monkeypatch.setattr(models, "_loaded", lambda folder: folder)

    def test_the_chosen_one_by_default(self, tmp_path):
        assert Models("", tmp_path).load() == Models("quick", tmp_path).for_language("en") == Models().load() == built_in_model()

    def test_the_thorough_one_for_other_languages(self, tmp_path):
        thorough = find_model("thorough", tmp_path)
        assert Models("quick", tmp_path).for_language("fr") == thorough == Models("thorough", tmp_path).load()
        assert Models("thorough", tmp_path).for_language("en") == thorough

    def test_a_folder_of_ones_own_for_all_of_them(self, tmp_path):
        own = tmp_path / "own"
        own.mkdir()
        for name in (*models.NEEDED, LINES):
            (own / name).touch()
        assert Models(str(own), tmp_path).for_language("fr") == own and Models(str(own), tmp_path).other() is None

    def test_nothing_is_put_together_without_a_cache(self):
        assert Models().for_language("fr") == built_in_model() and Models().other() is None


class Told:
    """A model that only tells its name."""

    def __init__(self, name: str, multilingual: bool) -> None:
        self.name, self.is_multilingual = name, multilingual


@pytest.fixture
def asked(monkeypatch):
    """What is asked of whom when a voice is transcribed; the quick model understands English only."""
    quick, thorough, calls = Told("quick", False), Told("thorough", True), []

    def transcribe(source, lane, activity, own, model, *, probe=False, **options):
        if probe and source == "long, French":
            calls.append("probed")
            raise LanguageNotKnown
        calls.append((model.name, options["language"], options["terms"], options["keep"]))
        understood = model.is_multilingual or source == "English"
        return Transcription(Transcript(lane, (), options["language"] or ("en" if understood else UNKNOWN), model.name), None)

    monkeypatch.setattr(transcribing, "transcribe", transcribe)
    monkeypatch.setattr(Models, "load", lambda self: thorough if self.choice == "thorough" else quick)
    monkeypatch.setattr(Models, "for_language", lambda self, language: thorough if language not in ("", "en") else self.load())
    monkeypatch.setattr(Models, "other", lambda self: thorough if self.is_quick else None)
    monkeypatch.setattr(Models, "has_other", property(lambda self: self.is_quick))
    return calls


def hear(source: str, models: Models = Models(), spoken: Spoken = Spoken(), **more) -> Transcript:  # noqa: B008
    return transcribe_with(models, source, "lane", None, None, spoken, **more).transcript  # type: ignore[arg-type]


def test_a_voice_in_another_language_is_heard_by_the_thorough_model(asked):
    assert hear("English").source == "quick" and len(asked) == 1
    assert hear("French").source == "thorough" and [c[0] for c in asked[1:]] == ["quick", "thorough"]


def test_of_a_long_recording_a_few_pages_tell_that_the_language_is_another(asked):
    assert hear("long, French").source == "thorough" and asked[0] == "probed" and [c[0] for c in asked[1:]] == ["thorough"]


def test_where_nobody_understands_a_word_the_few_pages_may_have_misled(asked, monkeypatch):
    heard_by = []

    def transcribe(source, lane, activity, own, model, *, probe=False, **options):
        heard_by.append((model.name, probe))
        if probe:
            raise LanguageNotKnown
        return Transcription(Transcript(lane, (), UNKNOWN if model.is_multilingual else "en", model.name), None)

    monkeypatch.setattr(transcribing, "transcribe", transcribe)
    assert hear("English after all").source == "quick" and heard_by == [("quick", True), ("thorough", False), ("quick", False)]


def test_nothing_is_probed_where_there_is_no_other_model(asked):
    assert hear("long, French", Models("thorough")).source == "thorough" and asked == [("thorough", None, (), None)]


def test_a_language_that_was_set_is_asked_for_at_once(asked):
    found = hear("French", spoken=Spoken("fr", ("Ferry",)))
    assert found.source == "thorough" and found.language == "fr" and asked == [("thorough", "fr", ("Ferry",), None)]


def test_a_language_that_nobody_knows_is_found_by_itself(asked):
    assert hear("English", spoken=Spoken("klingon", ("Ferry",))).language == "en" and asked == [("quick", None, ("Ferry",), None)]


def test_pages_that_were_kept_are_not_taken_for_those_of_another_model_or_list_of_names(asked, tmp_path):
    for model, spoken in (
        (Models(), Spoken()),
        (Models("thorough"), Spoken()),
        (Models(), Spoken("", ("Ferry",))),
        (Models(), Spoken("en")),
    ):
        hear("English", model, spoken, keep=tmp_path / "lane")
    names = [c[3].name for c in asked]
    assert len(set(names)) == 4 and all(n.startswith("lane-") and n.endswith(".jsonl") for n in names)


class Pages:
    """A model that hears another language on its first page."""

    name, is_multilingual = "told", True

    def __init__(self) -> None:
        self.asked: list[int] = []
        self.languages: list[str] = []

    def language_of(self, x):
        self.asked.append(len(x))
        return ("it", 0.9) if len(self.asked) == 1 else ("fr", 0.6)

    def hear(self, windows, language, terms=()):
        self.languages.append(language)
        return [Heard((HeardWord("mot", 0.1, 0.5, 0.9),), len(x) / 16000) for x in windows]


def test_the_language_is_that_of_most_pages_not_of_the_first():
    model, source = Pages(), Sound(np.zeros((1, 200 * 8000), np.float32), 8000)
    _, language = recognise(source, np.ones(200 * 100, bool), model)  # type: ignore[arg-type]
    assert language == "fr" and set(model.languages) == {"fr"} and len(model.asked) == 3


def w(text: str, start: float, end: float, sure: float = 0.9) -> dict[str, object]:
    return {"word": text, "start": start, "end": end, "probability": sure}


def test_what_follows_without_a_space_belongs_to_the_word_before():
    found = _joined([w(" l", 0.0, 0.1), w("'instant.", 0.1, 0.6, 0.7), w(" Et", 0.7, 0.9)], True)
    assert found == [HeardWord("l'instant.", 0.0, 0.6, 0.7), HeardWord("Et", 0.7, 0.9, 0.9)]


def test_in_a_language_without_spaces_words_stay_as_they_are():
    assert [f.text for f in _joined([w("今日", 0.0, 0.4), w("は", 0.4, 0.5)], False)] == ["今日", "は"]


@pytest.fixture(scope="module")
def thorough(tmp_path_factory):
    return recogniser(find_model("thorough", tmp_path_factory.mktemp("cache")))


def test_the_thorough_model_hears_the_demo(thorough, speech):
    """What it says is read out, so that most words are known (see the demo's script)."""
    source = Sound(speech[: 10 * RATE][None].astype(np.float32), RATE)
    activity = find_activity(source)
    words, language = recognise(source, activity.audible, thorough)
    assert language == "en" and len(words) > 15 and np.mean([x.confidence for x in words]) > 0.75
    assert all(b.start_s >= a.start_s for a, b in pairwise(words))


def test_it_is_the_whisper_model_that_it_is_said_to_be(thorough):
    assert thorough.is_multilingual and set(LANGUAGES) <= {c.strip("<|>") for c in thorough._decoder._model.supported_languages}


def test_a_name_on_the_list_is_written_as_it_stands_there(speech):
    """Without the list the small model has never heard of her."""
    source = Sound(speech[: 10 * RATE][None].astype(np.float32), RATE)
    activity, model = find_activity(source), recogniser(built_in_model())

    def text(*terms: str) -> str:
        return " ".join(x.text for x in recognise(source, activity.audible, model, terms=terms)[0])

    without, listed = text(), text("Ines Calder", "Slow Ferry")
    assert "Ines Calder" not in without and "Ines Calder" in listed and "Slow Ferry" in listed
    assert "podcast that takes the long way" in without and "podcast that takes the long way" in listed
