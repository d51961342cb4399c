"""How treatments, measures and mixes answer when the sound is changed in a way whose effect is known: no truth is needed but that."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core import jobs
from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.hum import describe_hum, find_hum
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.registry import TREATMENTS
from tests.conftest import RATE, noise, rms_db

SECONDS = 5
EVERY = [*(t for t in TREATMENTS.values() if t.name != "touch-up"), Limiter()]  # which does nothing without a spot
NEURAL = ("denoise", "dereverb")  # what a network decides is not exactly as large at another place or level


def use_of(treatment, strength: float = 1.0) -> Use:
    if treatment.name == "limit":
        return Use(treatment, LimiterSettings(gain_db=6.0), strength)
    if treatment.name == "denoise":
        return Use(treatment, treatment.settings_type(engine=Engine.STATISTICAL), strength)
    return Use(treatment, treatment.settings_type(), strength)


def treated(x: np.ndarray, treatment) -> np.ndarray:
    """x: (channels, frames)."""
    chain = Chain(Sound(np.ascontiguousarray(x, np.float32), RATE), [use_of(treatment)])
    return chain.read(0, chain.frames)


@pytest.fixture(scope="module")
def plain(speech) -> np.ndarray:
    """A voice in a little noise and hum, with a few clicks, on two channels that differ."""
    t = np.arange(SECONDS * RATE) / RATE
    hum = sum(0.01 / h * np.sin(2 * np.pi * 50 * h * t) for h in range(1, 6))
    x = speech[: SECONDS * RATE] + noise(SECONDS, -55, 3)[: SECONDS * RATE] + hum
    x[2 * RATE :: 2 * RATE] += 0.3
    return np.stack([x, 0.6 * np.roll(x, 300)]).astype(np.float32)


@pytest.fixture(scope="module")
def once(plain):
    """The sound as each treatment leaves it."""
    return lru_cache(maxsize=None)(lambda name: treated(plain, next(t for t in EVERY if t.name == name)))


def below_db(x: np.ndarray, of: np.ndarray) -> float:
    """How far a difference lies under a sound."""
    return rms_db(of) - rms_db(x)


@pytest.mark.parametrize("treatment", EVERY, ids=lambda t: t.name)
class TestTreatments:
    def test_turned_over_it_comes_out_turned_over(self, treatment, plain, once):
        assert below_db(treated(-plain, treatment) + once(treatment.name), plain) > 60

    def test_channels_that_change_places_come_out_so(self, treatment, plain, once):
        assert below_db(treated(plain[::-1], treatment)[::-1] - once(treatment.name), plain) > 80

    def test_a_little_softer_comes_out_a_little_softer(self, treatment, plain, once):
        """Those that go by levels relative to the voice, and not by its level."""
        if treatment.name in ("limit", "declip", "compress", "expand", "deess"):
            pytest.skip("goes by the level itself")
        assert below_db(2.0 * treated(0.5 * plain, treatment) - once(treatment.name), plain) > (25 if treatment.name in NEURAL else 40)

    def test_silence_afterwards_changes_nothing_before(self, treatment, plain, once):
        longer = np.concatenate([plain, np.zeros((2, RATE), np.float32)], axis=1)
        n = plain.shape[1] - RATE  # what comes next may be looked at
        assert below_db((treated(longer, treatment)[:, :n] - once(treatment.name)[:, :n]), plain) > (
            20 if treatment.name in (*NEURAL, "expand") else 35
        )  # an expander goes by the gaps of the whole

    def test_begun_a_little_later_it_comes_out_a_little_later(self, treatment, plain, once):
        delay = 4800
        later = np.concatenate([np.zeros((2, delay), np.float32), plain], axis=1)
        n = slice(RATE, plain.shape[1] - RATE)
        moved = treated(later, treatment)[:, delay:]
        assert below_db(moved[:, n] - once(treatment.name)[:, n], plain) > (12 if treatment.name in NEURAL else 30)

    def test_one_core_gives_the_same_samples(self, treatment, plain, once, monkeypatch):
        monkeypatch.setattr(jobs, "CORES", 1)
        np.testing.assert_array_equal(treated(plain, treatment), once(treatment.name))

    def test_done_twice_it_stays_stable(self, treatment, plain, once):
        """The second round takes no more than the first did, and nothing grows."""
        first = once(treatment.name)
        second = treated(first, treatment)
        if treatment.name != "limit":  # it adds its gain each time
            assert rms_db(second) <= rms_db(first) + 1.5
            assert rms_db(first - second) <= max(rms_db(plain - first), -45) + 1.0

    @pytest.mark.parametrize("kind", ["denormal", "dc", "full scale", "one sample", "two samples", "square"])
    def test_odd_sound_comes_out_finite_and_as_long(self, treatment, kind):
        n = RATE + 7
        x = {
            "denormal": np.full(n, 1e-40), "dc": np.full(n, 0.5), "full scale": np.random.default_rng(1).uniform(-1, 1, n), "one sample": np.array([0.7]),
            "two samples": np.array([0.7, -0.7]), "square": np.sign(np.sin(np.arange(n) / 20.0)),
        }[kind][None].astype(np.float32)  # fmt: skip
        y = treated(x, treatment)
        assert y.shape == x.shape and np.isfinite(y).all() and np.abs(y).max() < 8.0


@pytest.mark.parametrize("treatment", [t for t in EVERY if t.name != "denoise"], ids=lambda t: t.name)
@pytest.mark.parametrize("rate", [8000, 192000])
def test_every_rate_that_recorders_have_is_treated(treatment, rate):
    x = np.random.default_rng(2).normal(0, 0.05, (1, rate + 11)).astype(np.float32)
    chain = Chain(Sound(x, rate), [use_of(treatment)])
    y = chain.read(0, chain.frames)
    assert y.shape == x.shape and np.isfinite(y).all()


# -- measures ----------------------------------------------------------------------------


@settings(max_examples=12, deadline=None)
@given(st.floats(-30.0, 12.0), st.integers(1, 6), st.integers(0, 10**6))
def test_louder_by_so_many_decibels_reads_so_many_more(gain_db, seconds, seed):
    x = noise(seconds, -30, seed)[None] * 1.0
    gain = 10 ** (gain_db / 20)
    one, other = (measure_loudness(Sound((g * x).astype(np.float32), RATE)) for g in (1.0, gain))
    if one.integrated_lufs is not None and other.integrated_lufs is not None:
        assert other.integrated_lufs - one.integrated_lufs == pytest.approx(gain_db, abs=0.01)
    assert other.true_peak_dbtp - one.true_peak_dbtp == pytest.approx(gain_db, abs=0.01)


def test_loudness_does_not_care_which_way_round_and_where(plain):
    sound = measure_loudness(Sound(plain, RATE))
    later = np.concatenate(
        [plain, np.zeros((2, 5 * RATE), np.float32)], axis=1
    )  # in three of its gating blocks silence is beside the last of the sound
    for other, tolerance in ((-plain, 0.001), (plain[::-1], 0.001), (later, 0.5)):
        found = measure_loudness(Sound(np.ascontiguousarray(other), RATE))
        assert found.integrated_lufs == pytest.approx(sound.integrated_lufs, abs=tolerance)
        assert found.true_peak_dbtp == pytest.approx(sound.true_peak_dbtp, abs=0.01)
    twice = measure_loudness(Sound(np.concatenate([plain, plain], axis=1), RATE))
    assert twice.integrated_lufs == pytest.approx(sound.integrated_lufs, abs=0.5)  # the gates lie across the seam


def test_two_equal_channels_are_three_louder_than_one(plain):
    one = measure_loudness(Sound(plain[:1], RATE)).integrated_lufs
    two = measure_loudness(Sound(np.repeat(plain[:1], 2, axis=0), RATE)).integrated_lufs
    assert two - one == pytest.approx(3.01, abs=0.02)


def test_noise_follows_the_level_and_nothing_else(plain):
    def floor(x: np.ndarray) -> float:
        meter = NoiseMeter(RATE, 2)
        meter.push(x)
        return meter.result().floor_dbfs

    assert floor(0.5 * plain) - floor(plain) == pytest.approx(-6.02, abs=0.01) and floor(-plain) == pytest.approx(floor(plain), abs=1e-6)


def test_hum_is_the_same_hum_softer_and_turned_over(plain):
    base, softer, turned = (describe_hum(find_hum(Sound(np.ascontiguousarray(x), RATE))) for x in (plain, 0.5 * plain, -plain))
    assert base.present and softer.present and turned.present
    assert [h.fundamental_hz for h in (base, softer, turned)] == pytest.approx([50.0] * 3, abs=0.05)
    assert softer.level_dbfs - base.level_dbfs == pytest.approx(-6.02, abs=0.5)


def test_an_echo_is_as_long_at_every_level(plain):
    found = [measure_echo(Sound(np.ascontiguousarray(g * plain), RATE)).rt60_s for g in (1.0, -1.0, 0.25)]
    assert (found[0] is None and found[1] is None) or found[1] == pytest.approx(found[0], rel=0.02)
    assert (found[0] is None and found[2] is None) or found[2] == pytest.approx(found[0], rel=0.1)


def test_where_somebody_speaks_is_there_at_half_the_level_and_turned_over(plain):
    base = find_activity(Sound(plain, RATE)).audible
    for other in (-plain, 0.5 * plain):
        found = find_activity(Sound(np.ascontiguousarray(other), RATE)).audible
        assert np.mean(found != base) < 0.02


def test_settings_of_a_use_do_not_matter_where_its_strength_is_nothing(plain):
    sound = Sound(plain, RATE)
    for treatment in TREATMENTS.values():
        chain = Chain(sound, [replace(use_of(treatment), strength=0.0)])
        np.testing.assert_array_equal(chain.read(0, sound.frames), plain)


@pytest.mark.parametrize("offset", [0.005, -0.02, 0.1])
def test_an_offset_changes_its_own_figure_and_no_other(plain, offset):
    """Nobody hears it: least of all is it noise."""
    before, after = (measure_recording(Sound(x, RATE)) for x in (plain, plain + np.float32(offset)))
    assert after.dc_offset - before.dc_offset == pytest.approx(offset, abs=1e-5)
    assert after.noise.floor_dbfs == pytest.approx(before.noise.floor_dbfs, abs=0.01)
    assert after.noise.snr_db == pytest.approx(before.noise.snr_db, abs=0.01)
    assert after.loudness.integrated_lufs == pytest.approx(before.loudness.integrated_lufs, abs=0.01)
    assert after.echo.rt60_s == pytest.approx(before.echo.rt60_s, rel=0.01) and after.clicks.count == before.clicks.count
    assert after.clipping.count == before.clipping.count and after.channel_faults == before.channel_faults
    kinds = [[(f.kind, f.severity) for f in r.findings if f.kind != "dc-offset"] for r in (before, after)]
    assert kinds[0] == kinds[1]


def test_a_dead_input_with_an_offset_is_silent_and_polarity_is_told_all_the_same(plain):
    dead = np.stack([plain[0], np.full(plain.shape[1], 0.01, np.float32)])
    assert measure_recording(Sound(dead, RATE)).channel_faults.silent == (1,)
    inverted = np.stack([plain[0], -plain[0]]) + np.float32(0.05)
    assert measure_recording(Sound(inverted, RATE)).channel_faults.inverted == ((0, 1),)
    same = np.stack([plain[0], plain[0]]) + np.array([[0.03], [-0.02]], np.float32)
    assert measure_recording(Sound(same, RATE)).channel_faults.same == ((0, 1),)
