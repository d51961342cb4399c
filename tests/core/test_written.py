"""Words in a row, in scripts with spaces and without, and captions of them that can be read."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.deliver.captions import LINE_LETTERS, LINES, LONGEST_S, SpokenWord, caption_file, captions
from dubbin.core.deliver.notes import sentences
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.hearing_again import is_plausible
from dubbin.core.speech.written import are_joined, columns, letters_to_say, written


def said(words: list[str], each_s: float = 0.2) -> list[SpokenWord]:
    return [SpokenWord(t, k * each_s, (k + 1) * each_s, "Mina") for k, t in enumerate(words)]


@pytest.mark.parametrize(("words", "text"), [
    (["The", "slow", "ferry."], "The slow ferry."), (["今日", "は", "いい", "天気", "です", "。"], "今日はいい天気です。"), (["我", "用", "Python", "写"], "我用Python写"),
    (["오늘", "날씨"], "오늘 날씨"), (["สวัสดี", "ครับ"], "สวัสดีครับ"), (["ใช้", "Python", "ดี"], "ใช้ Python ดี"), (["ខ្ញុំ", "ទៅ"], "ខ្ញុំទៅ"), ([], ""), (["", "a", "", "b"], "a b"),
])  # fmt: skip
def test_words_stand_as_their_script_has_them(words, text):
    assert written(words) == text


@given(st.lists(st.text(st.sampled_from("abcäß é今は한ไ.?"), min_size=1, max_size=5).map(lambda t: t.strip() or "a"), max_size=12))
def test_nothing_of_a_word_is_lost_and_only_spaces_are_added(words):
    assert written(words).replace(" ", "") == "".join(words).replace(" ", "")


def test_ideographs_stand_in_two_columns_and_marks_in_none():
    assert columns("ferry") == 5 and columns("天気") == 4 and columns("e\u0301") == 1 and columns("ｱ") == 1


@pytest.mark.parametrize("word", ["ferry", "天気", "ครับ", "ein"])
def test_captions_have_lines_that_fit_in_any_script(word):
    shown = captions(said([word] * 120))
    assert len(shown) > 2
    for start, end, _, text in shown:
        lines = text.split("\n")
        assert (
            len(lines) <= LINES
            and all(0 < columns(line) <= LINE_LETTERS + columns(word) for line in lines)
            and end - start <= LONGEST_S + 0.01
        )
    assert sum(text.count(word) for *_, text in shown) == 120, "every word is in one of them"


def test_two_lines_of_a_caption_are_about_as_long_and_no_word_is_parted():
    words = ["when", "the", "harbour", "master", "rang", "the", "bell", "nobody", "on", "the", "quay", "moved"]
    ((_, _, _, text),) = captions(said(words, 0.3))
    first, second = text.split("\n")
    assert abs(len(first) - len(second)) <= 8 and first.split() + second.split() == words


def test_files_and_notes_of_japanese_have_no_spaces_in_it():
    words = said(["船", "は", "遅い", "。", "なぜ", "？"])
    assert "船は遅い。" in caption_file(words, "srt").replace("\n", "") and "船 は" not in caption_file(words, "vtt")
    assert [s.text for s in sentences(words)] == ["船は遅い。", "なぜ？"]


@pytest.mark.parametrize(("text", "letters"), [("ferry,", 5), ("1999", 16), ("B2", 5), ("船", 3), ("—", 1), ("l'eau", 5)])
def test_a_word_takes_as_many_letters_as_are_said(text, letters):
    assert letters_to_say(text) == letters


def test_a_number_may_last_as_long_as_its_figures_are_said():
    assert is_plausible(HeardWord("1999", 0.0, 2.2, 0.9)) and not is_plausible(HeardWord("mill", 0.0, 2.2, 0.9))


def test_a_word_without_letters_joins_nothing():
    assert not are_joined("", "and") and not are_joined("and", "") and not are_joined("", "") and are_joined("", "船")
