"""What decides how loud a master is, to the sample: the limiter's gain, the look at a program, bleed control and seams, each against what the words say."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.deliver import levels as levels_module
from dubbin.core.deliver.levels import CLOSE_LU, MOST_GAIN_DB, RELEASE_MS, TILE_S, Levels, reduction_from
from dubbin.core.deliver.limiter import LOOK_AHEAD_MS, Limiter, LimiterSettings, limiter_gain
from dubbin.core.episode.balance_settings import BleedControl
from dubbin.core.episode.model import SeamShape
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.mix.bleed import EARLY_S, bleed_db, held, on_session
from dubbin.core.mix.seam import LONG_MS, SHORT_MS, SeamPlan, plan_seam
from dubbin.core.sound.source import Sound
from dubbin.core.speech.own_voice import FRAMES_PER_S
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.treatment import Context
from tests.conftest import RATE, at_length, noise, tone

HALF = round(LOOK_AHEAD_MS * 1e-3 * RATE / 2)


class TestLimiterGain:
    """A single low tone burst's crest, so that samples and true peak are the same thing."""

    CEILING, RELEASE = 0.5, 90.0

    @pytest.fixture
    def gain(self) -> np.ndarray:
        x = np.zeros((2, RATE), np.float32)
        bump = np.hanning(961).astype(np.float32)  # 20 ms: no peak between the samples is higher
        x[1, 10_000 : 10_000 + 961] = bump
        return limiter_gain(x, RATE, self.CEILING, self.RELEASE)

    def test_it_begins_no_earlier_than_it_looks_ahead_and_is_all_the_way_down_at_the_crest(self, gain):
        first_over = 10_000 + int(np.argmax(np.hanning(961) > self.CEILING))
        moved = int(np.argmax(gain < 1.0 - 1e-6))
        assert first_over - 2 * HALF - 4 <= moved < first_over
        assert np.all(gain[: first_over - 2 * HALF - 4] == pytest.approx(1.0, abs=1e-6))
        assert gain.min() == pytest.approx(self.CEILING, rel=3e-3)
        assert gain[10_480] == pytest.approx(self.CEILING, rel=3e-3)

    def test_it_comes_back_by_the_time_of_its_release(self, gain):
        a, b = gain[12_000], gain[12_000 + round(self.RELEASE * 1e-3 * RATE)]
        assert (1 - b) / (1 - a) == pytest.approx(np.exp(-1), rel=1e-3)
        slow = limiter_gain(np.where(np.arange(RATE) == 10_000, 0.9, 0.0).astype(np.float32)[None], RATE, self.CEILING, 400.0)
        assert (1 - slow[12_000 + round(0.4 * RATE)]) / (1 - slow[12_000]) == pytest.approx(np.exp(-1), rel=1e-3)

    def test_what_stays_under_the_ceiling_is_left_alone(self):
        x = tone(440, 0.3, -7.0).samples
        found = limiter_gain(x, RATE, 0.5, 90.0)
        assert found.dtype == np.float32 and found.shape == (x.shape[1],) and np.all(found == 1.0)
        assert limiter_gain(np.zeros((1, 0), np.float32), RATE, 0.5, 90.0).shape == (0,)

    def test_at_a_low_rate_it_still_looks_ahead(self):
        x = np.zeros((1, 400), np.float32)
        x[0, 200] = 1.0
        found = limiter_gain(x, 200, 0.5, 90.0)
        assert found[200] * 1.0 <= 0.5 + 1e-6 and found[0] == pytest.approx(1.0, abs=1e-5)

    @pytest.mark.parametrize(("gain_db", "ceiling"), [(0.0, -1.0), (6.0, -3.0), (-20.0, -1.0)])
    def test_gain_comes_before_it(self, gain_db, ceiling):
        x = tone(200, 0.5, -6.0).samples
        y = Limiter().process(x, Context(0, x.shape[1], RATE, LimiterSettings(gain_db, ceiling), None))
        peak = 20 * np.log10(np.max(np.abs(y)))
        assert peak == pytest.approx(min(-6.0 + gain_db, ceiling), abs=0.02)


def program(seconds: float = 11.3, rate: int = RATE, seed: int = 3) -> Sound:
    """Noise that comes and goes, with crests."""
    rng = np.random.default_rng(seed)
    n = int(seconds * rate)
    shape = 0.2 + 0.8 * np.sin(np.pi * np.arange(n) / rate / 3) ** 2
    x = rng.standard_normal((2, n)) * 0.05 * shape
    x[:, rng.integers(0, n, 40)] *= 8
    return Sound(x.astype(np.float32), rate)


class TestLevels:
    @pytest.mark.parametrize("rate", [8001, 22050, 48000])
    def test_the_highest_sample_of_every_tenth_of_a_second_also_where_pieces_meet_within_one(self, rate):
        sound = program(9.37, rate)
        levels, cell = Levels(sound), rate // 10
        heights = np.max(np.abs(sound.samples), axis=0)
        expected = [heights[k : k + cell].max() for k in range(0, len(heights), cell)]
        np.testing.assert_allclose(levels._highest, expected, rtol=1e-6)
        tile = TILE_S * rate
        np.testing.assert_allclose(levels.peaks, [heights[k : k + tile].max() for k in range(0, len(heights), tile)], rtol=1e-6)

    @pytest.mark.parametrize(("gain_db", "ceiling"), [(0.0, 200.0), (6.0, -1.0), (14.0, -3.0)])
    def test_behind_gain_and_limiter_it_is_what_the_limiter_makes_of_it(self, gain_db, ceiling):
        sound = program()
        made = Chain(sound, [Use(Limiter(), LimiterSettings(gain_db, min(ceiling, 0.0), RELEASE_MS))]).read(0, sound.frames)
        if ceiling > 0:
            made = sound.samples
        levels = Levels(sound)
        assert levels.limited(gain_db, ceiling, by_rms=False) == pytest.approx(
            measure_loudness(Sound(made, RATE)).integrated_lufs, abs=0.02
        )
        rms = 10 * np.log10(np.mean(made.astype(np.float64) ** 2))
        assert levels.limited(gain_db, ceiling, by_rms=True) == pytest.approx(rms, abs=0.01)

    def test_a_dB_of_gain_is_a_dB_where_nothing_is_limited(self):
        levels = Levels(program())
        for by_rms in (False, True):
            quiet, loud = (levels.limited(g, 200.0, by_rms=by_rms) for g in (-20.0, -17.0))
            assert loud - quiet == pytest.approx(3.0, abs=1e-3)

    def test_only_where_the_limiter_may_work_is_it_run(self, monkeypatch):
        sound = program()
        sound.samples[:, : 4 * RATE] *= 0.05
        levels, run = Levels(sound), []
        monkeypatch.setattr(levels_module, "limiter_gain", lambda x, *a: run.append(x.shape) or limiter_gain(x, *a))
        levels.limited(6.0, -1.0, by_rms=False)
        assert len(run) == 2  # of three pieces of 4 s

    def test_silence_and_nothing_have_no_level(self):
        for sound in (Sound(np.zeros((1, 5 * RATE), np.float32), RATE), Sound(np.zeros((2, 0), np.float32), RATE)):
            levels = Levels(sound)
            assert levels.limited(0.0, -1.0, by_rms=False) is None and levels.limited(0.0, -1.0, by_rms=True) is None
            assert levels.gain_to(-16.0, -1.0) == 0.0
        assert levels.loud_tiles(4) == []

    @pytest.mark.parametrize("aim", [-30.0, -14.0, *at_length(-20.0)])
    @pytest.mark.parametrize("by_rms", [False, True])
    def test_the_gain_brings_it_there_through_the_limiter(self, aim, by_rms):
        levels = Levels(program())
        gain = levels.gain_to(aim, -1.0, by_rms=by_rms)
        assert levels.limited(gain, -1.0, by_rms=by_rms) == pytest.approx(aim, abs=CLOSE_LU)
        near = levels.gain_to(aim, -1.0, by_rms=by_rms, near_db=gain + 0.4)
        assert levels.limited(near, -1.0, by_rms=by_rms) == pytest.approx(aim, abs=CLOSE_LU)

    def test_a_gain_that_is_right_already_is_taken_as_it_is(self):
        levels, asked = Levels(program()), []
        gain = levels.gain_to(-14.0, -1.0)
        limited = levels.limited
        levels.limited = lambda gain_db, *a, **k: asked.append(gain_db) or limited(gain_db, *a, **k)
        assert levels.gain_to(-14.0, -1.0, near_db=gain) == gain
        assert asked == [0.0, gain], "one look as it is and one at the gain"

    def test_it_tells_how_far_it_is(self):
        levels, told = Levels(program()), []
        levels.gain_to(-14.0, -1.0, task=Task(told.append))
        assert told and told == sorted(told) and told[-1] <= 1.0 and told[0] < 0.5

    def test_what_can_not_be_reached_ends_with_the_most_gain(self):
        levels = Levels(program())
        assert levels.gain_to(-5.0, -60.0) == MOST_GAIN_DB

    def test_loud_pieces_are_of_the_louder_half_and_spread(self):
        x = np.full((1, int(4.5 * TILE_S * RATE)), 0.01, np.float32)
        for k, level in enumerate((0.1, 0.01, 0.2, 0.02, 0.3)):
            x[:, k * TILE_S * RATE : (k + 1) * TILE_S * RATE] = level
        levels, tile = Levels(Sound(x, RATE)), TILE_S * RATE
        assert levels.loud_tiles(2) == [(0, tile), (4 * tile, x.shape[1])]
        assert levels.loud_tiles(9) == [(0, tile), (2 * tile, 3 * tile), (4 * tile, x.shape[1])]
        assert levels.loud_tiles(1) == [(0, tile)]

    def test_what_the_limiter_does_is_read_off_the_highest_samples(self):
        peaks = np.array([0.0, 0.05, 0.5, 1.0, 0.25], np.float32)
        found = reduction_from(peaks, 6.0206, -6.0206)
        np.testing.assert_allclose(found.db, [0, 0, -6.02, -12.04, 0], atol=0.01)
        assert found.deepest_db == pytest.approx(12.04, abs=0.01) and found.share == pytest.approx(0.4)
        none = reduction_from(np.zeros(0, np.float32), 6.0, -1.0)
        assert (none.deepest_db, none.share) == (0.0, 0.0)
        assert Levels(program()).reduction(0.0, 20.0).deepest_db == 0.0


runs = st.lists(st.tuples(st.integers(0, 60), st.integers(1, 12)), min_size=1, max_size=6)  # of silence and of speech
marks = st.tuples(runs, st.integers(0, 60)).map(
    lambda r: np.repeat([*[False, True] * len(r[0]), False], [*(n for pair in r[0] for n in pair), r[1]])
)
BLEED = BleedControl(on=True, range_db=12.0, hold_ms=200.0, fade_ms=100.0)
EARLY, LATE = (int(np.ceil(s * FRAMES_PER_S)) for s in (EARLY_S + 0.1, 0.2 + 0.05))


class TestBleed:
    @given(marks, st.integers(-80, 80), st.integers(1, 300))
    def test_marks_of_a_lane_lie_where_the_lane_does(self, own, offset, count):
        found = on_session(own, offset * RATE // FRAMES_PER_S, RATE, count)
        expected = [0 <= k - offset < len(own) and bool(own[k - offset]) for k in range(count)]
        assert found.tolist() == expected

    @given(marks)
    def test_a_microphone_is_open_a_little_before_its_voice_and_holds_after_it(self, own):
        expected = np.zeros(len(own), bool)
        for k in np.flatnonzero(own):
            expected[max(k - EARLY, 0) : k + LATE + 1] = True
        assert held(own, BLEED).tolist() == expected.tolist()

    @staticmethod
    def spoken(*spans: tuple[int, int], count: int = 600) -> np.ndarray:
        out = np.zeros(count, bool)
        for a, b in spans:
            out[a:b] = True
        return out

    def test_who_spoke_last_stays_open_until_another_begins(self):
        a, b = self.spoken((50, 100), (400, 450)), self.spoken((250, 300))
        found = bleed_db({"a": a, "b": b}, {"a": BLEED, "b": BLEED})
        assert found["a"][120:200] == pytest.approx(0.0) and found["b"][60:200] == pytest.approx(-12.0)
        assert found["a"][250:330] == pytest.approx(-12.0), "b begins"
        assert found["b"][250:370] == pytest.approx(0.0) and found["b"][400:] == pytest.approx(-12.0)
        assert found["a"][400:] == pytest.approx(0.0)

    def test_before_anybody_has_spoken_all_are_open(self):
        a, b = self.spoken((300, 350)), self.spoken((500, 550))
        found = bleed_db({"a": a, "b": b}, {"a": BLEED, "b": BLEED})
        assert found["a"][:280] == pytest.approx(0.0) and found["b"][:270] == pytest.approx(0.0)

    def test_two_at_once_are_both_open(self):
        a, b = self.spoken((100, 300)), self.spoken((150, 250))
        found = bleed_db({"a": a, "b": b}, {"a": BLEED, "b": BLEED})
        assert found["a"][150:250] == pytest.approx(0.0) and found["b"][150:250] == pytest.approx(0.0)

    def test_the_way_down_takes_the_fade_and_one_without_settings_is_left_alone(self):
        a, b = self.spoken((0, 50)), self.spoken((300, 600))
        found = bleed_db({"a": a, "b": b}, {"a": BLEED})
        assert list(found) == ["a"]
        moving = np.flatnonzero((found["a"] < -1e-9) & (found["a"] > -12.0 + 1e-9))
        assert len(moving) == pytest.approx(0.1 * FRAMES_PER_S, abs=1) and np.all(np.diff(moving) == 1)
        middle = 300 - EARLY  # where b opens
        assert found["a"][middle - 8 : middle + 8].mean() == pytest.approx(-6.0, abs=0.5)
        assert bleed_db({"a": a}, {"a": BLEED}) == {}


class TestSeams:
    @given(st.integers(1, 2000), st.floats(0, 1))
    @settings(max_examples=30)
    def test_what_is_alike_by_so_much_keeps_its_power(self, half, correlation):
        out, into = SeamPlan(half, correlation).fades(np.arange(2 * half))
        assert out.dtype == into.dtype == np.float32 and len(out) == len(into) == 2 * half
        np.testing.assert_allclose(out**2 + into**2 + 2 * correlation * out * into, 1.0, atol=1e-5)
        np.testing.assert_allclose(out, into[::-1], atol=1e-6)
        assert np.all(np.diff(into) >= -1e-6)

    def test_nothing_to_fade(self):
        out, into = SeamPlan(0).fades(np.arange(0))
        assert len(out) == len(into) == 0

    @pytest.mark.parametrize(
        ("correlation", "shape"), [(0.0, SeamShape.POWER), (0.49, SeamShape.POWER), (0.5, SeamShape.GAIN), (1.0, SeamShape.GAIN)]
    )
    def test_what_it_is_called(self, correlation, shape):
        assert SeamPlan(10, correlation).shape is shape

    def test_steady_noise_is_joined_over_longer_than_speech(self):
        steady = Sound(noise(2, -40, 1)[None].astype(np.float32), RATE)
        assert plan_seam(steady, RATE // 2, RATE, 10**6, None, SeamShape.AUTO).half == round(LONG_MS * 1e-3 * RATE / 2)
        x = steady.samples.copy()
        x[:, RATE - 480 : RATE] *= 30  # a word ends there: on one side is enough
        assert plan_seam(Sound(x, RATE), RATE // 2, RATE, 10**6, None, SeamShape.AUTO).half == round(SHORT_MS * 1e-3 * RATE / 2)
        assert plan_seam(Sound(x, RATE), RATE, RATE // 2, 10**6, None, SeamShape.AUTO).half == round(SHORT_MS * 1e-3 * RATE / 2)

    @pytest.mark.parametrize(("room", "half"), [(10**6, 480), (100, 100), (0, 0), (-5, 0)])
    def test_no_longer_than_there_is_room(self, room, half):
        sound = Sound(noise(2, -40, 1)[None].astype(np.float32), RATE)
        assert plan_seam(sound, RATE // 2, RATE, room, 20.0, SeamShape.POWER).half == half

    def test_the_same_hum_is_joined_by_gain_and_noise_by_power(self):
        hum = tone(100, 2, -20, channels=2)
        same, turned = (plan_seam(hum, RATE // 2, RATE // 2 + shift, 10**6, 20.0, SeamShape.AUTO) for shift in (4800, 4800 + 240))
        assert same.correlation == pytest.approx(1.0, abs=1e-3) and same.shape is SeamShape.GAIN
        assert turned.correlation == 0.0, "what takes one another away is not added by gain"
        rough = Sound(noise(2, -40, 1)[None].astype(np.float32), RATE)
        assert plan_seam(rough, RATE // 2, RATE, 10**6, 36.0, SeamShape.AUTO).correlation < 0.1
        silent = Sound(np.zeros((1, 2 * RATE), np.float32), RATE)
        assert plan_seam(silent, RATE // 2, RATE, 10**6, 20.0, SeamShape.AUTO).correlation == 0.0

    def test_a_shape_that_is_given_is_taken(self):
        hum = tone(100, 2, -20)
        assert plan_seam(hum, RATE // 2, RATE // 2 + 4800, 10**6, 20.0, SeamShape.POWER).correlation == 0.0
        rough = Sound(noise(2, -40, 1)[None].astype(np.float32), RATE)
        assert plan_seam(rough, RATE // 2, RATE, 10**6, 20.0, SeamShape.GAIN).correlation == 1.0
        assert plan_seam(hum, RATE // 2, RATE // 2 + 4800, 1, None, SeamShape.AUTO) == SeamPlan(1, 0.0)
