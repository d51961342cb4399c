"""Voices of one recording: what each sounds like, how many there are, and who speaks when."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech import speaker_encoder
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.speaker_encoder import BANDS, SIZE, SPAN_S, embed
from dubbin.core.speech.speakers import SHORTEST_S, _in_order, _stretches, count_voices, tell_apart, with_speakers
from dubbin.core.speech.transcript import Word, WordKind
from dubbin.demo.recordings import RATE, clean_lines, script
from tests.conftest import noise


def talk_of(numbers: list[int], gap_s: float = 0.4) -> tuple[Sound, list[tuple[float, float, str]]]:
    """Lines of the demo, one after the other, as if one microphone had heard them: the sound, and who says what (start, end, voice)."""
    spoken, parts, said, at = clean_lines(), [], [], 0
    for n in numbers:
        x = spoken[n] / np.sqrt(np.mean(np.square(spoken[n]))) * 0.05
        parts += [x, np.zeros(round(gap_s * RATE), np.float32)]
        said.append((at / RATE, (at + len(x)) / RATE, script()["lines"][n]["voice"]))
        at += len(x) + round(gap_s * RATE)
    x = np.concatenate(parts).astype(np.float32)
    return Sound((x + noise(len(x) / RATE + 1, -75, 1)[: len(x)])[None].astype(np.float32), RATE), said


def of_voice(voice: str, count: int) -> list[int]:
    return [k for k, line in enumerate(script()["lines"]) if line["voice"] == voice and not line.get("laugh")][:count]


@pytest.fixture(scope="module")
def two():
    """Two voices in turn."""
    return talk_of(list(range(2, 15)))


def right_share(speakers: np.ndarray, said: list[tuple[float, float, str]]) -> float:
    """Of the frames in which somebody speaks, how many are given to the right one."""
    names = list(dict.fromkeys(voice for *_, voice in said))
    truth = np.full(len(speakers), -1)
    for a, b, voice in said:
        truth[round(a * 100) : round(b * 100)] = names.index(voice)
    known = (truth >= 0) & (speakers >= 0)
    return float(np.mean(speakers[known] == truth[known]))


class TestWhatAVoiceSoundsLike:
    def test_points_have_the_length_one(self, two):
        points = embed(two[0], [(0.5, 2.1), (1.0, 1.3), (5.0, 5.0)])
        assert points.shape == (3, SIZE) and points.dtype == np.float32
        np.testing.assert_allclose(np.linalg.norm(points, axis=1), 1.0, atol=1e-4)

    def test_one_voice_is_nearer_to_itself_than_to_another(self):
        points = {}
        for voice in ("ines", "tobias"):
            sound, said = talk_of(of_voice(voice, 6))
            points[voice] = embed(sound, [(a + 0.1, a + 0.1 + SPAN_S) for a, b, _ in said if b - a > SPAN_S + 0.2])
        ines, tobias = points.values()
        assert len(ines) > 2 and len(tobias) > 2
        within = [float(np.min(p @ p.T)) for p in (ines, tobias)]
        assert min(within) > float(np.max(ines @ tobias.T)), "every stretch of a voice lies nearer to all of its own"

    def test_loudness_makes_no_difference(self, two):
        sound = two[0]
        soft = Sound(sound.samples * np.float32(0.01), RATE)
        assert float((embed(sound, [(1.0, 2.6)]) @ embed(soft, [(1.0, 2.6)]).T)[0, 0]) > 0.9999

    def test_bands_have_equal_areas_and_reach_from_nothing_to_the_top(self):
        matrix = speaker_encoder._mel_matrix()
        per_hz = speaker_encoder.RATE / speaker_encoder.WINDOW
        wide = matrix[:, BANDS // 2 :].sum(axis=0) * per_hz  # narrow triangles fall between the lines of the spectrum
        np.testing.assert_allclose(wide, 1.0, atol=0.08)
        assert matrix.min() == 0.0 and matrix[0].max() == 0.0 and (np.diff(np.argmax(matrix, axis=0)) >= 0).all()


class TestWhoSpeaksWhen:
    def test_two_voices_are_told_apart(self, two):
        sound, said = two
        speakers = tell_apart(sound, find_voicing(sound), find_activity(sound).audible, 2)
        assert right_share(speakers, said) >= 0.97
        words = [Word("w", round(a * RATE), round(b * RATE)) for a, b, _ in said]
        named = [x.speaker for x in with_speakers(words, speakers, RATE)]
        first = said[0][2]
        assert np.mean([n == (0 if voice == first else 1) for n, (*_, voice) in zip(named, said, strict=True)]) >= 0.9

    def test_as_many_as_there_are_are_found(self, two):
        sound, said = two
        found = tell_apart(sound, find_voicing(sound), find_activity(sound).audible)
        assert int(found.max()) + 1 == 2 and right_share(found, said) >= 0.95

    def test_one_voice_is_one(self):
        sound, _ = talk_of(of_voice("tobias", 8))
        assert count_voices(sound, find_activity(sound).audible) == 1

    def test_where_nobody_speaks_there_is_no_speaker(self, two):
        sound, _ = two
        said = find_activity(sound).audible.copy()
        said[:300] = False
        speakers = tell_apart(sound, find_voicing(sound), said, 2)
        assert (speakers[~said[: len(speakers)]] == -1).all() and (speakers[said[: len(speakers)]] >= 0).all()

    @pytest.mark.parametrize("count", [None, 1, 2, 5])
    def test_too_little_speech_is_one_voice(self, count):
        sound, _ = talk_of([3])
        speakers = tell_apart(sound, find_voicing(sound), find_activity(sound).audible, count)
        assert set(np.unique(speakers)) <= {-1, 0}

    @pytest.mark.parametrize("count", [None, 2])
    def test_mere_bursts_that_tell_nothing_are_one_voice(self, count):
        """Each is too short to be listened to, and far from the next."""
        said = np.tile(np.arange(100) < 100 * SHORTEST_S - 5, 60)
        sound = Sound(np.zeros((1, 60 * RATE), np.float32), RATE)
        assert said.sum() > 800 and _stretches(said) == []
        np.testing.assert_array_equal(tell_apart(sound, find_voicing(sound), said, count), np.where(said, 0, -1))
        assert count_voices(sound, said) == 1

    def test_nothing_said_is_nobody(self):
        sound = Sound(np.zeros((1, 4 * RATE), np.float32), RATE)
        said = np.zeros(400, bool)
        assert (tell_apart(sound, find_voicing(sound), said, 2) == -1).all() and count_voices(sound, said) == 1


@given(st.lists(st.tuples(st.integers(1, 600), st.integers(1, 200)), max_size=12))
def test_stretches_lie_in_what_is_said_and_cover_it(runs):
    said = np.concatenate([np.concatenate([np.ones(on, bool), np.zeros(off, bool)]) for on, off in runs] or [np.zeros(10, bool)])
    spans = _stretches(said)
    covered = np.zeros(len(said), bool)
    for a, b in spans:
        assert 0 <= a < b <= len(said) / 100 + 1e-9 and b - a >= SHORTEST_S - 1e-9
        assert (said[round(a * 100)] and said[round(b * 100) - 1]) or b - a == pytest.approx(SPAN_S)
        covered[round(a * 100) : round(b * 100)] = True
    for (on, _), start in zip(runs, np.cumsum([0, *(on + off for on, off in runs)]), strict=False):
        if on >= 100 * SHORTEST_S + 1:
            assert covered[start : start + on].all()


def test_numbers_go_by_who_speaks_first():
    assert _in_order(np.array([4, 4, 1, 4, 0])).tolist() == [0, 0, 1, 0, 2]


def test_a_word_alone_among_anothers_goes_to_its_neighbours():
    words = [Word(t, k * RATE // 2, k * RATE // 2 + RATE // 2, WordKind.WORD) for k, t in enumerate(["one", "two", "three", "four"])]
    speakers = np.repeat([0, 1, 0, 0], 50).astype(np.int8)
    assert [w.speaker for w in with_speakers(words, speakers, RATE)] == [0, 0, 0, 0]


def test_the_licence_of_the_weights_is_shipped():
    from importlib.resources import files

    folder = files("dubbin.core.speech") / "weights"
    assert "Apache License" in (folder / "speaker-encoder-LICENSE").read_text()
