"""Words: heard, put to the sound, told apart, said again, written down."""

from __future__ import annotations

import json
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.errors import DubbinError
from dubbin.core.measure import by_blocks
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech import fillers
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.align_text import TextWord, align_text, read_text
from dubbin.core.speech.chapters import suggest_chapters
from dubbin.core.speech.fillers import NOT_UNDERSTOOD, add_unheard, mark_kinds
from dubbin.core.speech.hesitations import is_filler_text
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import HeardWord, Recogniser, pages_of, recognise, recogniser
from dubbin.core.speech.retakes import MOST_WORDS, find_retakes
from dubbin.core.speech.transcribe import transcribe
from dubbin.core.speech.transcript import Transcript, Word, WordKind, plain
from dubbin.core.speech.turns import crosstalk, own_speech
from dubbin.core.speech.word_edges import LONGEST_PHRASE_S, _parted, find_features, letters_of, refine_edges
from dubbin.core.speech.word_table import WordTable
from dubbin.demo.recordings import FOLDER, clean_lines, script
from tests.conftest import RATE, noise


def lines_of(voice: str, count: int) -> list[int]:
    return [k for k, line in enumerate(script()["lines"]) if line["voice"] == voice and not line.get("laugh")][:count]


def joined_lines(numbers: list[int], gap_s: float = 0.8) -> tuple[np.ndarray, list[tuple[str, float, float, str]]]:
    """Clean lines one after the other over faint noise: the sound, and (text, start_s, end_s, voice) of every word."""
    sounds, table = clean_lines(), json.loads((FOLDER / "speech" / "words.json").read_text())
    parts, words, at = [np.zeros(RATE // 2)], [], 0.5
    for k in numbers:
        words += [(w["text"], at + w["start_s"], at + w["end_s"], script()["lines"][k]["voice"]) for w in table[k]["words"]]
        parts += [sounds[k], np.zeros(round(gap_s * RATE))]
        at += len(sounds[k]) / RATE + round(gap_s * RATE) / RATE
    x = np.concatenate(parts)
    return (x + noise(len(x) / RATE + 1, -62, 8)[: len(x)]).astype(np.float32), words


@pytest.fixture(scope="module")
def ines():
    x, words = joined_lines(lines_of("ines", 9))
    source = Sound(x[None], RATE)
    return source, words, find_activity(source), find_voicing(source)


def w(text: str, start_s: float, end_s: float | None = None, kind=WordKind.WORD, speaker: int = 0) -> Word:
    return Word(text, round(start_s * RATE), round((start_s + 0.3 if end_s is None else end_s) * RATE), kind, 1.0, speaker)


def said(text: str, start_s: float = 0.0, each_s: float = 0.35) -> list[Word]:
    return [w(t, start_s + k * each_s, start_s + k * each_s + 0.3) for k, t in enumerate(text.split())]


# -- recognising --------------------------------------------------------------------------


def test_pages_hold_what_is_said_and_never_more_than_the_model_hears():
    rng = np.random.default_rng(0)
    marks = np.repeat(rng.random(400) < 0.5, 50)
    pages = pages_of(marks, len(marks) / 100)
    assert all(p[-1].at_s + p[-1].end_s - p[-1].start_s <= 27.5 for p in pages)
    covered = np.zeros(len(marks), bool)
    for page in pages:
        for piece in page:
            covered[round(piece.start_s * 100) : round(piece.end_s * 100)] = True
    assert not (marks & ~covered).any()


def test_a_recording_becomes_words_and_broken_off_work_goes_on(ines, tmp_path, monkeypatch):
    source, words, activity, _ = ines
    model, notes = recogniser(built_in_model()), tmp_path / "notes.jsonl"
    heard = transcribe(source, "lane", activity, activity.audible, model, keep=notes)
    got = [plain(x.text) for x in heard.transcript.words if x.kind is WordKind.WORD]
    wanted = {plain(t) for t, *_ in words}
    assert sum(t in wanted for t in got) > 0.8 * len(got) and len(got) > 0.85 * len(words)
    assert heard.transcript.language == "en"
    whole = notes.read_text()
    notes.write_text(whole[: len(whole) - 20])  # torn off in the last page
    calls = []
    real = Recogniser.hear
    monkeypatch.setattr(Recogniser, "hear", lambda self, x, *rest: calls.append(1) or real(self, x, *rest))
    again, _ = recognise(source, activity.audible, model, keep=notes)
    assert len(calls) == 1 and len(again) > 0.8 * len(words)


# -- edges --------------------------------------------------------------------------------


def test_edges_are_found_to_within_some_hundredths(ines):
    source, words, activity, _ = ines
    rng = np.random.default_rng(3)
    late = [HeardWord(t, a + 0.07 + rng.normal(0, 0.07), b + 0.09 + rng.normal(0, 0.07), 0.9) for t, a, b, _ in words]
    found = refine_edges(late, find_features(source), activity, measure_echo(source).rt60_s)
    start = np.array([f.start_s - a for f, (_, a, _, _) in zip(found, words, strict=True)])
    end = np.array([f.end_s - b for f, (_, _, b, _) in zip(found, words, strict=True)])
    assert np.mean(np.abs(start)) < 0.05 and np.mean(np.abs(end)) < 0.05
    assert np.mean(np.abs(start)) < 0.6 * np.mean([abs(f.start_s - a) for f, (_, a, _, _) in zip(late, words, strict=True)])
    assert all(x.end_s <= y.start_s + 1e-9 for x, y in pairwise(found))


@given(st.lists(st.tuples(st.floats(0.05, 1.5), st.floats(0.0, 0.59)), min_size=1, max_size=400))
def test_speech_without_a_pause_is_parted_where_words_stand_furthest_apart(lengths):
    words, at = [], 0.0
    for length, gap in lengths:
        words.append(HeardWord("so", at, at + length, 1.0))
        at += length + gap
    parts = _parted(range(len(words)), words)
    assert [k for part in parts for k in part] == list(range(len(words)))
    assert all(words[p[-1]].end_s - words[p[0]].start_s <= LONGEST_PHRASE_S for p in parts)
    gaps = [b.start_s - a.end_s for a, b in pairwise(words)]
    if len(parts) == 2:
        middle = gaps[max(len(words) // 4, 1) - 1 : 3 * len(words) // 4 - 1]
        assert gaps[parts[1][0] - 1] == pytest.approx(max(middle))


def test_minutes_of_words_without_a_pause_are_put_to_their_sound():
    """As after somebody has cut all pauses: four bursts a second, each a word."""
    rng, count = np.random.default_rng(0), 600
    each = RATE // 4
    burst = np.zeros(each, np.float32)
    burst[each // 5 :] = 0.1
    x = (np.tile(burst, count) * rng.standard_normal(count * each)).astype(np.float32)
    source = Sound(x[None], RATE)
    heard = [HeardWord("sa", k / 4 + 0.12, k / 4 + 0.2, 1.0) for k in range(count)]
    found = refine_edges(heard, find_features(source), find_activity(source))
    starts = np.array([w.start_s for w in found]) - np.arange(count) / 4
    assert np.median(np.abs(starts - 0.05)) < 0.03 and np.quantile(np.abs(starts - 0.05), 0.95) < 0.06


def test_letters_stand_for_sounds():
    assert letters_of("Thing") == "TiN" and letters_of("shape") == "Sap" and letters_of("bell") == "bel"
    assert letters_of("11").count("*") >= 3 and set(letters_of("—")) == {"*"}


# -- who ----------------------------------------------------------------------------------


def test_bleed_belongs_to_the_other_microphone():
    x, words = joined_lines(list(range(3, 12)))
    own = {v: np.zeros(len(x), np.float32) for v in ("ines", "tobias")}
    for _, a, b, voice in words:
        own[voice][round((a - 0.05) * RATE) : round((b + 0.05) * RATE)] = x[round((a - 0.05) * RATE) : round((b + 0.05) * RATE)]
    mics = [own["ines"] + 0.06 * own["tobias"], 3.0 * own["tobias"] + 0.15 * own["ines"]]
    activities = [(0.0, find_activity(Sound((m + noise(len(m) / RATE + 1, -64, k)[: len(m)])[None], RATE))) for k, m in enumerate(mics)]
    marks = own_speech(activities)
    for k, voice in enumerate(("ines", "tobias")):
        theirs = np.zeros(len(marks[k]), bool)
        for _, a, b, v in words:
            if v != voice:
                theirs[round(a * 100) : round(b * 100)] = True
        assert (marks[k] & theirs).sum() < 0.03 * theirs.sum()
    assert crosstalk(marks, [0.0, 0.0]) == []


def test_two_who_speak_at_once_are_found():
    x, _ = joined_lines(lines_of("ines", 4))
    y, _ = joined_lines(lines_of("tobias", 4))
    size = min(len(x), len(y))
    lead = 4 * RATE
    first = np.concatenate([x[:size], np.zeros(lead)])
    second = np.concatenate([np.zeros(lead), y[:size]])
    mics = [first + 0.05 * second, second + 0.05 * first]
    activities = [
        (0.0, find_activity(Sound((m + noise(len(m) / RATE + 1, -64, k)[: len(m)]).astype(np.float32)[None], RATE)))
        for k, m in enumerate(mics)
    ]
    found = crosstalk(own_speech(activities), [0.0, 0.0])
    assert found and all(c.start_s > 3.9 and c.end_s < size / RATE + 0.3 for c in found)
    assert sum(c.end_s - c.start_s for c in found) > 3.0


# -- fillers, retakes ---------------------------------------------------------------------


def test_a_filler_that_nobody_wrote_down_is_heard(ines):
    _, words, activity, voicing = ines
    kept = [w(t, a, b) for t, a, b, _ in words if not is_filler_text(t)]
    missing = [(a, b) for t, a, b, _ in words if is_filler_text(t)]
    found = [x for x in add_unheard(kept, activity.audible, activity, voicing, RATE) if x.kind is WordKind.FILLER]
    german = [x for x in add_unheard(kept, activity.audible, activity, voicing, RATE, language="de") if x.kind is WordKind.FILLER]
    assert [{"um": "ähm", "uh": "äh"}[x.text] for x in found] == [x.text for x in german], "written as the language writes it"
    hits = [any(f.start_frame / RATE < b and f.end_frame / RATE > a for f in found) for a, b in missing]
    assert missing and all(hits) and len(found) <= len(missing) + 1


def test_a_hesitation_stands_beside_a_word_and_a_vowel_alone_is_not_taken_for_one(ines):
    _, words, activity, voicing = ines
    start, end = next((a, b) for t, a, b, _ in words if is_filler_text(t))
    own = np.zeros_like(activity.audible)
    own[round((start - 0.1) * 100) : round((end + 0.1) * 100)] = activity.audible[round((start - 0.1) * 100) : round((end + 0.1) * 100)]

    def kinds(*kept: Word) -> list[WordKind]:
        return [x.kind for x in add_unheard(kept, own, activity, voicing, RATE) if x not in kept]

    assert kinds(w("and", start - 0.45, start - 0.15)) == [WordKind.FILLER] == kinds(w("we", end + 0.2, end + 0.4))
    (alone,) = add_unheard([], own, activity, voicing, RATE)
    assert alone.kind is WordKind.SOUND and alone.text == NOT_UNDERSTOOD, "it is shown, and no automatic cut takes it"
    assert kinds(w("far", end + 2.0, end + 2.4)) == [WordKind.SOUND]


def test_in_a_word_that_nobody_is_sure_of_no_hesitation_is_hidden(ines, monkeypatch):
    _, words, activity, voicing = ines
    for name in ("_steady", "spoken_freshly"):
        monkeypatch.setattr(fillers, name, lambda *_: np.ones(len(voicing.mel), np.bool_))
    start, end = next((a, b) for t, a, b, _ in words if is_filler_text(t))

    def hidden(confidence: float) -> list[Word]:
        drawn = Word("we", round((start - 0.35) * RATE), round(end * RATE), confidence=confidence)
        usual = [w("word", k * 0.5, k * 0.5 + 0.3) for k in range(8)]
        return [
            x
            for x in add_unheard([*usual, drawn], np.zeros_like(activity.audible), activity, voicing, RATE)
            if x.text != "word" and x.text != "we"
        ]

    assert [x.kind for x in hidden(0.9)] == [WordKind.FILLER]
    assert [(x.kind, x.text) for x in hidden(0.3)] == [(WordKind.SOUND, NOT_UNDERSTOOD)]


@pytest.mark.parametrize("block", [7, 450])
def test_an_hour_is_looked_at_in_blocks_and_nothing_of_it_lies_in_a_gap(ines, monkeypatch, block):
    _, words, activity, voicing = ines
    kept = [w(t, a, b) for t, a, b, _ in words if not is_filler_text(t)]
    whole = add_unheard(kept, activity.audible, activity, voicing, RATE)
    monkeypatch.setattr(by_blocks, "BLOCK", block)
    assert add_unheard(kept, activity.audible, activity, voicing, RATE) == whole


def test_fillers_and_laughter_are_known_by_their_text():
    kinds = [
        (x.text, x.kind) for x in mark_kinds([w("Um,", 0), w("well", 1), w("ha", 2), w("ha!", 3), w("Uh-huh-huh", 5), w("Uh-huh.", 7)])
    ]
    assert kinds == [("Um", WordKind.FILLER), ("well", WordKind.WORD), ("laugh", WordKind.SOUND), ("Uh-huh.", WordKind.WORD)]


@pytest.mark.parametrize("text,takes", [
    ("today um today we talk", ["today", "today"]),
    ("what was, what was the matter", ["what was,", "what was"]),
    ("it was very very cold", None),
    ("No. No. Nothing.", None),
])  # fmt: skip
def test_stumbles_are_words_said_again_at_once(text, takes):
    words = mark_kinds(said(text))
    found = find_retakes(words, RATE)
    assert [[t.text for t in r.takes] for r in found] == ([takes] if takes else [])


def test_a_line_said_again_is_a_retake_and_an_answer_is_not():
    a = said("My guest has spent the last three years in a foundry at the end")
    b = said("My guest has spent the last three years in a foundry on the north side.", 8.0)
    c = said("Thank you for the bell and the story.", 20.0)
    d = said("To bias, what was actually the matter with it?", 40.0)
    e = said("Tobias, what was actually the matter?", 33.0)
    found = find_retakes(sorted([*a, *b, *c, *d, *e], key=lambda x: x.start_frame), RATE)
    assert [[t.start_frame // RATE for t in r.takes] for r in found] == [[0, 8], [33, 40]]
    assert find_retakes([*a, *said(" ".join(x.text for x in b), 90.0)], RATE) == []  # more than a minute later


@pytest.mark.parametrize(("count", "takes"), [(MOST_WORDS, 1), (MOST_WORDS + 1, 0)])
def test_minutes_that_are_read_without_a_pause_or_a_full_stop_are_no_line(count, takes):
    """As in a text that somebody imported without any: to compare each stretch with the next would take longer than to hear it."""
    text = " ".join("".join(chr(97 + (k * step) % 26) for step in (1, 3, 7, 11, 15)) + "xyz"[k % 3] for k in range(count))
    once = said(text, each_s=0.35)
    assert len(find_retakes([*once, *said(text, once[-1].end_frame / RATE + 2.0)], RATE)) == takes


@pytest.mark.parametrize("first,second,again", [
    ("We went to the mill and saw the", "We went to the mill and saw the wheel turn.", True),
    ("We went to the mill and then we sort of", "We went to the mill and saw the wheel turn.", True),  # broken off in other words
    ("We went to the mill and saw the wheel turn.", "We went to the mill and saw the wheel turn.", True),
    ("Tobias, what was the matter?", "To bias, what was the matter with it?", True),  # one word, heard as two
    ("We went to the mill and saw the wheel turn.", "We went to the mill.", False),  # the later one says less
    ("For the harbour take line number two.", "For the foundry take line number three.", False),
    ("We live at station fifteen since then.", "We live at station sixteen since then.", False),
    ("We went to the mill on Monday morning.", "We went to the mill on Friday morning.", True),
    ("Thank you for the story.", "Thank you for the bell and the cake.", False),
    ("It rained.", "It rained.", False),  # too short to be said again, and often said
])  # fmt: skip
def test_a_take_goes_only_when_all_that_it_says_is_said_again(first, second, again):
    found = find_retakes([*said(first), *said(second, 9.0)], RATE)
    assert [[t.start_frame // RATE for t in r.takes] for r in found] == ([[0, 9]] if again else [])


def test_a_word_that_was_hardly_understood_does_not_speak_against_a_retake():
    first, second = said("We went to the mill and saw the wheel turn."), said("We went to the inn and saw the wheel turn.", 9.0)
    unsure = [replace(x, confidence=0.3) if x.text == "mill" else x for x in first]
    assert find_retakes([*unsure, *second], RATE) and not find_retakes([*first, *second], RATE)


def test_a_phrase_that_is_said_in_many_ways_is_no_retake():
    """Each tells something of its own, however much they have in common."""
    numbers = ["two", "three", "five", "eight"]
    talk = [x for k, n in enumerate(numbers) for x in said(f"You have reached the desk of station one zero {n}.", 6.0 * k)]
    assert not find_retakes(talk, RATE)


def test_who_says_a_line_again_does_so_soon():
    line = "We went to the mill and saw the wheel turn."
    between = ["It was early in the year.", "Nobody had been there for long.", "The river stood high."]
    assert find_retakes([*said(line), *said(line, 22.0)], RATE)
    assert not find_retakes([*said(line), *said(line, 26.0)], RATE)
    talk = [x for k, text in enumerate(between) for x in said(text, 5.0 + 4.0 * k)]
    assert not find_retakes([*said(line), *talk, *said(line, 18.0)], RATE)
    assert find_retakes([*said(line), *said(between[0], 5.0), *said(line, 9.0)], RATE)


def test_a_retake_that_was_misheard_is_found_by_its_sound():
    number = lines_of("ines", 6)[-1]
    x, words = joined_lines([number, number, *lines_of("ines", 5)], 1.0)
    source = Sound(x[None], RATE)
    half = len(words) and next(k for k, item in enumerate(words) if k and item[0] == words[0][0])
    voicing = find_voicing(source).kept()
    heard = [w("wrong" if k < half and k % 2 else t, a, b) for k, (t, a, b, _) in enumerate(words)]
    found = find_retakes(heard, RATE, voicing)
    assert any(len(r.takes) == 2 and r.by_sound and r.takes[0].start_frame < RATE for r in found)


# -- transcripts from elsewhere -----------------------------------------------------------


def test_captions_and_text_are_read_and_nonsense_is_refused(tmp_path):
    srt = tmp_path / "a.srt"
    srt.write_text(
        "1\n00:00:01,000 --> 00:00:03,500\nInes: Welcome <i>aboard</i>!\n\n2\n00:00:04,000 --> 00:00:05,000\nthe ferry [laughs]\n"
    )
    assert [(x.text, x.start_s, x.speaker) for x in read_text(srt)] == [
        ("Welcome", 1.0, "Ines"), ("aboard!", 1.0, "Ines"), ("the", 4.0, ""), ("ferry", 4.0, ""),
    ]  # fmt: skip
    txt = tmp_path / "a.txt"
    txt.write_text("Tobias: Good morning.\n")
    assert [(x.text, x.speaker) for x in read_text(txt)] == [("Good", "Tobias"), ("morning.", "Tobias")]
    for name, data in (("b.txt", b""), ("c.txt", bytes(range(256)) * 20)):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(DubbinError):
            read_text(tmp_path / name)


def test_a_text_takes_the_times_of_what_was_heard():
    heard = [HeardWord("the", 1.0, 1.2, 1), HeardWord("bells", 1.3, 1.8, 1), HeardWord("rang", 2.6, 3.0, 1)]
    found = align_text([TextWord(t) for t in ["the", "old", "bell", "rang", "out"]], heard, 5.0)
    assert [f.text for f in found] == ["the", "old", "bell", "rang", "out"]
    assert (found[0].start_s, found[3].start_s) == (1.0, 2.6)
    assert all(a.end_s <= b.start_s + 1e-9 for a, b in pairwise(found)) and found[-1].end_s <= 5.0


def test_chapters_begin_where_the_subject_changes():
    bells = "the bell hung from the crane and the founder poured bronze into the mould while the bell cooled. " * 8
    ferry = "passengers board the ferry at the harbour because the captain sails across the river every morning. " * 8
    words = said(bells, 0.0)
    start = words[-1].end_frame / RATE + 2.0
    ideas = suggest_chapters([*words, *said(ferry, start)], RATE)
    assert len(ideas) == 2 and abs(ideas[1].frame / RATE - start) < 8.0
    assert any(t in ideas[1].title.lower() for t in ("ferry", "passengers", "captain", "harbour", "river"))


@given(
    said=st.lists(st.tuples(st.sampled_from(["a", "ab", "Ab,", "b", "—"]), st.sampled_from(["l", "m"]), st.booleans()), max_size=14),
    wanted=st.lists(st.sampled_from(["a", "ab", "b", "—", "abc"]), max_size=3),
)
def test_what_the_table_finds_is_what_stands_there_word_by_word(said, wanted):
    spoken = {lane: tuple(w(text, k) for k, (text, who, sound) in enumerate(said) if who == lane) for lane in ("l", "m")}
    kinds = {lane: [sound for _, who, sound in said if who == lane] for lane in spoken}
    marked = {
        x: tuple(replace(word, kind=WordKind.SOUND) if s else word for word, s in zip(spoken[x], kinds[x], strict=True)) for x in spoken
    }
    table = WordTable([(Transcript(lane, words), 0, lane) for lane, words in marked.items()])
    texts, out = [plain(t) for t in wanted if plain(t)], []
    for lane in spoken:
        rows = [r for r in range(len(table)) if table.voice(r).lane == lane and not table.is_sound[r]]
        for k in range(len(rows) - len(texts) + 1):
            here = [plain(table.texts[r]) for r in rows[k : k + len(texts)]]
            if texts and here[:-1] == texts[:-1] and here[-1].startswith(texts[-1]):
                out.append((rows[k], rows[k + len(texts) - 1] + 1))
    assert table.find(" ".join(wanted)) == sorted(out)


def test_the_table_finds_words_in_a_row_of_one_voice():
    a = Transcript("l", (w("Good", 1), w("morning,", 1.4), w("Ines.", 1.8)))
    b = Transcript("m", (w("Good", 1.2), w("bye", 1.6)))
    table = WordTable([(a, 0, "Ines"), (b, RATE * 2, "Tobias")])
    assert [table.voice(r).name for r in range(len(table))] == ["Ines"] * 3 + ["Tobias"] * 2
    assert [table.words[x].text for x, _ in table.find("good")] == ["Good", "Good"]
    assert table.find("good mor") == [(0, 2)] and table.find("morning bye") == []
    assert table.row_at(round(1.5 * RATE)) == 1 and table.neighbours([1]) == (round(1.3 * RATE), round(1.8 * RATE))
