"""Meters step by step: 20 ms powers, windows, gates, percentiles, the course for a picture, what plays, and peaks between samples, each against the words of the standard done by hand."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from dubbin.core.jobs import Task
from dubbin.core.measure.history import history_of
from dubbin.core.measure.k_weighting import k_weighting_sos
from dubbin.core.measure.live import CORRELATION_S, LiveMeter
from dubbin.core.measure.loudness import (
    MOMENTARY_STEPS,
    OFFSET_LU,
    SHORT_TERM_STEPS,
    STEPS_PER_S,
    LoudnessMeter,
    channel_weights,
    integrated_of,
    measure_loudness,
    range_of,
)
from dubbin.core.measure.true_peak import (
    TAPS_PER_PHASE,
    TruePeakMeter,
    between_filters,
    interpolator,
    oversampling,
    peaks_around,
)
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise, tone

F32 = np.float32
# ITU-R BS.1770-5, annex 1, tables 1 and 2
TABLE = (
    ([1.53512485958697, -2.69169619940638, 1.19839281085285], [1.0, -1.69065929318241, 0.73248077421585]),
    ([1.0, -2.0, 1.0], [1.0, -1.99004745483398, 0.99007225036621]),
)


def power_of(lufs: float) -> float:
    return 10.0 ** ((lufs - OFFSET_LU) / 10.0)


def blocks_of(*levels: tuple[float, int]) -> np.ndarray:
    """Steps whose power is that of a level in LUFS, so many each."""
    return np.concatenate([np.full(count, power_of(lufs)) for lufs, count in levels])


class TestWeighting:
    def test_at_48_khz_it_is_the_table_of_the_standard(self):
        for section, (b, a) in zip(k_weighting_sos(48_000), TABLE, strict=True):
            np.testing.assert_allclose(section, [*b, *a], atol=2e-7)

    @pytest.mark.parametrize("rate", [32_000, 44_100, 96_000])
    def test_at_other_rates_it_has_the_same_response(self, rate):
        f = np.geomspace(20.0, 8000.0, 60)
        found, wanted = (20 * np.log10(np.abs(signal.sosfreqz(k_weighting_sos(r), 2 * np.pi * f / r)[1])) for r in (rate, 48_000))
        np.testing.assert_allclose(found, wanted, atol=0.35)

    def test_surround_channels_weigh_more_and_the_low_one_nothing(self):
        assert channel_weights(5).tolist() == [1.0, 1.0, 1.0, 1.41, 1.41]
        assert channel_weights(6).tolist() == [1.0, 1.0, 1.0, 0.0, 1.41, 1.41]
        assert [channel_weights(n).tolist() for n in (1, 2, 3, 4, 8)] == [[1.0] * n for n in (1, 2, 3, 4, 8)]


class TestSteps:
    @pytest.mark.parametrize(("rate", "channels"), [(48_000, 1), (48_000, 2), (44_100, 5), (11_025, 6)])
    @pytest.mark.parametrize("block", [333, 4_800, 10**6])
    def test_weighted_mean_squares_of_every_20_ms_whatever_the_blocks(self, rate, channels, block):
        x = np.random.default_rng(channels).normal(0, 0.1, (channels, round(1.37 * rate))).astype(F32)
        meter = LoudnessMeter(rate, channels, true_peak=False)
        for start in range(0, x.shape[1], block):
            meter.push(x[:, start : start + block])
        y = signal.sosfilt(k_weighting_sos(rate), x.astype(float), axis=1) ** 2
        power = channel_weights(channels) @ y
        edges = [k * rate // STEPS_PER_S for k in range(x.shape[1] * STEPS_PER_S // rate + 1)]
        expected = [power[a:b].mean() for a, b in pairwise(edges)]
        np.testing.assert_allclose(meter.steps(), expected, rtol=1e-4)
        assert meter.peak_meter is None and meter.result().true_peak_dbtp is None
        assert meter.result().sample_peak_dbfs == pytest.approx(20 * np.log10(np.max(np.abs(x))))

    def test_peaks_are_told_with_the_rest(self):
        meter = LoudnessMeter(8000, 1)
        x = np.zeros((1, 8000), F32)
        x[0, 500] = -0.5
        meter.push(x)
        found = meter.result()
        assert found.sample_peak_dbfs == pytest.approx(-6.0206, abs=1e-3) and found.true_peak_dbtp >= found.sample_peak_dbfs

    def test_silence_has_no_loudness(self):
        assert integrated_of(np.zeros(500)) == -math.inf == integrated_of(np.ones(MOMENTARY_STEPS - 1))
        assert integrated_of(np.ones(MOMENTARY_STEPS)) == pytest.approx(OFFSET_LU)

    def test_windows_of_400_ms_and_3_s_end_at_every_step(self):
        meter = LoudnessMeter(8000, 1)
        assert meter.steps().shape == meter.momentary().shape == meter.short_term().shape == (0,)
        meter.push(noise(4.0, -20.0, rate=8000)[None])
        steps = meter.steps()
        for found, width in ((meter.momentary(), MOMENTARY_STEPS), (meter.short_term(), SHORT_TERM_STEPS)):
            expected = [OFFSET_LU + 10 * math.log10(steps[k : k + width].mean()) for k in range(len(steps) - width + 1)]
            np.testing.assert_allclose(found, expected, atol=1e-9)
        result = meter.result()
        assert result.max_momentary_lufs == meter.momentary().max() and result.max_short_term_lufs == meter.short_term().max()

    def test_less_than_a_window_has_no_figure(self):
        meter = LoudnessMeter(8000, 1)
        meter.push(noise(2.9, -20.0, rate=8000)[None])
        result = meter.result()
        assert result.max_short_term_lufs is None and result.range_lu is None
        assert result.max_momentary_lufs is not None and result.integrated_lufs is not None
        short = LoudnessMeter(8000, 1)
        short.push(noise(0.39, -20.0, rate=8000)[None])
        assert (short.result().integrated_lufs, short.result().max_momentary_lufs) == (None, None)

    def test_it_tells_how_far_it_is(self):
        told: list[float] = []
        measure_loudness(Sound(noise(60.0, -30.0)[None], RATE), Task(told.append))
        assert told == sorted(told) and 0.0 <= told[0] < 0.5 < told[-1] <= 1.0


class TestGates:
    def test_blocks_of_400_ms_every_100_ms_are_averaged(self):
        steps = np.random.default_rng(2).uniform(0.5, 1.5, 333) * power_of(-23.0)
        blocks = [steps[k : k + 20].mean() for k in range(0, 314, 5)]
        assert integrated_of(steps) == pytest.approx(OFFSET_LU + 10 * math.log10(np.mean(blocks)), abs=1e-9)

    @pytest.mark.parametrize(("soft", "counts"), [(-70.02, False), (-69.98, True)])
    def test_what_is_under_70_lufs_is_not_there(self, soft, counts):
        """Whole blocks of one level: 1 s of each, with silence of 400 ms between, so that no block holds both."""
        steps = np.concatenate([blocks_of((soft, 20)), np.zeros(20), blocks_of((-65.0, 20))])
        blocks = np.array([steps[k : k + 20].mean() for k in range(0, 41, 5)])
        loud = blocks[blocks > power_of(-70.0)]
        loud = loud[loud > loud.mean() / 10.0]
        assert integrated_of(steps) == pytest.approx(OFFSET_LU + 10 * math.log10(loud.mean()), abs=1e-9)
        assert (integrated_of(blocks_of((soft, 40))) > -math.inf) is counts

    @pytest.mark.parametrize(("under", "counts"), [(10.6, False), (9.2, True)])
    def test_what_is_10_lu_under_the_mean_is_left_out(self, under, counts):
        """A loud second among soft ones: the gate is 10 LU under the mean of all that is over -70 LUFS."""
        steps = blocks_of((-20.0, 1000), (-20.0 - under, 100))
        found = integrated_of(steps)
        assert (found < -20.15) is counts and found > -20.6
        if not counts:
            assert found == pytest.approx(-20.0, abs=0.03)

    def test_silence_has_none(self):
        assert integrated_of(np.zeros(100)) == -math.inf and integrated_of(np.zeros(0)) == -math.inf
        assert range_of(np.zeros(10)) is None and range_of(np.zeros(0)) is None

    def test_the_range_is_from_the_tenth_to_the_ninety_fifth_of_a_hundred(self):
        levels = np.linspace(-30.0, -20.0, 101)
        rng = np.random.default_rng(1)
        assert range_of(rng.permutation([power_of(v) for v in levels])) == pytest.approx(levels[95] - levels[10], abs=1e-9)

    @pytest.mark.parametrize(("soft", "counts"), [(-39.0, True), (-43.0, False)])
    def test_the_range_leaves_out_what_is_20_lu_under_the_mean(self, soft, counts):
        power = np.array([power_of(v) for v in [-20.0] * 60 + [soft] * 40])
        assert range_of(power) == pytest.approx(-20.0 - soft if counts else 0.0, abs=1e-9)
        assert range_of(np.append(power, power_of(-80.0))) == pytest.approx(range_of(power), abs=1e-9)


class TestCourse:
    @pytest.mark.parametrize(("seconds", "points"), [(3.02, 10), (9.0, 50), (9.0, 1200), (21.7, 100)])
    def test_evenly_spaced_with_the_loudest_moment_around_each(self, seconds, points):
        meter = LoudnessMeter(8000, 1)
        meter.push(noise(seconds, -20.0, rate=8000)[None] * np.linspace(0.1, 1.0, round(seconds * 8000), dtype=F32))
        found = history_of(meter, points)
        short, momentary = meter.short_term(), meter.momentary()
        step = -(-len(short) // points)
        assert 0 < len(found.times_s) <= points and found.loudness == meter.result()
        np.testing.assert_allclose(found.times_s, [1.5 + k * 0.02 for k in range(0, len(short), step)])
        np.testing.assert_array_equal(found.short_term, short[::step])
        expected = [momentary[65 + k : min(65 + k + step, len(momentary))].max() for k in range(0, len(short), step)]
        np.testing.assert_array_equal(found.momentary, expected)

    def test_what_is_too_short_has_no_course(self):
        meter = LoudnessMeter(8000, 1)
        meter.push(noise(2.0, -20.0, rate=8000)[None])
        found = history_of(meter)
        assert len(found.times_s) == len(found.momentary) == len(found.short_term) == 0


def played(x: np.ndarray, rate: int = 8000, block: int = 371):
    """(the last reading, the meter) of a sound that was played."""
    meter = LiveMeter(rate, len(x))
    reading = None
    for start in range(0, x.shape[1], block):
        reading = meter.push(x[:, start : start + block])
    return reading, meter


class TestLive:
    X = np.stack([noise(8.0, -20.0, 1, 8000), noise(8.0, -26.0, 2, 8000)])

    def test_it_reads_what_the_meter_of_files_reads_so_far(self):
        for seconds in (0.38, 0.41, 2.9, 3.5, 8.0):
            x = self.X[:, : round(seconds * 8000)]
            reading, _ = played(x)
            meter = LoudnessMeter(8000, 2)
            meter.push(x)
            momentary, short = meter.momentary(), meter.short_term()
            assert reading.momentary_lufs == (pytest.approx(momentary[-1], abs=1e-4) if len(momentary) else None)
            assert reading.short_term_lufs == (pytest.approx(short[-1], abs=1e-4) if len(short) else None)
            wanted = meter.result().integrated_lufs
            assert reading.integrated_lufs == (pytest.approx(wanted, abs=1e-4) if wanted is not None else None)

    def test_the_gates_hold_while_it_plays(self):
        n = np.arange(8000 * 12)
        x = np.where(n < 8000 * 6, 0.1, 0.01)[None] * np.random.default_rng(3).normal(0, 1, len(n)).astype(F32)
        reading, _ = played(x.astype(F32))
        meter = LoudnessMeter(8000, 1)
        meter.push(x.astype(F32))
        assert reading.integrated_lufs == pytest.approx(meter.integrated(), abs=1e-4)
        assert reading.range_lu == pytest.approx(meter.range_lu(), abs=1.0) and reading.range_lu > 10

    @pytest.mark.parametrize(("down_db", "counts"), [(12.4, True), (13.0, False)])
    def test_what_lies_10_lu_below_all_of_it_counts_no_more(self, down_db, counts):
        """Two halves: what counts of the softer one is told by how far it lies below the mean of both, which is 9.6 and 10.2 LU."""
        loud = noise(20.0, -20.0, 5, 8000)
        soft = F32(10 ** (-down_db / 20)) * loud
        alone = played(loud[None])[0].integrated_lufs
        both = played(np.concatenate([loud, soft])[None])[0].integrated_lufs
        mean = 10 * math.log10((1 + 10 ** (-down_db / 10)) / 2)
        assert both == pytest.approx(alone + (mean if counts else 0.0), abs=0.15)

    @pytest.mark.parametrize(("level_lufs", "counts"), [(-67.0, True), (-69.7, True), (-70.5, False), (-90.0, False)])
    def test_what_lies_below_70_lufs_is_silence(self, level_lufs, counts):
        sound = noise(6.0, -20.0, 6, 8000)
        sound *= F32(10 ** ((level_lufs - played(sound[None])[0].integrated_lufs) / 20))
        read = played(sound[None])[0].integrated_lufs
        assert read == (pytest.approx(level_lufs, abs=0.1) if counts else None)

    def test_the_range_is_known_anew_every_second(self):
        n = np.arange(8000 * 12)
        x = (np.where(n < 8000 * 6, 0.1, 0.02) * np.random.default_rng(4).normal(0, 1, len(n))).astype(F32)[None]
        meter = LoudnessMeter(8000, 1)
        meter.push(x)
        short = 10 ** ((np.array(meter.short_term()) - OFFSET_LU) / 10)
        ranges = [played(x[:, : round(seconds * 8000)])[0].range_lu for seconds in (10.98, 11.0, 11.98, 12.0)]
        assert ranges[0] == played(x[:, : 8000 * 10])[0].range_lu and ranges[2] == ranges[1] != ranges[0]
        assert ranges[3] == pytest.approx(range_of(short[: len(short)]), abs=0.2)

    def test_what_is_softer_than_any_sound_has_no_correlation(self):
        one = noise(1.0, -20.0, rate=8000)
        tiny = F32(3e-8) * one
        assert played(np.stack([tiny, tiny]))[0].correlation is None
        assert played(np.stack([F32(1e-4) * one, F32(1e-4) * one]))[0].correlation == pytest.approx(1.0, abs=1e-4)

    def test_peaks_of_the_last_block_and_the_highest_so_far_of_each_channel(self):
        x = np.zeros((2, 4000), F32)
        x[0, 100], x[1, 3900] = 0.5, -0.25
        reading, meter = played(x, block=1000)
        assert reading.peaks_db == (-math.inf, pytest.approx(20 * math.log10(0.25)))
        assert reading.sample_peaks_dbfs == (pytest.approx(-6.0206, abs=1e-3), pytest.approx(-12.0412, abs=1e-3))
        assert reading.highest_dbtp == max(reading.true_peaks_dbtp) and reading.true_peaks_dbtp[0] >= reading.sample_peaks_dbfs[0]
        empty = meter.push(np.zeros((2, 0), F32))
        assert empty.peaks_db == () and empty.sample_peaks_dbfs == reading.sample_peaks_dbfs
        meter.reset()
        after = meter.push(np.zeros((2, 100), F32))
        assert after.highest_dbtp is None and after.sample_peaks_dbfs == (None, None) and after.integrated_lufs is None

    @pytest.mark.parametrize(("right", "expected"), [(1.0, 1.0), (-0.5, -1.0), (0.0, None)])
    def test_the_correlation_of_both_sides(self, right, expected):
        one = noise(1.0, -20.0, rate=8000)
        assert played(np.stack([one, F32(right) * one]))[0].correlation == (None if expected is None else pytest.approx(expected, abs=1e-5))

    def test_the_correlation_forgets(self):
        one = noise(2.0, -20.0, rate=8000)
        x = np.stack([one, np.where(np.arange(len(one)) < 8000, one, -one)])
        reading, meter = played(x, block=400)
        kept = math.exp(-1.0 / CORRELATION_S)  # of the first second, which began with nothing, a second later
        assert reading.correlation == pytest.approx(-(1 - kept) / (1 + kept), abs=0.03)
        assert meter.push(np.zeros((2, 0), F32)).correlation is None
        assert played(one[None])[0].correlation is None
        other = np.stack([noise(3.0, -20.0, 1, 8000), noise(3.0, -20.0, 2, 8000)])
        assert abs(played(other)[0].correlation) < 0.1


class TestTruePeak:
    def test_it_is_looked_between_the_samples_often_enough(self):
        assert [oversampling(r) for r in (8000, 44_100, 79_999, 80_000, 96_000, 159_999, 160_000, 192_000)] == [8, 8, 8, 4, 4, 4, 2, 2]
        assert [len(between_filters(r)) for r in (44_100, 96_000, 192_000)] == [7 + 4, 3, 1]

    @pytest.mark.parametrize("factor", [2, 4, 8])
    def test_the_filter_passes_the_samples_and_is_flat(self, factor):
        h = interpolator(factor)
        assert h.dtype == F32 and len(h) == TAPS_PER_PHASE * factor + 1 and h.sum() == pytest.approx(factor, rel=1e-6)
        np.testing.assert_allclose(h, h[::-1], atol=1e-7)
        at_samples = h[TAPS_PER_PHASE * factor // 2 % factor :: factor]
        assert np.max(np.abs(np.delete(at_samples, len(at_samples) // 2))) < 1e-6
        response = np.abs(signal.freqz(h, worN=np.linspace(0, 0.9 * np.pi / factor, 50))[1]) / factor
        np.testing.assert_allclose(response, 1.0, atol=0.012)

    def test_a_peak_at_either_end_counts(self):
        for x in (np.r_[0.4, -0.4, np.zeros(3000)], np.r_[np.zeros(3000), 0.4, -0.4], np.r_[np.zeros(1500), 0.4, -0.4, np.zeros(1500)]):
            meter = TruePeakMeter(48_000, 1)
            meter.push(x[None].astype(F32))
            meter.finish()
            assert meter.sample_peak_dbfs == pytest.approx(20 * math.log10(0.4), abs=1e-4)
            assert meter.true_peak_dbtp > meter.sample_peak_dbfs

    def test_channels_have_peaks_of_their_own(self):
        loud, soft = tone(11_900, 0.5, -3.0).samples[0], tone(997, 0.5, -20.0).samples[0]
        meter = TruePeakMeter(48_000, 3)
        meter.push(np.stack([soft, np.zeros_like(soft), loud]))
        meter.push(np.zeros((3, 0), F32))
        meter.finish()
        both = np.maximum(meter.peaks, meter.sample_peaks)
        assert (
            both[1] == 0.0
            and 20 * np.log10(both[0]) == pytest.approx(-20.0, abs=0.1)
            and 20 * np.log10(both[2]) == pytest.approx(-3.0, abs=0.3)
        )
        assert meter.true_peak_dbtp == pytest.approx(20 * np.log10(both[2]))
        assert TruePeakMeter(48_000, 2).true_peak_dbtp == -math.inf == TruePeakMeter(48_000, 2).sample_peak_dbfs

    @given(st.integers(0, 2**32 - 1), st.integers(1, 3000))
    def test_around_a_frame_it_is_the_highest_between_its_two_neighbours(self, seed, length):
        x = np.random.default_rng(seed).normal(0, 0.2, (2, length)).astype(F32)
        expected = np.abs(x).max(axis=0).astype(float)
        half = TAPS_PER_PHASE // 2
        for channel in x:
            padded = np.pad(channel.astype(float), half)
            for taps in between_filters(48_000):
                gap = np.abs(np.convolve(padded, taps.astype(float), "valid"))[1 : length + 1]  # entry k: between frames k and k + 1
                np.maximum(expected, gap[:length], out=expected)
                np.maximum(expected[1:], gap[: length - 1], out=expected[1:])
        found = peaks_around(x, 48_000)
        assert found.shape == (length,)
        assert np.all(found >= expected - 1e-5), "no peak beside a frame is left out"
        assert found.max() == pytest.approx(expected.max(), abs=1e-5)

    def test_what_can_not_matter_is_given_as_it_is(self):
        x = 0.1 * np.random.default_rng(1).normal(0, 1, (1, 5000)).astype(F32)
        np.testing.assert_array_equal(peaks_around(x, 48_000, ignore_below=9.0), np.abs(x[0]))
        assert peaks_around(x[:, :0], 48_000).shape == (0,)
        np.testing.assert_array_equal(
            np.maximum(peaks_around(x, 48_000, ignore_below=0.2), 0.2), np.maximum(peaks_around(x, 48_000), 0.2)
        )  # fmt: skip
