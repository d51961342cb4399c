"""Finding hum: tracks of several channels, and long recordings one at a time."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from dubbin.core.measure import hum
from dubbin.core.measure.hum import describe_hum, find_hum, synthesise_hum
from dubbin.core.sound import long_recordings
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise, rms_db
from tests.core.at_once import AtOnce

SECONDS = 12


@pytest.fixture(scope="module")
def humming() -> Sound:
    """Two channels with hum of 50.03 Hz, in the second half as loud and without its third harmonic."""
    t = np.arange(SECONDS * RATE) / RATE
    first = sum(10 ** ((-40 - 3 * h) / 20) * np.sin(2 * np.pi * 50.03 * h * t + h) for h in (1, 2, 3, 5))
    second = 0.5 * sum(10 ** ((-40 - 3 * h) / 20) * np.sin(2 * np.pi * 50.03 * h * t + h) for h in (1, 2, 5))
    return Sound(np.stack([first, second]).astype(np.float32) + noise(SECONDS, -75, 1), RATE)


def test_each_channel_has_the_harmonics_that_are_in_it(humming):
    track = find_hum(humming)
    there = [[h + 1 for h in range(6) if np.any(channel[h])] for channel in track.amplitudes]
    assert there == [[1, 2, 3, 5], [1, 2, 5]]
    found = describe_hum(track)
    assert found.fundamental_hz == pytest.approx(50.03, abs=0.01) and found.harmonics == 4
    left = humming.samples - synthesise_hum(track, 0, SECONDS * RATE, RATE)
    assert all(rms_db(channel[RATE:-RATE]) < -72.0 for channel in left)


def test_long_recordings_are_looked_through_one_at_a_time_with_the_same_result(humming, monkeypatch):
    inside, real = AtOnce(), hum._tracked

    def watched(source, task):
        with inside:
            return real(source, task)

    alone = find_hum(humming)
    monkeypatch.setattr(hum, "_tracked", watched)
    monkeypatch.setattr(long_recordings, "LONG_S", SECONDS)
    begin = threading.Barrier(3)

    def ask(_):
        begin.wait()
        return find_hum(humming)

    with ThreadPoolExecutor(3) as pool:
        tracks = list(pool.map(ask, range(3)))
    assert inside.most == 1 and all(np.array_equal(t.amplitudes, alone.amplitudes) and np.array_equal(t.phase, alone.phase) for t in tracks)


@pytest.mark.parametrize(
    ("seconds", "level_dbfs", "is_told"), [(6.0, -73.0, False), (6.0, -67.0, True), (10.0, -73.0, True), (10.0, -86.0, False)]
)
def test_a_faint_hum_is_told_where_there_is_enough_to_tell_it_from_chance(seconds, level_dbfs, is_told):
    t = np.arange(round(seconds * RATE)) / RATE
    x = sum(np.sin(2 * np.pi * 50.03 * k * t + k) / k for k in range(1, 8))
    x = 10 ** ((level_dbfs - rms_db(x)) / 20) * x + noise(seconds, -90.0)
    assert (find_hum(Sound(x[None].astype(np.float32), RATE)) is not None) == is_told


@pytest.mark.parametrize(("pause_s", "is_told"), [(0.0, True), (0.15, False)])
@pytest.mark.parametrize("frequency_hz", [50.0, 59.9])
def test_what_is_not_heard_in_the_softest_moment_of_a_short_clip_is_a_voice_and_no_hum(frequency_hz, pause_s, is_told):
    t = np.arange(4 * RATE) / RATE
    x = 0.003 * sum(10 ** (-h / 5) * np.sin(2 * np.pi * frequency_hz * h * t + h) for h in range(1, 9)).astype(np.float32)
    x[RATE : RATE + round(pause_s * RATE)] = 0.0
    assert (find_hum(Sound((x + noise(4, -90, 1))[None], RATE)) is not None) is is_told
