"""Steady tones are found whatever their frequency, followed where they wander, and taken out of the voice above them; what sounds like one for a while is left alone."""

from __future__ import annotations

import numpy as np
import pytest
import soxr

from dubbin.core.jobs import Task
from dubbin.core.measure.findings import threshold_in_quiet
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.measure.steady_sound import SteadySound, find_steady_sound
from dubbin.core.measure.tones import describe_tones, find_tones, synthesise_tones
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.dehum import Dehum
from tests.conftest import RATE, noise, rms_db
from tests.core.test_hiss import hummed

WHINE = {1000.0: -62.0, 2000.0: -66.0, 7350.0: -70.0}  # Hz, dBFS


@pytest.fixture(scope="module")
def voice(speech) -> np.ndarray:
    """A voice in a quiet room, (frames,)."""
    return (0.2 * speech / np.abs(speech).max() + noise(20, -84, 1)[: len(speech)]).astype(np.float32)


def times(count: int, rate: int = RATE) -> np.ndarray:
    return np.arange(count) / rate


def sine(count: int, frequency_hz: float, level_dbfs: float, rate: int = RATE) -> np.ndarray:
    return 10 ** (level_dbfs / 20) * np.sqrt(2) * np.sin(2 * np.pi * frequency_hz * times(count, rate) + frequency_hz)


def whine(count: int, rate: int = RATE) -> np.ndarray:
    return sum(sine(count, f, level, rate) for f, level in WHINE.items())


def tones(x: np.ndarray, rate: int = RATE):
    return find_tones(Sound(np.atleast_2d(x).astype(np.float32), rate))


def cleaned(x: np.ndarray, strength: float = 1.0) -> np.ndarray:
    dehum = Dehum()
    chain = Chain(Sound(np.atleast_2d(x).astype(np.float32), RATE), [Use(dehum, dehum.settings_type(), strength)])
    chain.prepare(Task())
    return chain.read(0, np.atleast_2d(x).shape[1])


@pytest.mark.parametrize("rate", [16000, 44100, 48000])
def test_frequency_and_level_of_every_tone_are_told(voice, rate):
    x = soxr.resample(voice, RATE, rate)
    found = describe_tones(tones(x + whine(len(x), rate), rate))
    assert found.frequencies_hz == pytest.approx(tuple(WHINE), abs=0.02)
    assert found.levels_dbfs == pytest.approx(tuple(WHINE.values()), abs=0.5)
    assert found.level_dbfs == pytest.approx(10 * np.log10(sum(10 ** (level / 10) for level in WHINE.values())), abs=0.4)


def test_what_is_left_of_a_whine_is_far_below_it_and_the_voice_is_whole(voice):
    added = whine(len(voice))
    left = cleaned(voice + added)[0] - voice
    assert rms_db(left) < rms_db(added) - 25


def test_a_recording_without_a_tone_passes_bit_by_bit(voice):
    assert tones(voice) is None
    np.testing.assert_array_equal(cleaned(voice)[0], voice)


@pytest.mark.parametrize(("hz", "period_s", "by_db"), [(1.0, 20.0, 18), (3.0, 20.0, 12), (-2.0, 60.0, 18)])
def test_a_tone_that_wanders_is_followed(voice, hz, period_s, by_db):
    t = times(len(voice))
    added = 10 ** (-60 / 20) * np.sin(2 * np.pi * (5200 * t + hz * period_s / (2 * np.pi) * np.sin(2 * np.pi * t / period_s)))
    left = cleaned(voice + added)[0] - voice
    assert rms_db(left) < rms_db(added) - by_db


def test_a_tone_that_swells_is_followed(voice):
    t = times(len(voice))
    added = sine(len(voice), 3000.0, -64.0) * (1 + 0.4 * np.sin(2 * np.pi * 0.15 * t))
    assert rms_db(cleaned(voice + added)[0] - voice) < rms_db(added) - 10


def held_notes(count: int) -> np.ndarray:
    steps = np.random.default_rng(4).integers(0, 24, 100)
    return np.sin(2 * np.pi * np.cumsum(220 * 2 ** (steps[(times(count) * 2).astype(int)] / 12)) / RATE)


def phone(count: int) -> np.ndarray:
    """The pulses of a radio nearby, some seconds on and some off."""
    t = times(count)
    return ((217 * t) % 1.0 < 0.12) * (np.sin(2 * np.pi * 0.2 * t) > 0.3)


def trembling(count: int) -> np.ndarray:
    t = times(count)
    return np.sin(2 * np.pi * 1200 * t + 5 * np.sin(2 * np.pi * t))


def siren(count: int) -> np.ndarray:
    t = times(count)
    return np.sin(2 * np.pi * (700 * t + 15 * t**2))


@pytest.mark.parametrize("sound", [held_notes, phone, trembling, siren, lambda count: noise(20, 0.0, 3)[:count]])
def test_what_moves_is_no_tone(voice, sound):
    x = sound(len(voice))
    assert tones(voice + 10 ** ((-55 - rms_db(x)) / 20) * x) is None


def test_a_tone_that_is_what_was_recorded_is_left_alone(voice):
    assert tones(sine(10 * RATE, 1000.0, -20.0)) is None
    assert tones(np.stack([voice, 0.9 * sine(len(voice), 440.0, -18.0)])) is None, "a line-up tone on a channel of its own"
    assert describe_tones(tones(sine(10 * RATE, 1000.0, -60.0) + noise(10, -80)[: 10 * RATE])).frequencies_hz == pytest.approx(
        (1000.0,), abs=0.02
    )


def test_harmonics_of_hum_are_the_hums(voice):
    found = find_steady_sound(
        Sound((voice + hummed(len(voice), 50.03, -50.0) + sine(len(voice), 1023.0, -60.0))[None].astype(np.float32), RATE)
    )
    assert found.hum is not None
    assert describe_tones(found.tones).frequencies_hz == pytest.approx((1023.0,), abs=0.05)


def test_a_tone_beside_a_multiple_that_the_hum_does_not_have_is_a_tone(voice):
    few = sine(len(voice), 50.02, -52.0) + sine(len(voice), 100.04, -55.0)  # twenty times as high is 1000.4 Hz
    found = find_steady_sound(Sound((voice + few + whine(len(voice)))[None].astype(np.float32), RATE))
    assert found.hum is not None
    assert describe_tones(found.tones).frequencies_hz == pytest.approx(tuple(WHINE), abs=0.05)


def test_each_channel_loses_its_own_tone_and_nothing_else(voice):
    pair = np.stack([voice + sine(len(voice), 4000.0, -60.0), np.roll(voice, 9000)]).astype(np.float32)
    out = cleaned(pair)
    np.testing.assert_array_equal(out[1], pair[1])
    assert rms_db(out[0] - voice) < -85


def test_a_tone_that_comes_on_half_way_is_taken_out_from_there(voice):
    long = np.tile(voice, 7)[: 130 * RATE]
    start = 70 * RATE
    added = sine(len(long), 3000.0, -60.0)
    added[:start] = 0.0
    left = cleaned(long + added)[0] - long
    assert rms_db(left[: start - 2 * RATE]) < -95, "nothing of it is heard before"
    assert rms_db(left[start + 2 * RATE :]) < -60 - 25


def test_a_tone_of_a_minute_and_a_half_in_a_long_recording_is_found():
    rate = 16_000
    x = noise(600, -70, 3, rate)
    a, b = 305 * rate, 395 * rate
    x[a:b] += sine(b - a, 3000.0, -60.0, rate)
    found = tones(x, rate)
    told = describe_tones(found)
    assert told.frequencies_hz == pytest.approx((3000.0,), abs=0.02) and told.level_dbfs == pytest.approx(-60.0, abs=0.5)
    made = synthesise_tones(found, 0, len(x))[0]
    assert rms_db(made[: a - 3 * rate]) < -100 and rms_db(made[b + 3 * rate :]) < -100
    assert rms_db(made[a + 3 * rate : b - 3 * rate] - sine(b - a, 3000.0, -60.0, rate)[3 * rate : -3 * rate]) < -60 - 25


def test_where_a_gate_has_shut_silence_stays_silence(voice):
    t = times(len(voice))
    open_ = (t % 4.0) < 3.0
    kept, x = voice * open_, ((voice + whine(len(voice))) * open_).astype(np.float32)
    out = cleaned(x)[0]
    shut = ~open_
    assert np.all(out[shut] == 0.0)
    assert rms_db((out - kept)[open_]) < rms_db(whine(len(voice))) - 14


def test_zeros_among_soft_samples_are_no_silence():
    """Sixteen bits of a soft tone hold many zeros, and none of them says that a gate is shut."""
    x = np.round(sine(12 * RATE, 2000.0, -84.0) * 32768 + noise(12, 0.0, 5)[: 12 * RATE] * 0.4) / 32768
    assert np.mean(x == 0) > 0.1
    assert rms_db(cleaned(x)[0] - (x - sine(12 * RATE, 2000.0, -84.0))) < -95


def test_a_stretch_of_them_is_that_of_the_whole(voice):
    found = tones(voice + whine(len(voice)))
    whole = synthesise_tones(found, 0, len(voice))
    for start, count in ((0, 10), (1, 1199), (1200, 2400), (77_777, 50_001), (len(voice) - 5, 5)):
        np.testing.assert_allclose(synthesise_tones(found, start, count), whole[:, start : start + count], atol=1e-7)
    assert synthesise_tones(found, 5, 0).shape == (1, 0)


def test_short_and_silent_sounds_have_none():
    for x in (np.zeros(10 * RATE), sine(RATE, 1000.0, -60.0), noise(2, -60)[: 2 * RATE], np.zeros(0)):
        assert tones(x) is None


class TestTold:
    def test_a_whine_is_named_heard_and_answered_and_no_denoiser_asked_for(self, voice):
        report = measure_recording(Sound((voice + whine(len(voice)))[None].astype(np.float32), RATE))
        finding = next(f for f in report.findings if f.kind == "tones")
        assert finding.text.startswith("3 steady tones (1000, 2000, 7350 Hz), −60.")
        assert [s.treatment for s in report.suggested if s.treatment in ("dehum", "denoise")] == ["dehum"]
        assert report.noise.hiss_dbfs == pytest.approx(-84, abs=3)

    def test_many_are_not_all_named(self, voice):
        many = sum(sine(len(voice), 900.0 * k, -60.0 - k) for k in range(1, 8))
        report = measure_recording(Sound((voice + many)[None].astype(np.float32), RATE))
        assert next(f for f in report.findings if f.kind == "tones").text.startswith("7 steady tones (900, 1800, 2700, 3600 … Hz)")

    def test_one_that_nobody_hears_is_measured_and_not_spoken_of(self, voice):
        report = measure_recording(Sound((voice + sine(len(voice), 18_500.0, -60.0))[None].astype(np.float32), RATE))
        assert report.tones.frequencies_hz == pytest.approx((18_500.0,), abs=0.02)
        assert not [f for f in report.findings if f.kind == "tones"]

    def test_what_is_left_is_told_afterwards(self, voice):
        x = (voice + whine(len(voice))).astype(np.float32)
        before = measure_recording(Sound(x[None], RATE))
        assert measure_treated(Sound(cleaned(x), RATE), before).steady_dbfs is None
        assert measure_treated(Sound(cleaned(x, 0.5), RATE), before).steady_dbfs == pytest.approx(before.steady_dbfs - 6.0, abs=0.3)

    def test_hum_and_tones_are_one_level(self, voice):
        x = voice + hummed(len(voice), 50.0, -58.0) + sine(len(voice), 6000.0, -58.0)
        report = measure_recording(Sound(x[None].astype(np.float32), RATE))
        assert report.steady_dbfs == pytest.approx(-55.0, abs=0.5)
        assert Dehum.figures[0].read(report) == report.steady_dbfs

    @pytest.mark.parametrize(("hz", "db"), [(100.0, 22.95), (1000.0, 3.37), (3300.0, -4.98), (16_000.0, 65.9)])
    def test_the_threshold_of_hearing(self, hz, db):
        assert threshold_in_quiet(hz) == pytest.approx(db, abs=0.1)


def test_where_nothing_is_steady_nothing_is_made():
    nothing = SteadySound(None, None)
    assert not nothing.is_there
    assert not nothing.synthesise(-5, (2, 10), RATE).any()
