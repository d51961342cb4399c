"""The filters that predict a room's echo: what a second round gains, and that it matters neither where work is split nor on how many cores it is done."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from dubbin.core import jobs
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from dubbin.core.treat import room_filters
from dubbin.core.treat.prediction_taps import DELAY, TAPS
from dubbin.core.treat.room_filters import AROUND, CHUNK_S, find_room
from dubbin.core.treat.room_prediction import HOP_S, dereverb_stft, predict_away
from dubbin.demo.room import room_response

RATE = 48000
RNG = np.random.default_rng(11)


@pytest.fixture(scope="module")
def room() -> tuple[np.ndarray, np.ndarray]:
    """What of a room is heard within 50 ms, and all of it."""
    whole = room_response(RATE, 0.5, (5.0, 4.0, 2.6), (1.2, 1.0, 1.3), (2.4, 2.2, 1.2), 3)
    early = whole.copy()
    early[int(np.argmax(np.abs(whole) > 0.5)) + RATE // 20 :] = 0
    return early, whole


def heard(x: np.ndarray, response: np.ndarray) -> np.ndarray:
    return signal.oaconvolve(x, response)[: len(x)].astype(np.float32)


def left_of(x: np.ndarray, found: room_filters.RoomFilters) -> np.ndarray:
    stft = dereverb_stft(RATE)
    X = stft.analyse(x)
    predict_away(X, found, 0, stft, RATE, 0)
    return stft.synthesise(X, len(x))


def sdr_db(truth: np.ndarray, got: np.ndarray) -> float:
    wanted = truth * (truth @ got) / (truth @ truth)
    return float(10 * np.log10(np.sum(wanted**2) / np.sum((got - wanted) ** 2)))


def test_what_is_predicted_away_is_the_late_part_of_the_room_and_of_a_dry_voice_hardly_anything(speech, room):
    dry = speech
    early, echo = (heard(dry, h) for h in room)
    left = left_of(echo, find_room(Sound(echo[None], RATE), Task()))
    assert sdr_db(early, left) > sdr_db(early, echo) + 1.5
    assert sdr_db(dry, left_of(dry, find_room(Sound(dry[None], RATE), Task()))) > 25


def test_filters_are_the_same_in_groups_of_any_size_and_on_any_number_of_cores(speech, room, monkeypatch):
    """Filters of the second round take the place of the first one's while others still need those."""
    echo = heard(np.tile(speech, 2)[: 31 * RATE], room[1])
    source = Sound(echo[None], RATE)
    whole = find_room(source, Task())
    monkeypatch.setattr(jobs, "CORES", 1)
    alone = find_room(source, Task())
    np.testing.assert_array_equal(alone.filters, whole.filters)
    assert whole.filters.shape[:2] == (1, 6) and alone.levels_db == whole.levels_db and alone.rt60_s == whole.rt60_s
    monkeypatch.setattr(room_filters, "GROUP", 2)
    monkeypatch.setattr(room_filters, "PIECE", 1)
    parts = find_room(source, Task())
    assert sdr_db(left_of(echo, whole), left_of(echo, parts)) > 50


def test_the_second_round_never_looks_further_than_half_a_chunk():
    assert (AROUND + DELAY + TAPS + 3) * HOP_S < CHUNK_S / 2


@pytest.mark.parametrize("seconds", [0.0, 0.01, 0.5, 6.0, 7.3])
def test_short_recordings_and_silence_have_filters_too(seconds):
    x = (0.1 * RNG.standard_normal((1, round(seconds * RATE)))).astype(np.float32)
    for sound in (x, 0 * x):
        found = find_room(Sound(sound, RATE), Task())
        assert np.isfinite(found.filters).all() and len(found.filters[0]) == max(1, -(-x.shape[1] // (RATE * 6)))
