"""Two voices at once in one recording: where the encoder's windows meet nothing is lost, what counts as a place, and that real mixtures are told from talk in turn."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.errors import Cancelled
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from dubbin.core.sound.temporal import SLOPE, temporal_network
from dubbin.core.speech import two_at_once
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import recogniser
from dubbin.core.speech.transcribe import transcribe
from dubbin.core.speech.two_at_once import (
    BEGINS,
    BRIDGE_S,
    FRAMES_PER_S,
    LIKELY,
    TOGETHER_S,
    find_together,
    likelihood,
    likelihood_of,
    places_of,
)
from dubbin.demo.recordings import RATE, clean_lines, script
from tests.conftest import noise

SURE = (1.0 + BEGINS) / 2


def likely(count: int, *spans: tuple[float, float, float]) -> np.ndarray:
    """Likelihoods over stretches in seconds; elsewhere none."""
    out = np.zeros(count * FRAMES_PER_S, np.float32)
    for a, b, value in spans:
        out[round(a * FRAMES_PER_S) : round(b * FRAMES_PER_S)] = value
    return out


class TestPlaces:
    SAID = np.ones(1000, bool)

    def test_a_place_is_likely_all_through_and_very_likely_somewhere(self):
        found = places_of(
            likely(10, (1.0, 2.0, LIKELY + 0.1), (1.4, 1.5, SURE), (4.0, 5.0, LIKELY + 0.1), (7.0, 8.0, LIKELY - 0.1)), self.SAID
        )
        assert found == [(1.0, 2.0)]

    def test_short_gaps_are_bridged_and_short_places_dropped(self):
        near, far = BRIDGE_S - 0.04, BRIDGE_S + 0.1
        found = places_of(
            likely(
                10,
                (1.0, 1.5, SURE),
                (1.5 + near, 2.0, SURE),
                (3.0, 3.5, SURE),
                (3.5 + far, 4.5, SURE),
                (6.0, 6.0 + TOGETHER_S - 0.04, SURE),
            ),
            self.SAID,
        )
        assert [(a, round(b, 6)) for a, b in found] == [(1.0, 2.0), (3.0, 3.5), (3.5 + far, 4.5)]

    def test_where_nobody_speaks_there_are_no_two(self):
        said = self.SAID.copy()
        said[150:] = False
        assert places_of(likely(10, (1.0, 2.0, SURE), (4.0, 5.0, SURE)), said) == [(1.0, 1.5)]
        assert places_of(likely(10, (1.0, 2.0, SURE)), np.zeros(0, bool)) == []

    @given(st.lists(st.floats(0, 1, width=32), max_size=300), st.integers(0, 650))
    def test_places_are_sorted_apart_and_within_the_recording(self, values, said):
        found = places_of(np.array(values, np.float32), np.ones(said, bool))
        edges = [edge for place in found for edge in place]
        assert edges == sorted(edges) and all(0 <= edge <= len(values) / FRAMES_PER_S for edge in edges)
        assert all(b - a >= TOGETHER_S - 1e-9 for a, b in found)


class Encoder:
    """Tells of every frame how loud its sound is; the network after it is left out."""

    def __init__(self) -> None:
        self.windows = 0

    def encode(self, x):
        self.windows += 1
        assert len(x) <= two_at_once.WINDOW_S * two_at_once.RATE + 1
        hop = two_at_once.RATE // FRAMES_PER_S
        loud = np.zeros((1500, 1), np.float32)
        frames = len(x) // hop
        loud[:frames, 0] = np.abs(x[: frames * hop]).reshape(frames, hop).mean(axis=1)
        return loud


@pytest.mark.parametrize(("seconds", "rate"), [(0.5, 48000), (26.0, 16000), (95.3, 44100)])
def test_windows_of_the_encoder_meet_without_a_seam(seconds, rate, monkeypatch):
    """What is told of a frame is that of its own sound, whichever window it lies in."""
    monkeypatch.setattr(two_at_once, "likelihood", lambda encoded: encoded[:, 0])
    n = np.arange(round(seconds * rate))
    level = 0.2 + 0.1 * np.sin(2 * np.pi * n / rate / 7.0)
    sound = Sound((level * np.sign(np.sin(2 * np.pi * 500 * n / rate)))[None].astype(np.float32), rate)
    model = Encoder()
    told = likelihood_of(sound, np.ones(round(seconds * 100) + 1, bool), model)
    assert len(told) == -(-sound.frames * FRAMES_PER_S // rate)
    inner = slice(2, len(told) - 2)
    middle = np.interp((np.arange(len(told)) + 0.5) / FRAMES_PER_S, n / rate, level)
    np.testing.assert_allclose(told[inner], middle[inner], atol=0.02)


def test_windows_in_which_nobody_speaks_are_not_heard():
    model, said = Encoder(), np.zeros(9000, bool)
    sound = Sound(np.full((1, 90 * 16000), 0.1, np.float32), 16000)
    assert not likelihood_of(sound, said, model).any() and model.windows == 0
    said[3000:3100] = True
    model.encode = lambda x: np.zeros((1500, 384), np.float32)  # type: ignore[method-assign]
    told = likelihood_of(sound, said, model)
    assert told[26 * FRAMES_PER_S : 52 * FRAMES_PER_S].all() and np.count_nonzero(told) == 26 * FRAMES_PER_S


def test_the_network_is_what_its_layers_say():
    rng = np.random.default_rng(1)
    weights = {
        "in.weight": rng.normal(size=(3, 4)),
        "out.weight": rng.normal(size=(4, 2)),
        "in.bias": rng.normal(size=4),
        "out.bias": rng.normal(size=2),
    }
    for k in range(2):
        weights |= {f"{k}.weight": rng.normal(size=(12, 4)), f"{k}.bias": rng.normal(size=4)}
    weights = {name: value.astype(np.float32) for name, value in weights.items()}
    x, dilations = rng.normal(size=(9, 3)).astype(np.float32), (1, 4)

    def active(v):
        return np.where(v > 0, v, SLOPE * v)

    h = np.array([active(row @ weights["in.weight"] + weights["in.bias"]) for row in x])
    for k, dilation in enumerate(dilations):
        after = h.copy()
        for t in range(len(h)):
            near = np.concatenate([h[s] if 0 <= s < len(h) else np.zeros(4) for s in (t - dilation, t, t + dilation)])
            after[t] += active(near @ weights[f"{k}.weight"] + weights[f"{k}.bias"])
        h = after
    np.testing.assert_allclose(
        temporal_network(x, weights, dilations), h @ weights["out.weight"] + weights["out.bias"], rtol=1e-4, atol=1e-5
    )


@pytest.fixture(scope="module")
def talk() -> tuple[Sound, float]:
    """Lines of the demo's two voices in turn, and from the second that is told on both at once."""
    spoken, said = clean_lines(), script()["lines"]
    equal = [x / np.sqrt(np.mean(np.square(x))) * 0.05 for x in spoken]
    ines, tobias = (
        [x for x, line in zip(equal, said, strict=True) if line["voice"] == voice and not line.get("laugh")] for voice in ("ines", "tobias")
    )
    gap = np.zeros(RATE // 3)
    turn = np.concatenate([np.concatenate([a, gap, b, gap]) for a, b in zip(ines[:3], tobias[:3], strict=True)])
    a, b = (np.concatenate(voice[4:7]) for voice in (ines, tobias))
    length = min(len(a), len(b), 6 * RATE)
    x = np.concatenate([turn, a[:length] + b[:length]])
    return Sound((x + noise(len(x) / RATE + 1, -75, 1)[: len(x)])[None].astype(np.float32), RATE), len(turn) / RATE


def marks_of(places, duration_s: float) -> np.ndarray:
    told = np.zeros(round(duration_s * 100) + 1, bool)
    for start, end in places:
        told[round(100 * start) : round(100 * end)] = True
    return told


class TestVoices:
    def test_two_at_once_are_told_from_two_in_turn(self, talk):
        sound, from_s = talk
        duration_s = sound.frames / RATE
        told = marks_of(find_together(sound, find_activity(sound).audible, recogniser(built_in_model())), duration_s)
        edge = round(100 * from_s)
        assert told[edge : round(100 * duration_s)].mean() > 0.5 and told[: edge - 30].mean() < 0.03

    def test_a_transcript_of_several_speakers_holds_them_and_one_of_a_single_voice_none(self, talk):
        sound, from_s = talk
        activity, model, told = find_activity(sound), recogniser(built_in_model()), []
        heard = transcribe(sound, "l", activity, activity.audible, model, speakers=2, task=Task(told.append)).transcript
        assert heard.speakers == ("Speaker 1", "Speaker 2") and heard.together
        assert all(a / RATE > from_s - 0.5 for a, b in heard.together) and all(0 <= a < b <= sound.frames for a, b in heard.together)
        assert told == sorted(told) and 0.75 < told[-2] < told[-1] <= 1.0, told
        first = Sound(np.ascontiguousarray(sound.samples[:, : 6 * RATE]), RATE)
        alone = find_activity(first)
        heard = transcribe(first, "l", alone, alone.audible, model).transcript
        assert heard.speakers == () and heard.together == ()

    def test_whoever_gives_up_meanwhile_waits_for_a_window_at_most(self, talk):
        sound, _ = talk
        task = Task(lambda fraction: task.cancel())
        with pytest.raises(Cancelled):
            find_together(sound, find_activity(sound).audible, recogniser(built_in_model()), task)

    def test_silence_and_nothing_at_all_hold_nobody(self):
        model = recogniser(built_in_model())
        for frames in (RATE, 0):
            assert find_together(Sound(np.zeros((1, frames), np.float32), RATE), np.ones(frames // 480, bool), model) == []


def test_odds_are_a_likelihood_whatever_is_heard():
    told = likelihood(np.random.default_rng(0).normal(0, 30, (200, 384)).astype(np.float32))
    assert told.shape == (200,) and np.all((told >= 0) & (told <= 1))
