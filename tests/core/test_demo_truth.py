"""The demo's truth is true: rooms ring as long as they say, words lie where they are heard."""

from __future__ import annotations

import json

import numpy as np
import pytest

from dubbin.demo.recordings import RATE, clean_lines, heard_until_s, script
from dubbin.demo.room import room_response
from tests.conftest import rms_db


@pytest.mark.parametrize("rt60", [0.25, 0.45, 0.7])
def test_a_room_rings_as_long_as_it_says(rt60):
    h = room_response(RATE, rt60, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.9, 2.4, 1.0), 3)
    energy = np.cumsum(h[::-1] ** 2)[::-1]
    decay = 10 * np.log10(energy / energy[0] + 1e-12)  # Schroeder, JASA 1965
    a, b = (int(np.argmax(decay < level)) for level in (-5.0, -25.0))
    assert 3 * (b - a) / RATE == pytest.approx(rt60, rel=0.25)


def test_the_direct_sound_comes_after_its_way_and_as_strong_as_it_left():
    h = room_response(RATE, 0.3, (5, 4, 3), (1, 2, 1.5), (2, 2, 1.5), 0)
    assert np.argmax(np.abs(h)) == pytest.approx(RATE / 343.0, abs=2)
    assert np.max(np.abs(h)) == pytest.approx(1.0, abs=0.4)


def test_every_line_was_spoken_and_every_word_has_its_time():
    lines, table = script()["lines"], json.loads((faults_folder() / "speech" / "words.json").read_text())
    sounds = clean_lines()
    assert len(lines) == len(table) == len(sounds)
    for line, entry, x in zip(lines, table, sounds, strict=True):
        words = entry["words"]
        assert len(words) == len([w for w in line["text"].split() if any(c.isalnum() for c in w)])
        starts = [w["start_s"] for w in words]
        assert starts == sorted(starts)
        assert all(w["end_s"] > w["start_s"] for w in words) and words[-1]["end_s"] <= len(x) / RATE + 0.01


def faults_folder():
    from dubbin.demo.recordings import FOLDER

    return FOLDER


@pytest.mark.parametrize("voice", ["ines", "tobias"])
def test_words_are_heard_where_they_are_said_to_be(demo_folder, among_all, voice):
    clean = np.load(among_all / f"clean {voice}.npy")
    inside, outside = [], np.ones(len(clean), bool)
    for word in json.loads((demo_folder / "truth.json").read_text())["words"]:
        if word["voice"] == voice:
            span = slice(round(word["start_s"] * RATE), round(word["end_s"] * RATE))
            inside.append(clean[span])
            outside[max(span.start - 4000, 0) : span.stop + 4000] = False
    assert rms_db(np.concatenate(inside)) > rms_db(clean[outside]) + 30


def test_a_word_ends_where_it_has_rung_out():
    n = np.arange(RATE)
    x = np.where(n < RATE // 2, 0.3 * np.sin(2 * np.pi * 200 * n / RATE), 1e-5)
    assert heard_until_s(x, 0.1, 0.9) == pytest.approx(0.5, abs=0.011) and heard_until_s(x, 0.1, 0.4) == 0.4
    assert heard_until_s(x, 0.2, 0.2) == 0.2
