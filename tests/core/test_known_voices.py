"""Voices that are remembered: known again where that is clear, mixed up never, and kept in a file that anything may have happened to."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.errors import CannotWrite
from dubbin.core.sound.source import Sound
from dubbin.core.speech.known_voices import ALIKE, FILE, KnownVoices, spans_of_words, voice_point
from dubbin.core.speech.speaker_encoder import SIZE, SPAN_S
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.demo.recordings import clean_lines, script
from tests.conftest import RATE


def near(point: np.ndarray, cosine: float, seed: int = 0) -> np.ndarray:
    """Another point, with this cosine to the first."""
    other = np.random.default_rng(seed).standard_normal(SIZE)
    other -= point * (other @ point)
    return np.asarray(cosine * point + np.sqrt(1 - cosine**2) * other / np.linalg.norm(other), np.float32)


@pytest.fixture
def points() -> list[np.ndarray]:
    """Of three voices that lie far apart."""
    return [np.asarray(v, np.float32) for v in np.linalg.qr(np.random.default_rng(1).standard_normal((SIZE, 3)))[0].T]


@pytest.fixture
def known(tmp_path, points) -> KnownVoices:
    voices = KnownVoices(tmp_path)
    for name, point in zip(("Ines", "Tobias", "Maren"), points, strict=True):
        voices.remember(name, point)
    return voices


def test_a_voice_is_known_again_after_a_restart_and_a_strange_one_is_not(known, tmp_path, points):
    again = KnownVoices(tmp_path)
    assert again.names == ["Ines", "Maren", "Tobias"]
    assert again.names_of([near(points[1], 0.9), near(points[0], 0.85), near(points[2], ALIKE - 0.05), None]) == [
        "Tobias",
        "Ines",
        None,
        None,
    ]


def test_nobody_is_two_people_and_what_is_not_clear_stays_without_a_name(known, points):
    assert known.names_of([near(points[0], 0.95), near(points[0], 0.85, 5)]) == ["Ines", None]
    assert known.names_of([near(points[0], 0.90), near(points[0], 0.89, 5)]) == [None, None]
    between = points[0] + points[1]
    known.remember("Twin", np.asarray(near(points[0], 0.99), np.float32))
    assert known.names_of([points[0]]) == [None], "two names for one voice: not clear"
    assert known.names_of([between / np.linalg.norm(between)]) == [None]


@given(st.lists(st.integers(0, 2), max_size=5), st.floats(0.0, 1.0))
def test_names_given_are_remembered_ones_each_at_most_once(numbers, cosine):
    import tempfile
    from pathlib import Path

    base = [np.asarray(v, np.float32) for v in np.linalg.qr(np.random.default_rng(1).standard_normal((SIZE, 3)))[0].T]
    with tempfile.TemporaryDirectory() as folder:
        voices = KnownVoices(Path(folder))
        for name, point in zip("abc", base, strict=True):
            voices.remember(name, point)
        names = voices.names_of([near(base[n], cosine, k) for k, n in enumerate(numbers)])
    given_names = [n for n in names if n is not None]
    assert len(given_names) == len(set(given_names))
    assert all(name is None or name == "abc"[n] for name, n in zip(names, numbers, strict=True))


def test_a_voice_that_is_remembered_again_is_adjusted_and_one_that_is_forgotten_is_gone(known, tmp_path, points):
    later = near(points[0], 0.8)
    known.remember("Ines", later)
    assert known.names_of([near(later, 0.95)]) == ["Ines"]
    known.forget("Ines")
    known.forget("nobody")
    assert KnownVoices(tmp_path).names == ["Maren", "Tobias"] and known.names_of([points[0]]) == [None]


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[]",
        '{"voices": 3}',
        '{"voices": {"a": {"point": [1, 2], "times": 1}}}',
        json.dumps({"voices": {"a": {"point": [float("nan")] * SIZE, "times": 1}}}),
    ],
)
def test_a_file_that_is_broken_holds_no_voices_and_does_not_stop_anything(tmp_path, points, text):
    (tmp_path / FILE).write_text(text)
    voices = KnownVoices(tmp_path)
    assert voices.names == [] and voices.names_of([points[0]]) == [None]
    voices.remember("Ines", points[0])
    assert KnownVoices(tmp_path).names == ["Ines"]


def test_a_folder_that_can_not_be_written_is_said(tmp_path, points):
    (tmp_path / "file").write_text("")
    with pytest.raises(CannotWrite, match="could not be written"):
        KnownVoices(tmp_path / "file" / "below").remember("Ines", points[0])


def test_speech_is_listened_to_in_stretches_of_one_speaker_without_pauses():
    def word(a: float, b: float, speaker: int = 0, kind: WordKind = WordKind.WORD) -> Word:
        return Word("w", round(a * RATE), round(b * RATE), kind, speaker=speaker)

    words = [word(0, 0.5), word(0.6, 1.2), word(1.3, 4.0), word(6, 6.3), word(7, 9, 1), word(9.1, 10, 0, WordKind.SOUND)]
    spans = spans_of_words(words, RATE, 0)
    assert all(0.7 <= b - a <= SPAN_S + 1e-9 for a, b in spans) and spans[0] == (0.0, SPAN_S) and max(b for _, b in spans) == 4.0
    assert {round(a) for a, _ in spans_of_words(words, RATE, 1)} == {7, 9} - {9}
    assert len(spans_of_words(words, RATE)) == len(spans) + len(spans_of_words(words, RATE, 1))


def test_the_demos_voices_are_known_in_other_lines_and_not_taken_for_each_other(tmp_path):
    lines = {"ines": [], "tobias": []}
    for x, line in zip(clean_lines(), script()["lines"], strict=True):
        if line["voice"] in lines and not line.get("laugh"):
            lines[line["voice"]].append(x)
    known, later = KnownVoices(tmp_path), []
    for name, sounds in lines.items():
        for k, some in enumerate((sounds[:6], sounds[6:12])):
            x = np.concatenate(some)
            spans = [(t, t + SPAN_S) for t in np.arange(0, len(x) / RATE - SPAN_S, SPAN_S).tolist()]
            point = voice_point(Sound(x[None].astype(np.float32), RATE), spans)
            assert point is not None
            if k == 0:
                known.remember(name, point)
            else:
                later.append(point)
    assert known.names_of(later) == list(lines)
    assert voice_point(Sound(np.zeros((1, RATE), np.float32), RATE), [(0.0, 1.0)]) is None, "too little is said"


def test_only_speakers_that_are_told_apart_are_named(known, points, monkeypatch):
    from dubbin.core.speech import known_voices

    found = iter([near(points[1], 0.95), near(points[0], 0.5)])
    monkeypatch.setattr(known_voices, "voice_point", lambda *_: next(found))
    source = Sound(np.zeros((1, RATE), np.float32), RATE)
    assert known.named(Transcript("a", (), speakers=("Speaker 1", "Speaker 2")), source).speakers == ("Tobias", "Speaker 2")
    assert known.named(Transcript("a", ()), source).speakers == ()
