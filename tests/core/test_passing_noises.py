"""Keys and paper between the words are found; breaths, consonants, clicks, gates, and whoever speaks in the same room are none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.measure.clicks import Clicks
from dubbin.core.measure.findings import find_findings
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.measure.passing_noises import FEWEST, LOOKED_AT, STRETCH_S, PassingNoises, find_passing_noises
from dubbin.core.sound.source import Sound
from dubbin.demo.recordings import clean_lines
from tests.conftest import RATE, noise, rms_db

PAUSE_S = 3
LINES = clean_lines()[:8]
PAUSES_S = [(k * PAUSE_S * RATE + sum(len(x) for x in LINES[: k + 1])) / RATE for k in range(len(LINES))]  # where they begin


@pytest.fixture(scope="module")
def talk():
    """Somebody who says something and then listens for three seconds, eight times; a faint room."""
    x = np.concatenate([part for line in LINES for part in (line, np.zeros(PAUSE_S * RATE))])
    return (x + noise(len(x) / RATE, -75, 9)).astype(np.float32)


def burst(seconds, rise_s, seed, level_dbfs=-40.0):
    """Noise that rises by 40 dB within so long and dies away."""
    n = np.arange(round(seconds * RATE)) / RATE
    shape = 10 ** (2 * np.minimum(n / max(rise_s, 1e-9) - 1.0, 0.0)) * np.exp(-np.maximum(n - rise_s, 0) / (seconds / 4))
    x = noise(seconds, 0.0, seed)[: len(n)] * shape
    return (x * 10 ** ((level_dbfs - rms_db(x[: RATE // 50] if rise_s < 0.02 else x)) / 20)).astype(np.float32)


def in_pauses(x, times, sound):
    """A sound at so many places of each pause, in seconds from its begin."""
    out = x.copy()
    for at in (round((begin + t) * RATE) for begin in PAUSES_S for t in times):
        out[at : at + len(sound)] += sound
    return out


def found_in(x):
    return find_passing_noises(Sound(np.atleast_2d(x).astype(np.float32), RATE))


def test_a_voice_by_itself_has_none(talk, speech):
    assert len(found_in(talk).times_s) <= 2 and not found_in(speech).are_many


def test_keys_are_found_where_they_are(talk):
    times = (0.6, 1.1, 1.6, 2.1, 2.5)
    found = found_in(in_pauses(talk, times, burst(0.05, 0.0, 3)))
    assert np.allclose(sorted({*found.times_s} - {*found_in(talk).times_s}), [begin + t for begin in PAUSES_S for t in times], atol=0.03)
    assert found.are_many and found.a_minute == pytest.approx(60 * 42 / found.pauses_s) and 19 < found.pauses_s < 25


def test_what_begins_slowly_like_a_breath_is_none(talk):
    assert found_in(in_pauses(talk, (0.8, 1.8), burst(0.4, 0.15, 3))).times_s == found_in(talk).times_s


def test_somebody_who_speaks_in_the_same_room_is_none(talk, speech):
    other = np.roll(np.tile(speech, 3)[: len(talk)], 7 * RATE) * 10 ** (-20 / 20)
    assert not found_in(talk + other).are_many


def test_what_a_gate_lets_through_is_none(talk):
    level = np.convolve(talk**2, np.full(480, 1 / 480), "same")
    opened = np.convolve(level > 10**-5.5, np.ones(2400), "same") > 0
    assert not found_in(np.where(opened, in_pauses(talk, (0.6, 1.1, 1.6), burst(0.05, 0.0, 3)), 0.0)).are_many


def test_too_short_too_soft_or_silent_has_none(talk):
    assert found_in(np.zeros(5 * RATE)) == replace(found_in(np.zeros(5 * RATE)), times_s=())
    assert found_in(noise(1, -30)) == PassingNoises()
    soft = in_pauses(talk, (0.6, 1.1, 1.6, 2.1), burst(0.05, 0.0, 3, rms_db(talk) - 45))
    assert found_in(soft).times_s == found_in(talk).times_s
    assert found_in(noise(3, -30)).a_minute is not None


def test_channels_are_heard_together_and_a_long_recording_in_stretches(talk):
    typed = in_pauses(talk, (0.6, 1.1, 1.6, 2.1), burst(0.05, 0.0, 3))
    pair = np.stack([typed, typed])
    assert found_in(pair).times_s == found_in(typed).times_s
    long = np.tile(typed, round(LOOKED_AT * STRETCH_S * RATE / len(typed)) + 4)
    found = found_in(long)
    assert found.are_many and found.a_minute == pytest.approx(found_in(typed).a_minute, rel=0.15)
    assert len(found.times_s) < 0.7 * 34 * len(long) / len(typed) and max(found.times_s) > len(long) / RATE - STRETCH_S


def test_a_recording_with_keys_is_told_of_and_once_they_are_gone_no_more(talk):
    typed = Sound(in_pauses(talk, (0.6, 1.1, 1.6, 2.1), burst(0.05, 0.0, 3))[None], RATE)
    report = measure_recording(typed)
    finding = next(f for f in report.findings if f.kind == "passing-noises")
    assert finding.treatment == "denoise" and len(finding.places_s) == len(report.passing.times_s) and "a minute of pauses" in finding.text
    assert {s.treatment: s.strength for s in report.suggested}["denoise"] == 100
    softer = Sound((talk + 0.03 * (typed.samples[0] - talk))[None], RATE)
    after = measure_treated(softer, report)
    assert not after.passing.are_many and not any(f.kind == "passing-noises" for f in after.findings)
    assert measure_treated(typed, measure_recording(Sound(talk[None], RATE))).passing == PassingNoises(), (
        "what no treatment brings is not looked for"
    )


def clicks_at(times):
    return Clicks((tuple((round(t * RATE), round(t * RATE) + 5) for t in times),), RATE)


def test_clicks_are_not_told_of_twice(talk):
    report = measure_recording(Sound(talk[None], RATE))
    times = tuple(np.arange(0.5, 50.0, 0.5))
    clicking = replace(report, clicks=clicks_at(t + 0.01 for t in times), passing=PassingNoises(times, 20.0, -60.0))
    assert [f.kind for f in find_findings(clicking) if f.kind in ("clicks", "passing-noises")] == ["clicks"]
    apart = replace(clicking, clicks=clicks_at(t + 0.2 for t in times))
    assert [f.kind for f in find_findings(apart) if f.kind in ("clicks", "passing-noises")] == ["clicks", "passing-noises"]


seconds = st.lists(st.integers(0, 2000).map(lambda k: k / 20), unique=True, max_size=40).map(sorted)


@given(seconds, seconds)
def test_besides_clicks_are_those_that_lie_at_none(times, clicks):
    left = PassingNoises(tuple(times), 10.0).besides([*clicks])
    assert left.times_s == tuple(t for t in times if t not in clicks)


@pytest.mark.parametrize(
    ("count", "pauses_s", "many"), [(FEWEST, 12.0, True), (FEWEST - 1, 5.0, False), (FEWEST, 12.1, False), (100, 0.9, False)]
)
def test_many_are_a_dozen_and_one_a_second_of_pauses(count, pauses_s, many):
    assert PassingNoises(tuple(np.arange(count) / 1.0), pauses_s).are_many is many
