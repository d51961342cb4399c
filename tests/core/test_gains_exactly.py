"""Gains to the sample and the tenth of a decibel: curves, fades, levelling, ducking, covers and what a click is compared with, each against what the words say."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.balance_settings import Ducking, Levelling
from dubbin.core.episode.model import Cover, CoverKind, FrameRange
from dubbin.core.measure.interpolation import FREE, drawn
from dubbin.core.measure.loudness import OFFSET_LU
from dubbin.core.measure.masking import AROUND_S, EDGES_HZ, LONGEST_S, ORDER, powers
from dubbin.core.mix.cover import FADE_S, LOWER_FADE_S, TONE_DBFS, Covered, fade_frames
from dubbin.core.mix.ducking import LEAST_WORD_S, ducking_db
from dubbin.core.mix.gain_curve import POINTS_PER_S, GainCurve, curve_from_db, fade_gain
from dubbin.core.mix.levelling import FACTS_PER_S, GATE_LU, LEAST_SPEECH_S, RIDE_GATE_LU, STEP_S, levelling_db, own_loudness
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Sound

RATE = 48000
F32 = np.float32
gains = st.lists(st.sampled_from([0.0, 0.5, 1.0, 1.0, 2.0]), min_size=1, max_size=6)


class TestCurves:
    @given(gains, st.integers(-700, 4000), st.integers(0, 2000))
    def test_a_curve_is_straight_between_its_points_and_level_before_and_after_them(self, points, start, length):
        curve = GainCurve(np.array(points, F32), RATE)
        hop = RATE / POINTS_PER_S
        expected = np.interp(np.arange(start, start + length), np.arange(len(points)) * hop, points)
        found = curve.at(start, start + length)
        assert found.dtype == F32 and found.shape == (length,)
        np.testing.assert_allclose(found, expected, atol=1e-6)

    def test_no_points_are_a_gain_of_one(self):
        found = GainCurve(np.zeros(0, F32), RATE).at(3, 10)
        assert found.dtype == F32 and found.tolist() == [1.0] * 7

    def test_decibels_become_factors_and_come_back(self):
        curve = curve_from_db([0, -20, 20 * np.log10(2.0)], RATE)
        assert curve.gain.dtype == F32
        np.testing.assert_allclose(curve.gain, [1.0, 0.1, 2.0], rtol=1e-6)
        np.testing.assert_allclose(curve.db, [0.0, -20.0, 6.0206], atol=1e-3)
        assert curve_from_db([-400.0], RATE).db[0] == pytest.approx(-120.0)

    def test_fades_are_quarters_of_a_sine_at_both_ends(self):
        n, frames, fade_in, fade_out = np.arange(100), 100, 20, 40
        gain = fade_gain(n, frames, fade_in, fade_out)
        assert gain.dtype == F32
        np.testing.assert_allclose(gain[:20], np.sin((np.arange(20) + 0.5) / 20 * np.pi / 2), atol=1e-6)
        np.testing.assert_allclose(gain[60:], np.sin((np.arange(40)[::-1] + 0.5) / 40 * np.pi / 2), atol=1e-6)
        assert np.all(gain[20:60] == 1.0)
        np.testing.assert_allclose(fade_gain(n[:1], frames, 0, 100), np.sin(99.5 / 100 * np.pi / 2), rtol=1e-6)

    @pytest.mark.parametrize(("first", "last", "reaches"), [(20, 59, False), (19, 59, True), (20, 60, True), (0, 99, True)])
    def test_where_no_fade_reaches_there_is_none(self, first, last, reaches):
        assert (fade_gain(np.arange(first, last + 1), 100, 20, 40) is not None) == reaches

    def test_of_nothing_there_is_no_fade(self):
        assert fade_gain(np.arange(0), 100, 20, 40) is None and fade_gain(np.arange(100), 100, 0, 0) is None


def power_of(*parts: tuple[float, float]) -> np.ndarray:
    """K-weighted power of stretches of (seconds, LUFS)."""
    return np.concatenate([np.full(round(s * FACTS_PER_S), 10 ** ((lufs - OFFSET_LU) / 10)) for s, lufs in parts])


def all_of(power: np.ndarray) -> np.ndarray:
    return np.ones(len(power), bool)


class TestOwnLoudness:
    def test_steady_speech_reads_its_level(self):
        p = power_of((4, -23))
        assert own_loudness(p, all_of(p)) == pytest.approx(-23.0, abs=1e-6)

    @pytest.mark.parametrize(("under", "counts"), [(GATE_LU - 3.3, True), (GATE_LU + 8, False)])
    def test_what_lies_far_under_the_mean_does_not_count(self, under, counts):
        p = power_of((4, -20), (4, -20 - under))
        mean = 10 * np.log10(np.mean(10 ** (np.array([-20, -20 - under]) / 10)))
        assert own_loudness(p, all_of(p)) == pytest.approx(mean if counts else -20.0, abs=1e-6)

    def test_two_fifths_of_a_second_are_enough(self):
        least = round(LEAST_SPEECH_S * FACTS_PER_S)
        p = power_of((4, -20))
        assert own_loudness(p, np.arange(len(p)) < least) == pytest.approx(-20.0, abs=1e-6)
        assert own_loudness(p, np.arange(len(p)) < least - 1) is None


class TestLevelling:
    def test_one_level_is_brought_to_the_target_by_one_gain(self):
        power = power_of((20.06, -31))
        gain = levelling_db(power, all_of(power), Levelling(target_lufs=-20.0))
        assert len(gain) == 201 and gain == pytest.approx(np.full(201, 11.0), abs=1e-6)

    @pytest.mark.parametrize(("lufs", "gain_db"), [(-100.0, 68.0), (-70.0, 50.0), (60.0, -68.0)])
    def test_there_is_an_end_to_what_is_lifted_and_lowered(self, lufs, gain_db):
        """30 dB as a whole, the range of 8 dB around it, and 30 dB for what that leaves."""
        power = power_of((20, lufs))
        assert levelling_db(power, all_of(power), Levelling(target_lufs=-20.0)) == pytest.approx(np.full(200, gain_db), abs=0.01)

    @pytest.mark.parametrize(("range_db", "apart"), [(2.0, 4.0), (12.0, 8.0)])
    def test_a_soft_half_and_a_loud_one_come_together_as_far_as_the_range_lets_them(self, range_db, apart):
        power = power_of((60, -28), (60, -20))
        own = all_of(power)
        gain = levelling_db(power, own, Levelling(target_lufs=-23.0, speed_s=4.0, range_db=range_db))
        assert gain[100:500].min() - gain[700:1100].max() == pytest.approx(apart, abs=0.02)
        steps = np.arange(len(power)) // round(STEP_S * FACTS_PER_S)
        assert own_loudness(power * 10 ** (gain[steps] / 10), own) == pytest.approx(-23.0, abs=0.05)

    @pytest.mark.parametrize(("under", "is_lifted"), [(RIDE_GATE_LU - 4, True), (RIDE_GATE_LU + 4, False)])
    def test_a_soft_passage_is_brought_up_and_what_is_a_breath_is_not(self, under, is_lifted):
        power = power_of((40, -20), (20, -20 - under), (40, -20))
        gain = levelling_db(power, all_of(power), Levelling(target_lufs=-20.0, speed_s=3.0, range_db=20.0))
        assert gain[450:550] - gain[200] == pytest.approx(np.full(100, under if is_lifted else 0.0), abs=0.1)

    def test_what_nobody_says_has_no_say_however_loud_it_is(self):
        power = power_of((30, -25), (30, -5), (30, -25))
        own = np.repeat([True, False, True], 30 * FACTS_PER_S)
        assert levelling_db(power, own, Levelling(target_lufs=-20.0)) == pytest.approx(np.full(900, 5.0), abs=1e-6)

    def test_backwards_it_is_the_same_backwards(self):
        rng = np.random.default_rng(3)
        power = 10 ** (rng.uniform(-45, -20, 40 * FACTS_PER_S // 5).repeat(5) / 10)
        own = rng.random(len(power) // 100).repeat(100) > 0.4
        there, back = (levelling_db(p, o, Levelling(speed_s=2.0)) for p, o in ((power, own), (power[::-1], own[::-1])))
        np.testing.assert_allclose(back, there[::-1], atol=1e-6)

    def test_the_average_reaches_half_its_time_to_both_sides(self):
        """A step of loudness is met by a gain that is half way at the step, and done a speed away from it."""
        power = power_of((60, -26), (60, -20))
        gain = levelling_db(power, all_of(power), Levelling(target_lufs=-23.0, speed_s=10.0, range_db=20.0))
        share = (gain - gain[900]) / (gain[300] - gain[900])
        middle = int(np.argmin(np.abs(share - 0.5)))
        assert 570 <= middle <= 600, "power decides: the loud half reaches a little farther"
        assert share[450] > 0.97 and share[700] < 0.03 and 0.15 < share[550] - share[650] < 0.8

    def test_a_word_or_two_move_nothing_by_themselves(self):
        """Known is only where enough is said nearby: a lone loud syllable far from all else keeps the gain of what lies before and after it."""
        power = power_of((30, -25), (20, -25), (0.1, -12), (20, -25), (30, -25))
        own = np.concatenate(
            [np.full(round(s * FACTS_PER_S), is_own) for s, is_own in ((30, 1), (20, 0), (0.1, 1), (20, 0), (30, 1))]
        ).astype(bool)
        gain = levelling_db(power, own, Levelling(target_lufs=-20.0, speed_s=3.0, range_db=20.0))
        assert np.ptp(gain) < 0.05

    def test_where_nothing_is_said_nothing_is_done(self):
        power = power_of((3, -20))
        assert levelling_db(power, ~all_of(power), Levelling()).tolist() == [0.0] * 30
        assert len(levelling_db(power[:1], all_of(power[:1]), Levelling())) == 1


class TestDucking:
    SETTINGS = Ducking(depth_db=12.0, attack_ms=200.0, hold_ms=300.0, release_ms=500.0)

    def speech(self, *words: tuple[int, int], count: int = 1000) -> np.ndarray:
        out = np.zeros(count, bool)
        for a, b in words:
            out[a:b] = True
        return out

    def test_down_before_the_word_in_full_through_it_and_up_after_the_hold(self):
        gain = ducking_db(self.speech((300, 400)), self.SETTINGS)

        def expected(down: float) -> float:
            return -12.0 * (0.5 - 0.5 * np.cos(np.pi * down))

        assert gain[:281].tolist() == [0.0] * 281
        for k in range(281, 300):
            assert gain[k] == pytest.approx(expected(1 - (300 - k) / 20), abs=1e-9)
        assert gain[300:430] == pytest.approx(np.full(130, -12.0))
        for k in range(430, 480):
            assert gain[k] == pytest.approx(expected(1 - (k - 429) / 50), abs=1e-9)
        assert np.all(np.abs(gain[480:]) < 1e-9)

    def test_a_pause_shorter_than_the_hold_lets_nothing_up_and_one_that_lets_go_is_met_half_way(self):
        assert ducking_db(self.speech((300, 400), (429, 500)), self.SETTINGS)[300:500] == pytest.approx(np.full(200, -12.0))
        both = ducking_db(self.speech((300, 400), (470, 500)), self.SETTINGS)
        alone = [ducking_db(self.speech(word), self.SETTINGS) for word in ((300, 400), (470, 500))]
        np.testing.assert_allclose(both, np.minimum(*alone), atol=1e-9)

    @pytest.mark.parametrize(("shorter", "ducks"), [(0, True), (1, False)])
    def test_what_is_shorter_than_a_word_is_none(self, shorter, ducks):
        length = round(LEAST_WORD_S * POINTS_PER_S) - shorter
        assert ducking_db(self.speech((300, 300 + length)), self.SETTINGS).any() == ducks

    def test_speech_from_the_first_mark_to_the_last(self):
        assert ducking_db(np.ones(50, bool), self.SETTINGS) == pytest.approx(np.full(50, -12.0))
        assert ducking_db(self.speech((300, 400)), Ducking(depth_db=0.0)).tolist() == [0.0] * 1000
        assert len(ducking_db(np.zeros(0, bool), self.SETTINGS)) == 0


class TestCovers:
    def source(self) -> Sound:
        return Sound(np.random.default_rng(1).standard_normal((2, 4000)).astype(F32) * 0.1, RATE)

    def test_how_long_covers_take_to_come_and_go(self):
        assert [fade_frames(kind, RATE) for kind in CoverKind] == [
            round((LOWER_FADE_S if kind in (CoverKind.LOWER, CoverKind.OTHER) else FADE_S) * RATE) for kind in CoverKind
        ]
        assert fade_frames(CoverKind.SILENCE, 20) == 1

    def test_a_cover_is_straight_in_amplitude_before_and_after_its_stretch(self):
        source, fade = self.source(), fade_frames(CoverKind.LOWER, RATE)
        y = Covered(source, [Cover(2000, 2100, CoverKind.LOWER, -20.0)]).read(0, 4000)
        n = np.arange(4000)
        amount = np.interp(n, [2000 - fade, 2000, 2099, 2099 + fade], [0.0, 1.0, 1.0, 0.0])
        np.testing.assert_allclose(y, source.samples * (1 - 0.9 * amount), atol=1e-6)
        assert y.dtype == F32

    def test_a_tone_begins_at_zero_and_lies_on_both_channels(self):
        source = self.source()
        y = Covered(source, [Cover(1000, 3000, CoverKind.TONE)]).read(1000, 3000)
        expected = 10 ** (TONE_DBFS / 20) * np.sqrt(2) * np.sin(2 * np.pi * 1000 * np.arange(2000) / RATE)
        np.testing.assert_allclose(y, np.stack([expected, expected]), atol=1e-5)

    def test_noise_is_the_room_backwards_then_forwards_and_so_on(self):
        source = self.source()
        room = source.samples[:, 100:400]
        y = Covered(source, [Cover(1000, 3000, CoverKind.NOISE, noise_from=FrameRange(100, 400))]).read(1000, 3000)
        back = room[:, ::-1]
        turn = np.concatenate([back, back[:, -2:0:-1]], axis=1)
        np.testing.assert_array_equal(y, np.tile(turn, 5)[:, :2000])
        outside = Covered(source, [Cover(1000, 1010, CoverKind.NOISE, noise_from=FrameRange(-50, 3))]).read(1000, 1010)
        np.testing.assert_array_equal(outside, source.samples[:, [2, 1, 0, 1, 2, 1, 0, 1, 2, 1]])

    @pytest.mark.parametrize("place", [None, FrameRange(200, 200), FrameRange(200, 201), FrameRange(-9, 0)])
    def test_without_a_room_to_play_it_is_silent(self, place):
        y = Covered(self.source(), [Cover(1000, 3000, CoverKind.NOISE, noise_from=place)]).read(900, 3100)
        assert y.shape == (2, 2200) and not y[:, 100:2100].any() and y.dtype == F32

    def test_covers_that_are_not_met_leave_the_others_and_the_source_alone(self):
        source = self.source()
        before = source.samples.copy()
        covers = [Cover(10, 20), Cover(2000, 2100), Cover(3900, 3990)]
        y = Covered(source, covers).read(1900, 2200)
        assert not y[:, 100:200].any() and y[:, 0].any() and np.array_equal(source.samples, before)


@pytest.mark.parametrize("rate", [48000, 16000, 8000])
def test_a_click_is_compared_with_what_is_drawn_under_it_band_by_band(rate):
    rng = np.random.default_rng(6)
    x = np.convolve(rng.standard_normal(rate // 2), 0.9 ** np.arange(40), "same").astype(F32)
    spans = [(rate // 5, rate // 5 + 9), (rate // 3, rate // 3 + 31), (rate // 2 - 20, rate // 2 - 11)]
    calm = x.copy()
    for a, b in spans:
        x[a:b] += 2.0
    click, cover = powers(x, calm, spans, rate)
    around = round(AROUND_S * rate)
    frame = fourier.good_size(2 * around + round(LONGEST_S * rate))
    for k, (a, b) in enumerate(spans):
        low, high = a - around, min(b + around, len(x))
        rest, gap = calm[low:high].astype(float), np.arange(a - low, b - low)
        rest[gap] = drawn(rest, gap, np.ones(len(gap)), np.full(len(gap), FREE), order=ORDER, passes=1)
        taken = np.zeros(len(rest))
        taken[gap] = x[a:b] - rest[gap]
        hz = np.arange(frame // 2 + 1)
        for found, y in ((click[k], taken), (cover[k], rest)):
            P = np.abs(np.fft.rfft(y * np.hanning(len(y)), frame)) ** 2
            borders = [*(edge * frame // rate for edge in EDGES_HZ), frame]
            expected = [P[(hz >= lo) & (hz < hi)].sum() for lo, hi in pairwise(borders)]
            np.testing.assert_allclose(found, expected, rtol=1e-6, atol=1e-9 * P.sum())
