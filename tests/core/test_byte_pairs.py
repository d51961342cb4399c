"""The tokens of speech models are those that the recogniser's own library makes, which reads another file."""

from __future__ import annotations

import json
from importlib.util import find_spec
from pathlib import Path

import pytest
import tokenizers
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from dubbin.core.speech.byte_pairs import LINES, LIST, BytePairs
from dubbin.core.speech.decoding import Decoder
from dubbin.core.speech.models import THOROUGH_PARTS, built_in_model

TEXTS = (
    "", " ", "Hello, I'm Ines Calder; it's 12½ o'clock.", "I'LL  we've they'd   ", " Ümläute ß  日本語  のテスト\n\n x", "  \u3000a \xa0b", "١٢٣ Ⅷ ½²",
    "a\x1cb\x1d c", " -", "♪♪♪ [](){}", "e\u0301", "👩‍👩‍👧 emoji", "a" * 300, f" Ines Calder, {'Slow ' * 9}.",
)  # fmt: skip
ANY_TEXT = st.text(st.one_of(st.characters(exclude_categories=["Cs"]), st.sampled_from(" \n'sdtlv.,éя日١½")), max_size=30)


def folders() -> list[Path]:
    """Of the two models that come with the program: one has its vocabulary as lines, the other as a list."""
    beside = find_spec(THOROUGH_PARTS[1][0])
    return [built_in_model(), Path(beside.origin).parent / "data"]


@pytest.fixture(scope="module", params=folders(), ids=["lines", "list"])
def both(request):
    """Ours and the library's, of one model."""
    return BytePairs(request.param), tokenizers.Tokenizer.from_file(str(request.param / "tokenizer.json"))


@pytest.mark.parametrize("text", TEXTS)
def test_texts_have_the_tokens_that_they_have_there(both, text):
    own, other = both
    assert own.encode(text).ids == other.encode(text, add_special_tokens=False).ids


@given(text=ANY_TEXT)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_text_has_and_comes_back_from_them(both, text):
    own, other = both
    ids = own.encode(text).ids
    assert ids == other.encode(text, add_special_tokens=False).ids and own.decode(ids) == text


@given(ids=st.lists(st.integers(0, 50363), max_size=12))
def test_any_tokens_are_the_text_that_they_are_there_also_where_half_a_character_is_missing(both, ids):
    own, other = both
    assert own.decode(ids) == other.decode(ids)


@pytest.mark.parametrize("name", ["en", "transcribe", "startoftranscript", "startofprev", "notimestamps", "nospeech", "endoftext"])
def test_what_is_no_text_has_the_number_that_it_has_there(both, name):
    own, other = both
    assert own.token_to_id(f"<|{name}|>") == other.token_to_id(f"<|{name}|>")


@pytest.mark.parametrize(("name", "text"), [(LIST, "{}"), (LIST, "[1]"), (LIST, json.dumps(["a"])), (LINES, "a\nb\n")])
def test_a_vocabulary_that_is_none_is_an_error_of_value(tmp_path, name, text):
    (tmp_path / name).write_text(text)
    with pytest.raises(ValueError):
        BytePairs(tmp_path)


def test_without_a_vocabulary_a_file_is_missing(tmp_path):
    with pytest.raises(FileNotFoundError):
        BytePairs(tmp_path)


def test_a_loaded_model_holds_what_that_of_the_library_holds_and_its_vocabulary_is_not_read_there(monkeypatch):
    from faster_whisper import WhisperModel

    other = WhisperModel(str(built_in_model()), device="cpu", compute_type="int8", local_files_only=True)
    monkeypatch.setattr(tokenizers, "Tokenizer", None)
    own = Decoder(built_in_model())._model
    assert vars(own).keys() == vars(other).keys()
    same = vars(other).keys() - {"model", "hf_tokenizer", "feature_extractor"}
    assert {name: vars(own)[name] for name in same} == {name: vars(other)[name] for name in same}
