"""Pages through the recogniser: what it left unfinished is heard on another page, finished pages are noted, and pages side by side are as each alone."""

from __future__ import annotations

import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from dubbin.core.errors import DubbinError
from dubbin.core.sound.source import Sound
from dubbin.core.speech import recogniser as recognising
from dubbin.core.speech.decoding import MODEL_RATE, Decoder, Heard, HeardWord
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import PAGES_AT_ONCE, PROBED_PAGES, LanguageNotKnown, _groups, pages_of, recognise
from tests.conftest import RATE

LOUD_S = 0.5  # of sound, after which comes as much silence


class Model:
    """Hears a word in every burst of sound, and only the first `patience_s` of a window."""

    is_multilingual = False

    def __init__(self, patience_s: float = 60.0) -> None:
        self.patience_s, self.windows, self.at_once = patience_s, [], []
        self._lock = threading.Lock()

    def language_of(self, x):
        return "en", 1.0

    def hear(self, windows, language, terms=()):
        with self._lock:
            self.at_once.append(len(windows))
            self.windows += [len(x) / MODEL_RATE for x in windows]
        return [self._heard(x) for x in windows]

    def _heard(self, x):
        seconds = len(x) / MODEL_RATE
        until = min(seconds, self.patience_s)
        loud = np.abs(x) > 0.1
        starts = (
            np.flatnonzero(np.diff(np.concatenate([[0], loud.reshape(-1, 160)[: len(loud) // 160].any(axis=1).astype(int)])) == 1) / 100
        )
        found = tuple(HeardWord("word", float(a), float(a) + 0.4, 0.9) for a in starts if a + 0.4 <= until)
        return Heard(found, until)


@pytest.fixture(scope="module")
def bursts():
    """Ninety seconds of bursts of sound, a second apart, and marks of them."""
    count = 90
    x = np.zeros((count, 2, int(LOUD_S * RATE)), np.float32)
    x[:, 0] = 0.4 * np.sin(np.arange(int(LOUD_S * RATE)) * 0.05)
    marks = np.zeros((count, 2, int(LOUD_S * 100)), bool)
    marks[:, 0] = True
    return Sound(x.reshape(1, -1), RATE), marks.reshape(-1)


def starts(words):
    return np.array([w.start_s for w in words])


def test_every_burst_is_a_word_at_its_own_place(bursts):
    source, marks = bursts
    model = Model()
    words, language = recognise(source, marks, model)
    assert language == "en" and len(words) == 90
    assert np.abs(starts(words) - np.arange(90)).max() < 0.05
    assert max(model.at_once) == PAGES_AT_ONCE


@pytest.mark.parametrize("cores", [1, 2, 3, 4])
@pytest.mark.parametrize("count", [*range(14), 60])
def test_pages_are_heard_in_groups_that_keep_every_core_at_work(monkeypatch, cores, count):
    monkeypatch.setattr(recognising, "CORES", cores)
    groups = _groups(range(count))
    assert [k for group in groups for k in group] == list(range(count))
    assert all(1 <= len(group) <= PAGES_AT_ONCE for group in groups)
    assert len(groups) % cores == 0 or len(groups) == count, "no core is left without a group"


def test_what_a_window_left_unfinished_is_heard_on_another_page(bursts):
    source, marks = bursts
    model = Model(patience_s=21.0)
    words, _ = recognise(source, marks, model)
    assert len(words) == 90 and np.abs(starts(words) - np.arange(90)).max() < 0.05
    pages = len(pages_of(marks, source.frames / source.rate))
    assert pages < len(model.windows) < 2 * pages, "the rests of several pages are on one"


def test_a_model_that_never_finishes_is_asked_a_few_times_only(bursts):
    source, marks = bursts
    model = Model(patience_s=0.0)
    words, _ = recognise(source, marks, model)
    assert words == [] and len(model.windows) <= 4 * len(pages_of(marks, source.frames / source.rate))


def test_a_short_rest_is_not_worth_a_window(bursts):
    source, marks = bursts
    short = marks.copy()
    short[20 * 100 :] = False
    short[20 * 100 : 20 * 100 + 20] = True  # 0.2 s, which may be the end of the word before
    model = Model(patience_s=20.3)
    recognise(source, short, model)
    assert len(model.windows) == 1


def test_finished_pages_are_noted_and_a_torn_note_is_heard_again(bursts, tmp_path):
    source, marks = bursts
    notes = tmp_path / "deep" / "notes.jsonl"
    first, _ = recognise(source, marks, Model(), keep=notes)
    lines = notes.read_text().splitlines()
    assert len(lines) == len(pages_of(marks, source.frames / source.rate)) and all(json.loads(line)["until"] > 0 for line in lines)
    again = Model()
    assert recognise(source, marks, again, keep=notes)[0] == first and again.windows == []
    notes.write_text(notes.read_text()[:-30])
    torn = Model()
    assert len(recognise(source, marks, torn, keep=notes)[0]) == 90 and len(torn.windows) == 1


def test_notes_of_other_pages_are_not_used(bursts, tmp_path):
    source, marks = bursts
    recognise(source, marks, Model(), keep=tmp_path / "notes.jsonl")
    moved, model = np.roll(marks, 30), Model()
    recognise(source, moved, model, keep=tmp_path / "notes.jsonl")
    assert model.windows


def test_nothing_said_asks_nothing():
    model = Model()
    assert recognise(Sound(np.zeros((1, RATE), np.float32), RATE), np.zeros(100, bool), model) == ([], "en") and not model.windows


def test_a_damaged_model_is_said_in_a_sentence(tmp_path):
    for name in ("config.json", "model.bin", "tokenizer.json"):
        (tmp_path / name).write_bytes(b"{}")
    with pytest.raises(DubbinError, match=r"can't be used: .*\.$"):
        Decoder(tmp_path)


def test_windows_side_by_side_are_written_as_each_alone(speech):
    decoder = Decoder(built_in_model())
    y = speech[::3].astype(np.float32)
    windows = [y[: 4 * MODEL_RATE], np.zeros(MODEL_RATE, np.float32), y[5 * MODEL_RATE : 7 * MODEL_RATE]]
    together = decoder.hear(windows, "en")
    assert [decoder.hear([x], "en")[0] for x in windows] == together
    assert len(together[0].words) > 5 and all(w.end_s <= 4.1 for w in together[0].words)
    assert 0 < together[0].until_s <= 4.0


@pytest.fixture(scope="module")
def many_bursts(bursts):
    """Four and a half minutes of them, and marks."""
    source, marks = bursts
    x = np.tile(source.read(0, source.frames), 3)
    return Sound(x, RATE), np.tile(marks, 3)


def test_a_few_pages_from_the_first_to_the_last_tell_whether_the_language_is_known(many_bursts):
    source, marks = many_bursts
    model, asked = Model(), []

    def is_known(words, said):
        asked.append((starts(words), said))
        return False

    with pytest.raises(LanguageNotKnown):
        recognise(source, marks, model, is_known=is_known)
    (heard, said), *others = asked
    assert not others and len(model.windows) == PROBED_PAGES
    assert heard.min() < 5 and heard.max() > 265 and len(heard) < 150
    assert np.count_nonzero(said) == pytest.approx(len(heard) * LOUD_S * 100, rel=0.02) and not (said & ~marks).any()


def test_pages_that_were_heard_first_are_not_heard_again(many_bursts):
    source, marks = many_bursts
    plain, probed = Model(), Model()
    words, _ = recognise(source, marks, plain)
    assert recognise(source, marks, probed, is_known=lambda words, said: True)[0] == words
    assert len(plain.windows) == len(probed.windows) == len(pages_of(marks, source.frames / source.rate))


def test_a_model_is_loaded_once_however_many_ask_at_the_same_time(monkeypatch, tmp_path):
    loaded = []

    class Slow:
        def __init__(self, folder):
            time.sleep(0.05)
            loaded.append(folder)

    monkeypatch.setattr(recognising, "Recogniser", Slow)
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(lambda _: recognising.recogniser(tmp_path), range(4)))
    recognising.release()
    assert loaded == [tmp_path] and len({id(f) for f in found}) == 1
