"""Words that are selected by reading: all of them goes, and nothing of what stands beside them."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.episode.model import Cut, CutKind
from dubbin.core.mix.word_cuts import CLIP_MARGIN_S, clip_around, reading_cuts
from dubbin.core.sound.source import Sound
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.speech.word_table import WordTable
from tests.conftest import RATE, at_length, noise


@pytest.fixture(scope="module")
def conversation(demo_folder):
    """The demo's two microphones mixed, and the words that were said: (mix, {voice: [(text, start, end)]}), frames."""
    truth = json.loads((demo_folder / "truth.json").read_text())
    said: dict[str, list[tuple[str, int, int]]] = {}
    for w in truth["words"]:
        said.setdefault(w["voice"], []).append((w["text"], round(w["start_s"] * RATE), round(w["end_s"] * RATE)))
    parts = [sf.read(path, dtype="float32", always_2d=True)[0][:, 0] for voice in said for path in demo_folder.glob(f"{voice}*.wav")]
    assert len(parts) == len(said) == 2
    mix = np.zeros(max(map(len, parts)), np.float32)
    for part in parts:
        mix[: len(part)] += part
    return Sound(mix[None], RATE), said


def heard_as(said: dict[str, list[tuple[str, int, int]]], spread_s: float, seed: int) -> WordTable:
    """The words with the edges that a recogniser would give them: wrong by some hundredths."""
    rng, transcripts = np.random.default_rng(seed), []
    for voice, words in said.items():
        out: list[Word] = []
        for text, start, end in words:
            a, b = (round(f + rng.normal(0.0, spread_s) * RATE) for f in (start, end))
            a = max(a, out[-1].end_frame if out else 0)
            out.append(Word(text, a, max(b, a + RATE // 50)))
        transcripts.append((Transcript(voice, tuple(out)), 0, voice))
    return WordTable(transcripts)


def sentences(table: WordTable) -> list[list[int]]:
    """Every sentence of either voice, with all that stands between its words on the page."""
    order = np.argsort(table.middles, kind="stable").tolist()
    place = {row: k for k, row in enumerate(order)}
    out = []
    for voice in range(len(table.voices)):
        open_rows: list[int] = []
        for row in np.flatnonzero(table.voice_of == voice).tolist():
            open_rows.append(row)
            if table.ends_sentence[row]:
                a, b = min(place[r] for r in open_rows), max(place[r] for r in open_rows)
                out.append(order[a : b + 1])
                open_rows = []
    return out


@pytest.mark.parametrize(("spread_s", "most_s"), [(0.0, 0.016), (0.04, 0.05), *at_length((0.02, 0.025))])
def test_a_sentence_goes_as_a_whole_and_nothing_of_its_neighbours(conversation, spread_s, most_s):
    mix, said = conversation
    table = heard_as(said, spread_s, 5)
    all_sentences = sentences(table)
    assert len(all_sentences) > 60
    for rows in all_sentences:
        cuts = reading_cuts(table, mix, RATE, rows)
        assert len(cuts) == 1, "in pieces"
        gone = np.zeros(mix.frames, np.bool_)
        gone[slice(*cuts[0])] = True
        chosen = {(table.voice(r).lane, int(table.numbers[r])) for r in rows}
        spoken_over = np.zeros(mix.frames, np.bool_)
        for voice, words in said.items():
            for number, (text, a, b) in enumerate(words):
                if (voice, number) not in chosen:
                    assert np.count_nonzero(gone[a:b]) < most_s * RATE, f"{text} was eaten"
                    spoken_over[a:b] = True
        for voice, number in chosen:
            text, a, b = said[voice][number]
            assert np.count_nonzero(~gone[a:b] & ~spoken_over[a:b]) < most_s * RATE, f"of {text} something stayed"


def scene(*items: tuple[str, float, float, WordKind]) -> tuple[WordTable, Sound]:
    """A second of a tone for every item, from start to end in seconds, over a little noise."""
    x = noise(8, -75, 3)
    n = np.arange(len(x))
    for _, a, b, _ in items:
        where = slice(round(a * RATE), round(b * RATE))
        x[where] += 0.2 * np.sin(2 * np.pi * 180 * n[where] / RATE).astype(np.float32)
    words = tuple(Word(text, round(a * RATE), round(b * RATE), kind) for text, a, b, kind in items)
    return WordTable([(Transcript("l", words), 0, "Ines")]), Sound(x[None], RATE)


WORD, SOUND = WordKind.WORD, WordKind.SOUND


def test_a_click_between_words_is_not_read_and_does_not_split_the_cut():
    table, mix = scene(("so", 1.0, 1.3, WORD), ("click", 1.4, 1.41, SOUND), ("it", 1.5, 1.8, WORD), ("was.", 2.5, 2.9, WORD))
    assert [table.texts[r] for r in range(len(table)) if not table.is_read[r]] == ["click"]
    ((a, b),) = reading_cuts(table, mix, RATE, [0, 2])
    assert a <= 1.0 * RATE and 1.8 * RATE <= b <= 2.5 * RATE


@pytest.mark.parametrize("sound", ["laugh", "breath", "cough"])
def test_a_sound_beside_the_words_that_was_not_selected_is_left_whole(sound):
    table, mix = scene(("no", 1.0, 1.4, WORD), (sound, 1.5, 2.2, SOUND), ("yes", 2.4, 2.8, WORD))
    ((a, b),) = reading_cuts(table, mix, RATE, [0])
    assert a <= 1.0 * RATE and 1.4 * RATE <= b <= 1.5 * RATE
    ((a, b),) = reading_cuts(table, mix, RATE, [2])
    assert 2.2 * RATE <= a <= 2.4 * RATE
    ((a, b),) = reading_cuts(table, mix, RATE, [0, 1])
    assert a <= 1.0 * RATE and 2.2 * RATE <= b <= 2.4 * RATE


def test_words_with_something_heard_between_them_are_cut_apart():
    table, mix = scene(("one", 1.0, 1.3, WORD), ("two", 1.6, 1.9, WORD), ("three", 2.2, 2.5, WORD))
    (a, b), (c, d) = reading_cuts(table, mix, RATE, [2, 0])
    assert b <= 1.6 * RATE and c >= 1.9 * RATE and a <= RATE and d >= 2.5 * RATE


def test_no_scrap_stays_between_two_cuts_and_a_heard_word_between_them_does():
    table, mix = scene(("one", 1.0, 1.3, WORD), ("two", 1.6, 1.9, WORD), ("three", 2.2, 2.5, WORD))
    ((_, b),) = reading_cuts(table, mix, RATE, [0])
    first = Cut(RATE - 2000, b, CutKind.HAND)
    ((c, _),) = reading_cuts(table, mix, RATE, [1], [first])
    assert c == b
    ((d, _),) = reading_cuts(table, mix, RATE, [2], [first])
    assert d >= 1.9 * RATE
    ((_, e),) = reading_cuts(table, mix, RATE, [0], [Cut(round(1.5 * RATE), 2 * RATE, CutKind.FILLER)])
    assert 1.5 * RATE <= e <= 2.2 * RATE


def test_a_final_s_that_sounds_on_after_its_words_end_goes_with_the_word():
    table, mix = scene(("things", 1.0, 1.3, WORD), ("go", 1.9, 2.2, WORD))
    hiss = noise(8, -38, 4)
    mix.samples[0, round(1.3 * RATE) : round(1.43 * RATE)] += np.diff(hiss, prepend=0.0)[round(1.3 * RATE) : round(1.43 * RATE)]
    ((_, end),) = reading_cuts(table, mix, RATE, [0])
    assert 1.43 * RATE <= end <= 1.9 * RATE
    ((start, _),) = reading_cuts(table, mix, RATE, [1])
    assert 1.43 * RATE <= start <= 1.9 * RATE, "the s of the word that stays is kept"


@pytest.mark.parametrize("spread_s", [0.0, 0.03])
def test_a_clip_of_a_sentence_holds_all_of_it_and_no_other_word(conversation, spread_s):
    mix, said = conversation
    table = heard_as(said, spread_s, 9)
    for rows in sentences(table):
        a, b = clip_around(table, mix, RATE, rows)
        chosen = {(table.voice(r).lane, int(table.numbers[r])) for r in rows}
        spans = {key: said[key[0]][key[1]] for key in chosen}
        first, last = min(s for _, s, _ in spans.values()), max(e for _, _, e in spans.values())
        assert a <= first + 0.03 * RATE and b >= last - 0.03 * RATE, spans
        for voice, words in said.items():
            for number, (text, c, d) in enumerate(words):
                if (voice, number) not in chosen and (d <= first or c >= last):
                    assert min(b, d) - max(a, c) < 0.07 * RATE, f"{text} is in the clip"


def test_a_clip_leaves_a_margin_where_there_is_room_and_stops_at_the_next_word():
    table, mix = scene(("one", 1.0, 1.3, WORD), ("two", 1.4, 1.7, WORD), ("three", 3.0, 3.3, WORD))
    a, b = clip_around(table, mix, RATE, [1])
    assert 1.3 * RATE <= a <= 1.4 * RATE and b == pytest.approx((1.7 + CLIP_MARGIN_S) * RATE, abs=500)
    a, b = clip_around(table, mix, RATE, [2])
    assert a == pytest.approx((3.0 - CLIP_MARGIN_S) * RATE, abs=500) and b == pytest.approx((3.3 + CLIP_MARGIN_S) * RATE, abs=500)
