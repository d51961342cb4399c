"""What a file is, at a first guess: voices in any state are voices, music is music, and knocks, rain, sweeps and the like are effects."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy import signal

from dubbin.core.measure.role import guess_role
from dubbin.core.sound.source import Sound
from dubbin.demo.music import harbour_theme
from dubbin.demo.room import room_response
from tests.conftest import RATE, noise, tone

SECONDS = 12
N = SECONDS * RATE
T = np.arange(N) / RATE


def hits(every_s: float, make: Callable[[np.random.Generator], np.ndarray], seed: int = 1) -> np.ndarray:
    """A sound again and again, not quite evenly."""
    rng, x, at = np.random.default_rng(seed), np.zeros(N + RATE), 0.3
    while at < SECONDS - 0.5:
        y = make(rng)
        x[round(at * RATE) : round(at * RATE) + len(y)] += y
        at += every_s * rng.uniform(0.6, 1.4)
    return x[:N]


def decaying(length: int, fade: float, hz: float | None = None) -> Callable[[np.random.Generator], np.ndarray]:
    n = np.arange(length)

    def make(rng: np.random.Generator) -> np.ndarray:
        x = rng.standard_normal(length) if hz is None else np.sin(2 * np.pi * hz * rng.uniform(0.8, 1.3) * n / RATE)
        return 0.4 * x * np.exp(-n / fade)

    return make


def sweep(low: float, high: float, seconds: float) -> np.ndarray:
    return 0.3 * signal.chirp(np.arange(round(seconds * RATE)) / RATE, low, seconds, high, method="logarithmic")


ROOM = 10 ** (-60 / 20) * np.random.default_rng(0).standard_normal(N)
EFFECTS: dict[str, Callable[[], np.ndarray]] = {  # made when they are asked for
    "knocks between digital silence": lambda: hits(0.7, decaying(3000, 300)),
    "knocks in a room": lambda: hits(0.9, decaying(3000, 300)) + ROOM,
    "footsteps": lambda: hits(0.5, decaying(6000, 1200, 90.0)) + ROOM,
    "typing": lambda: hits(0.2, decaying(1200, 150)) + ROOM,
    "a long sweep": lambda: sweep(60, 12_000, SECONDS),
    "sweeps": lambda: np.concatenate([np.r_[sweep(200, 3000, 1.0), np.zeros(RATE)] for _ in range(6)]),
    "rain": lambda: hits(0.01, decaying(300, 60)) * 0.2 + signal.lfilter([1, -0.6], [1], ROOM * 10),
    "wind": lambda: signal.lfilter([0.01], [1, -0.99], ROOM * 500) * (1 + 0.7 * np.sin(2 * np.pi * 0.13 * T)),
    "applause": lambda: hits(0.02, decaying(900, 200)) * 0.3,
    "a door": lambda: decaying(6000, 1500, 80.0)(np.random.default_rng(2)),
}


def notes(*groups: list[int], each_s: float = 2.0) -> np.ndarray:
    n = np.arange(round(each_s * RATE)) / RATE
    return 0.08 * np.concatenate([sum(np.sin(2 * np.pi * 440 * 2 ** ((k - 69) / 12) * n) for k in group) for group in groups])


MUSIC: dict[str, Callable[[], np.ndarray]] = {
    "plucked strings": lambda: harbour_theme(RATE),
    "chords": lambda: notes([48, 60, 64, 67], [45, 57, 60, 64], [53, 57, 60, 65], [55, 59, 62, 67]),
    "a held chord": lambda: notes([48, 55, 60, 64], each_s=10.0) * (1 + 0.2 * np.sin(2 * np.pi * 5 * np.arange(10 * RATE) / RATE)),
}  # fmt: skip


@pytest.mark.parametrize("name", EFFECTS)
def test_effects_are_effects(name):
    assert guess_role(Sound(np.atleast_2d(EFFECTS[name]()).astype(np.float32), RATE)) == "effect"


@pytest.mark.parametrize("name", MUSIC)
def test_music_is_music_and_a_short_piece_of_it_an_effect(name):
    x = np.atleast_2d(MUSIC[name]()).astype(np.float32)
    assert guess_role(Sound(x, RATE)) == "music"
    assert guess_role(Sound(np.ascontiguousarray(x[:, : 2 * RATE]), RATE)) in ("effect", "music")


def in_a_room(x: np.ndarray) -> np.ndarray:
    h = room_response(RATE, 0.6, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (3.9, 2.4, 1.0), 3)
    return signal.fftconvolve(x, h)[: len(x)]


STATES: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "clean": lambda x: x,
    "soft": lambda x: 0.01 * x,
    "short": lambda x: x[: 2 * RATE],
    "in noise": lambda x: x + noise(20, -30, 3)[: len(x)],
    "in hum": lambda x: x + tone(50, 20, -20).samples[0][: len(x)] + tone(150, 20, -26).samples[0][: len(x)],
    "in a room": in_a_room,
    "little of it in a long recording": lambda x: np.concatenate([noise(60, -70, 4), x[: 8 * RATE], noise(60, -70, 5)]),
}


@pytest.mark.parametrize("state", STATES)
def test_a_voice_is_a_voice_in_any_state(state, speech):
    assert guess_role(Sound(STATES[state](speech)[None].astype(np.float32), RATE)) == "voice"


def test_names_have_their_say_and_silence_is_taken_for_a_voice():
    knocks = Sound(EFFECTS["knocks in a room"]()[None].astype(np.float32), RATE)
    assert guess_role(knocks, "host mic") == "voice" and guess_role(knocks, "intro-theme") == "music"
    assert guess_role(Sound(np.zeros((1, RATE), np.float32), RATE)) == "voice" and guess_role(tone(440, 0.01)) == "effect"
