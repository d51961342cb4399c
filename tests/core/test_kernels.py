"""Every compiled loop equals a plain NumPy twin, written for reading and not for speed."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import linalg, ndimage, signal, special

from dubbin.core.deliver import limiter_kernels
from dubbin.core.measure import (
    banded_kernels,
    click_feature_kernels,
    click_kernels,
    hum_kernels,
    interpolation_kernels,
    levinson_kernels,
    tones_kernels,
    true_peak_kernels,
)
from dubbin.core.measure.click_features import NEAR
from dubbin.core.measure.click_kernels import GRAIN
from dubbin.core.sound import filtering_kernels, packing_kernels, wav_kernels
from dubbin.core.speech import retakes_kernels, speaker_encoder_kernels, speakers_kernels, word_edges_kernels
from dubbin.core.treat import (
    compressor_kernels,
    dereverb_kernels,
    engine_blend_kernels,
    envelope_kernels,
    fast_math_kernels,
    low_band_kernels,
    noise_kernels,
    prediction_kernels,
    stft_kernels,
    suppressor_kernels,
)
from dubbin.core.treat.compressor import CompressorSettings, Detection, static_gain_db
from dubbin.core.treat.prediction_taps import DELAY, TAPS

F32 = np.float32


def drawn(*shape: int, seed: int = 0) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(shape).astype(F32)


def powers(*shape: int, seed: int = 0) -> np.ndarray:
    return (np.random.default_rng(seed).random(shape) ** 2 + 1e-3).astype(F32)


def spectra(*shape: int, seed: int = 0) -> np.ndarray:
    return (drawn(*shape, seed=seed) + 1j * drawn(*shape, seed=seed + 100)).astype(np.complex64)


# -- recursions -------------------------------------------------------------------------


def test_the_limiter_goes_down_at_once_and_comes_back_by_its_coefficient():
    wanted = np.clip(drawn(400) + 1.0, 0.1, 1.0).astype(F32)
    out, state, expected = np.empty_like(wanted), 1.0, []
    limiter_kernels.release(wanted, F32(0.98), out)
    for w in wanted.astype(float):
        state = min(w, 1.0 - 0.98 * (1.0 - state)) if w >= state else w
        expected.append(state)
    np.testing.assert_allclose(out, expected, atol=1e-5)


@pytest.mark.parametrize("follows", [False, True])
def test_the_compressor_follows_with_attack_and_release(follows):
    wanted, out = np.minimum(drawn(500) * 6, 0.0).astype(F32), np.empty(500, F32)
    compressor_kernels.smooth(wanted, 0.6, 0.95, 0.99, 0.999, follows, out)
    fast = slow = 0.0
    expected = []
    for w in wanted.astype(float):
        fast = w + (0.6 if w < fast else 0.95) * (fast - w)
        slow = w + (0.99 if w < slow else 0.999) * (slow - w)
        fast = min(fast, slow) if follows else fast
        expected.append(fast)
    np.testing.assert_allclose(out, expected, atol=1e-4)


def test_an_envelope_is_down_when_it_is_wanted_down():
    wanted = np.minimum(drawn(300).astype(float) * 10, 0.0)
    state, expected = 0.0, []
    for w in wanted:
        state = min(w, 0.9 * state + 0.1 * w)
        expected.append(state)
    np.testing.assert_allclose(envelope_kernels.released(wanted, 0.9), expected, atol=1e-12)


@pytest.mark.parametrize("size", [1, 2, 7, 480, 900])
def test_the_level_before_a_frame_is_of_the_frames_up_to_it(size):
    x = drawn(2, 700)
    high, power = np.empty(700, F32), np.empty(700, F32)
    compressor_kernels.highest_before(x, size, high)
    compressor_kernels.power_before(x, size, power)
    past = [x[:, max(n - size + 1, 0) : n + 1].astype(float) for n in range(700)]
    np.testing.assert_array_equal(high, [F32(np.abs(part).max()) for part in past])
    np.testing.assert_allclose(power, [(part**2).sum(axis=1).max() / size for part in past], rtol=1e-6)
    compressor_kernels.highest_before(x[:, :0], size, high[:0])


@pytest.mark.parametrize("knee_db", [0.0, 6.0, 24.0])
@pytest.mark.parametrize("detection", list(Detection))
def test_the_static_curve_of_a_level_is_the_one_that_is_shown(knee_db, detection):
    settings = CompressorSettings(threshold_db=-22.0, ratio=3.0, knee_db=knee_db, detection=detection)
    level_db = np.concatenate([np.linspace(-120.0, 12.0, 4000), [-22.0, -22.0 - knee_db / 2, -22.0 + knee_db / 2]])
    scale = 20.0 if detection is Detection.PEAK else 10.0
    found = np.empty(len(level_db), F32)
    compressor_kernels.static_gain((10 ** (level_db / scale)).astype(F32), scale * np.log10(2.0), -22.0, 1 / 3.0 - 1.0, knee_db, found)
    np.testing.assert_allclose(found, static_gain_db(level_db, settings), atol=3e-4)


def test_decibels_become_factors_and_none_is_one():
    gain_db = np.concatenate([drawn(1000) * 20, np.full(20, -3.0)]).astype(F32)
    out = np.empty_like(gain_db)
    compressor_kernels.factors(gain_db, 3.0, out)
    np.testing.assert_allclose(out, 10 ** ((gain_db.astype(float) + 3.0) / 20), rtol=3e-5)
    assert np.all(out[-20:] == 1.0)


@pytest.mark.parametrize(("offset", "count"), [(0, 20), (13, 19), (5, 25)])
def test_powers_of_steps_are_of_the_loudest_channel_with_silence_behind(offset, count):
    x, out = drawn(2, 1000), np.empty(count)
    envelope_kernels.step_powers(x, offset, 48, out)
    whole = np.pad(x.astype(float), ((0, 0), (0, 2000)))[:, offset : offset + count * 48]
    np.testing.assert_allclose(out, (whole.reshape(2, count, 48) ** 2).mean(axis=2).max(axis=0), rtol=1e-9)


@pytest.mark.parametrize(
    ("first", "steps", "frames"), [(24, 20, 1000), (0, 5, 1000), (-40, 30, 900), (3000, 4, 500), (7, 1, 60), (-5000, 3, 40)]
)
def test_gains_of_frames_are_straight_in_decibels_between_steps(first, steps, frames):
    gain_db = np.minimum(drawn(steps).astype(float) * 6, 0.0)
    out = np.empty(frames, F32)
    envelope_kernels.drawn(gain_db, first, 48, out)
    expected = 10 ** (np.interp((np.arange(frames) - first) / 48, np.arange(steps), gain_db) / 20)
    np.testing.assert_allclose(out, expected, rtol=4e-5)
    assert np.all(out[np.interp((np.arange(frames) - first) / 48, np.arange(steps), gain_db) == 0.0] == 1.0)


def test_the_spectra_of_both_engines_meet():
    X, Y, gains, snr = spectra(40, 30), spectra(40, 30, seed=1), powers(40, 30), powers(40, 30, seed=2) * 60
    expected = X * gains
    network, statistical = np.empty(40), np.empty(40)
    engine_blend_kernels.gained(X.view(F32), gains, snr, Y.view(F32), 20.0, network, statistical)
    np.testing.assert_allclose(X, expected, rtol=1e-6)
    for found, Z in ((network, Y), (statistical, expected)):
        np.testing.assert_allclose(found, (np.abs(Z.astype(complex)) ** 2 * (snr > 20.0)).sum(axis=1), rtol=1e-5)


def test_the_blend_goes_towards_the_other_where_speech_stands_out_and_the_voice_is_dry():
    X, Y, snr = spectra(40, 30), spectra(40, 30, seed=1), (10 ** np.linspace(-3, 5, 1200)).reshape(40, 30).astype(F32)
    snr[3, :5] = 0.0
    dry = np.clip(np.linspace(-0.3, 1.2, 40), 0, 1).astype(F32)
    sure = np.clip((10 * np.log10(np.maximum(snr, 1e-20)) - 10.0) / 15.0, 0, 1)
    expected = Y + (0.15 * sure + 0.03) * dry[:, None] * (X - Y)
    before = Y.copy()
    engine_blend_kernels.blend(X.view(F32), Y.view(F32), snr, dry, 0.03, 0.15, 10.0, 25.0)
    np.testing.assert_allclose(Y, expected, atol=3e-5)
    np.testing.assert_array_equal(Y[dry == 0.0], before[dry == 0.0])


def test_what_one_has_more_than_the_other_is_shared_frame_by_frame():
    X, Y, share = spectra(40, 30), spectra(40, 30, seed=1), powers(40)
    share[5] = 0.0
    expected = share[:, None] * (X - Y)
    engine_blend_kernels.apart(X.view(F32), Y.view(F32), share)
    np.testing.assert_allclose(X, expected, rtol=1e-5, atol=1e-7)


def test_late_echo_is_the_smoothed_past_let_decay():
    P, decay, delay = powers(60, 5), F32(0.9), 4
    smoothed, expected = np.zeros(5), np.zeros((60, 5))
    for t in range(60 - delay):
        smoothed = 0.9 * smoothed + 0.1 * P[t]
        expected[t + delay] = 0.9**delay * smoothed
    np.testing.assert_allclose(dereverb_kernels.decayed(P, decay, delay), expected, rtol=2e-5)


# -- fast mathematics -------------------------------------------------------------------


@given(st.floats(-100, 100, width=32))
def test_the_exponential_is_good_to_two_parts_in_a_hundred_thousand(x):
    assert fast_math_kernels.exp2(F32(x)) == pytest.approx(2.0**x, rel=2e-5)


@given(st.floats(1e-30, 1e30))
def test_the_logarithm_is_good_to_two_hundred_thousandths(x):
    assert fast_math_kernels.log2(F32(x)) == pytest.approx(np.log2(F32(x)), abs=3e-5)


# -- frames -----------------------------------------------------------------------------


@pytest.mark.parametrize("start", [-7, 0, 5, 40])
def test_frames_are_cut_with_silence_around(start):
    x, window, out = drawn(50), drawn(12, seed=1), np.full((6, 12), 9.0, F32)
    stft_kernels.cut(x, window, start, 5, out)
    padded = np.pad(x, 100)
    expected = [padded[100 + start + 5 * t :][:12] * window for t in range(6)]
    np.testing.assert_allclose(out, expected, atol=1e-6)


@pytest.mark.parametrize("start", [-7, 0, 30])
def test_frames_are_added_up_where_there_is_room(start):
    pieces, window, out = drawn(6, 12), drawn(12, seed=1), np.zeros(50, F32)
    stft_kernels.add(pieces, window, start, 5, out)
    expected = np.zeros(250)
    for t in range(6):
        expected[100 + start + 5 * t :][:12] += pieces[t] * window
    np.testing.assert_allclose(out, expected[100:150], atol=1e-5)


def test_power_is_the_squared_magnitude():
    X, out = spectra(7, 9), np.empty((7, 9), F32)
    stft_kernels.power(X, out)
    np.testing.assert_allclose(out, np.abs(X) ** 2, rtol=1e-5)


def test_a_low_rate_is_filtered_and_thinned_out_and_spread_again():
    x, taps = drawn(100), drawn(7, seed=1)
    full = np.convolve(np.pad(x, 3), taps[::-1], "valid")
    np.testing.assert_allclose(low_band_kernels.thinned(x, taps, 2, 5), full[2::5], atol=1e-5)
    low, out = drawn(19, seed=2), np.zeros(100, F32)
    low_band_kernels.spread(low, taps, 2, 5, out)
    spread = np.zeros(100)
    spread[2 : 2 + 5 * 19 : 5] = low
    np.testing.assert_allclose(out, np.convolve(spread, taps)[3:103], atol=1e-5)


# -- prediction -------------------------------------------------------------------------


def test_covariances_are_weighted_sums_over_lagged_frames():
    X, weight, begin = spectra(2, 90), powers(2, 90, seed=3), DELAY + TAPS + 5
    taps = np.array([TAPS, 6])
    R, r = prediction_kernels.covariances(np.ascontiguousarray(X.real), np.ascontiguousarray(X.imag), weight, begin, taps)
    for k, count in enumerate(taps):
        past = np.array([X[k, begin - DELAY - i : 90 - DELAY - i] for i in range(count)])
        w = weight[k, begin:]
        np.testing.assert_allclose(R[k, :count, :count], np.conj(past * w) @ past.T, atol=2e-3)
        np.testing.assert_allclose(r[k, :count], np.conj(past * w) @ X[k, begin:], atol=2e-3)
        assert not R[k, count:].any() and not r[k, count:].any()


def test_a_prediction_blends_the_filters_of_both_stretches():
    X, filters = spectra(2, 80), spectra(3, 2, TAPS, seed=5)
    place = np.linspace(0, 2, 80).astype(F32)
    real, imaginary = prediction_kernels.predict(np.ascontiguousarray(X.real), np.ascontiguousarray(X.imag), filters, place)
    expected = np.zeros((2, 80), complex)
    for t in range(DELAY + TAPS, 80):
        share = np.maximum(1.0 - np.abs(place[t] - np.arange(3)), 0.0)
        past = X[:, t - DELAY - np.arange(TAPS)]
        expected[:, t] = np.einsum("n,nkj,kj->k", share, filters, past)
    np.testing.assert_allclose(real + 1j * imaginary, expected, atol=2e-3)


def toeplitz_filter(r: np.ndarray) -> np.ndarray:
    return np.concatenate([[1.0], -linalg.solve_toeplitz(r[:-1], r[1:])])


def test_levinson_solves_the_normal_equations():
    x = np.convolve(drawn(400).astype(float), [1.0, 0.8, 0.5])
    r = np.array([x[: len(x) - k] @ x[k:] for k in range(9)])
    a, old = np.empty(9), np.empty(9)
    levinson_kernels.levinson(r.copy(), a, old, 8)
    np.testing.assert_allclose(a, toeplitz_filter(r), atol=1e-4)


# -- clicks -----------------------------------------------------------------------------


def test_sums_around_are_sums_of_a_window_that_ends_at_the_borders():
    x = np.abs(drawn(30).astype(float))
    expected = [x[max(i - 4, 0) : i + 5].sum() for i in range(30)]
    np.testing.assert_allclose(click_kernels.sums_around(x, 4), expected)


def test_lone_peaks_are_held_down():
    x = drawn(40 * GRAIN) * F32(0.1)
    x[100] = 5.0
    y = click_kernels.limited(x, 16 * GRAIN)
    energy = np.pad((x.reshape(-1, GRAIN) ** 2).sum(axis=1).astype(float), 8)
    around = np.array([energy[b : b + 17].sum() for b in range(40)])
    most = np.repeat(3.5 * np.sqrt(around / (17 * GRAIN)) + 3.5e-9, GRAIN)
    np.testing.assert_allclose(y, np.clip(x, -most, most), rtol=1e-5, atol=1e-7)
    assert abs(y[100]) < 5.0


@pytest.mark.parametrize("order", [8, 10])
def test_the_autocorrelation_of_all_lags(order):
    from dubbin.core.kernel import kernel

    @kernel()
    def run(x, order):
        r = np.empty(order + 1)
        click_kernels.autocorrelation(x, r, order)
        return r

    x = drawn(50).astype(float)
    np.testing.assert_allclose(run(x, order), [x[: 50 - k] @ x[k:] for k in range(order + 1)], atol=1e-9)


def test_prediction_errors_are_the_smaller_of_both_directions():
    order, size, hop, count = 8, 64, 32, 3
    x = drawn(size + hop * count + size)
    window, out = np.hanning(size).astype(F32), np.empty(hop * count, F32)
    click_kernels.errors(x, x, window, order, size, hop, out)
    for block in range(count):
        start, at = size - hop // 2 + block * hop, size + block * hop
        piece = x[start : start + size].astype(float) * window
        a = toeplitz_filter(np.array([piece[: size - k] @ piece[k:] for k in range(order + 1)]))
        ahead = np.array([a @ x[at + i - np.arange(order + 1)] for i in range(hop)])
        behind = np.array([a @ x[at + i + np.arange(order + 1)] for i in range(hop)])
        np.testing.assert_allclose(out[block * hop : (block + 1) * hop], np.minimum(abs(ahead), abs(behind)), atol=1e-3)


@given(st.integers(1, 9), st.integers(1, 40))
def test_the_highest_of_a_sliding_window(width, count):
    x = np.abs(drawn(count))
    np.testing.assert_array_equal(click_kernels.sliding_highest(x, width), [x[i : i + width].max() for i in range(count)])


def test_the_surroundings_of_a_grain_leave_out_what_is_near_it():
    size, guard, near = np.abs(drawn(30 * GRAIN)), 2 * GRAIN, 5 * GRAIN
    level, highest = click_kernels.surroundings(size, guard, near, GRAIN)
    tops = size.reshape(-1, GRAIN).max(axis=1)
    padded = np.pad(tops, 5)
    expected = [max(padded[b : b + 4].max(), padded[b + 7 : b + 11].max()) for b in range(30)]
    np.testing.assert_allclose(highest[5:25], expected[5:25])
    held = np.minimum(size, np.repeat(highest, GRAIN) + 1e-12) ** 2
    sums = np.pad(held.reshape(-1, GRAIN).sum(axis=1), 5)
    np.testing.assert_allclose(level, [np.sqrt(sums[b : b + 11].sum() / (11 * GRAIN)) for b in range(30)], rtol=1e-4)


def test_the_next_highest_of_the_surroundings_keeps_away_from_those_before():
    tops = np.array([9, 1, 7, 8, 1, 5, 2, 3, 6, 1], F32)
    assert click_kernels.next_highest(tops, 5, 1, 4, -99, -99) == 3
    assert click_kernels.next_highest(tops, 5, 2, 4, 3, -99) == 8  # 7 lies beside 8
    assert click_kernels.next_highest(tops, 5, 2, 4, 3, 8) == 1
    assert click_kernels.next_highest(tops[:6], 5, 9, 9, -99, -99) == -1


def test_the_parts_of_the_surroundings_in_the_order_of_their_highest():
    tops, guard, part, b = np.abs(drawn(60)), 3, 4, 30
    near, out = guard + click_kernels.PARTS * part - 1, np.empty(2 * click_kernels.PARTS, F32)
    click_kernels.ordered_parts(click_kernels.sliding_highest(tops, part), b, guard, near, part, out)
    beside = [tops[b - near : b - guard + 1], tops[b + guard : b + near + 1]]
    np.testing.assert_array_equal(out, sorted((p.max() for side in beside for p in side.reshape(-1, part)), reverse=True))


def passed_over(tops, highest, guard, near, reach):
    """The plain twin of `lone_passed_over`: the lowest that it may give, and the highest."""
    low, high, n = highest.copy(), highest.copy(), len(tops)
    for b in range(n):
        begin = max(b - reach, 0)
        here, around = tops[begin : begin + 2 * reach + 1].max(), tops[max(b - near, 0) : b + near + 1]
        others, ranked = {j: tops[j] for j in range(n) if guard <= abs(j - b) <= near}, []
        while others and len(ranked) < 3:
            first = max(others, key=lambda j: others[j])
            ranked.append(others[first])
            others = {j: v for j, v in others.items() if abs(j - first) >= guard}
        if not ranked or here < click_kernels.OUTSTANDING * around.sum() / (2 * near + 1):
            continue
        ranked += [0.0] * (3 - len(ranked))
        most = min(click_kernels.OVER_SECOND * ranked[1], click_kernels.OVER_THIRD * ranked[2])
        low[b] = min(low[b], most)
        if here >= click_kernels.OUTSTANDING * most:  # else nothing near stands out, and it may be left as it is
            high[b] = low[b]
    return low, high


@given(st.lists(st.sampled_from([0.1, 0.2, 1.0, 5.0, 9.0]), min_size=12, max_size=70))
def test_one_or_two_lone_peaks_are_passed_over_and_others_are_not(values):
    tops = np.array(values, F32) * np.linspace(1.0, 1.1, len(values), dtype=F32)  # no two alike
    highest = np.full(len(tops), 9.9, F32)
    for near in (6, 14):  # looked at part by part first, and not
        low, high = passed_over(tops, highest, 2, near, 1)
        out = click_kernels.lone_passed_over(tops, highest, 2, near, 1)
        assert np.all(out >= low - 1e-4) and np.all(out <= high + 1e-4)


def test_what_lies_above_the_threshold_of_its_grain():
    size, threshold = np.abs(drawn(5 * GRAIN + 3)), np.full(6, 1.0, F32)
    np.testing.assert_array_equal(click_kernels.above(size, threshold), np.flatnonzero(size > 1.0))


def test_a_click_lasts_as_long_as_its_error_stands_out():
    size = np.full(20 * GRAIN, 0.01, F32)
    size[60:66] = 1.0
    size[68] = 0.5  # over a gap of two samples
    grains = np.full(20, 0.01, F32)
    found = click_kernels.bodies(size, grains, grains, np.array([61, 63]), 4, 30)
    np.testing.assert_array_equal(found, [[60, 69]])


def db(x: float) -> float:
    return 20 * np.log10(max(x, click_feature_kernels.SMALLEST))


def around_twin(size: np.ndarray, calm: np.ndarray, level: np.ndarray, highest: np.ndarray, a: int, b: int, rate: int) -> list[float]:
    """The features of one span, in plain NumPy."""
    ms, cell = rate / 1000, rate // (1000 * click_feature_kernels.CELLS_A_MS)

    def part(x: np.ndarray, start: float, end: float) -> np.ndarray:
        return x[max(p + int(start * ms), 0) : max(p + int(end * ms), 0)].astype(float)

    def top(start: float, end: float) -> float:
        return db(part(size, start, end).max(initial=0.0))

    def rms(x: np.ndarray, start: float, end: float) -> float:
        piece = part(x, start, end)
        return db(np.sqrt(np.mean(piece**2)) if len(piece) else 0.0)

    p = a + int(np.argmax(size[a:b]))
    g, peak, loud = p // click_feature_kernels.GRAIN, db(size[p]), rms(calm, -60, 60)
    near = [top(-24, -2.5), top(2.5, 24), top(-60, -24), top(24, 60), top(-4, -1), top(1, 4), rms(size, -24, -2.5), rms(size, 2.5, 24)]
    before, after = rms(calm, -12, -1), rms(calm, 1, 12)
    cells = [p + k * cell for k in range(-click_feature_kernels.CELLS, click_feature_kernels.CELLS)]
    rhythm = np.array(
        [min(size[max(i, 0) : max(i + cell, 0)].max(initial=0.0), 2 * highest[g] + click_feature_kernels.SMALLEST) for i in cells]
    )
    rhythm -= rhythm.mean()
    products = np.array([np.dot(rhythm[: len(rhythm) - j], rhythm[j:]) for j in range(click_feature_kernels.LONGEST_LAG)])
    lag = click_feature_kernels.SHORTEST_LAG + int(np.argmax(products[click_feature_kernels.SHORTEST_LAG :]))
    period = [db(size[max(q - int(ms), 0) : max(q + int(ms), 0)].max(initial=0.0)) for q in (p - lag * cell, p + lag * cell)]
    return [
        peak - db(highest[g]), peak - db(level[g]), peak - loud, *(peak - n for n in near), np.log2((b - a) / ms + 0.001),
        before - loud, after - loud, after - before, products[lag] / products[0], peak - max(period), peak - min(period),
    ]  # fmt: skip


@pytest.mark.parametrize("rate", [48000, 16000])
def test_the_compiled_features_equal_their_plain_around_twin(rate):
    rng = np.random.default_rng(2)
    n = rate // 2
    size = (np.abs(rng.standard_normal(n)) * 0.01).astype(F32)
    size[:: rate // 120] += F32(0.05)
    calm = (0.1 * rng.standard_normal(n) * np.linspace(0.2, 1, n)).astype(F32)
    spans = [(5, 20), (n // 3, n // 3 + 30), (n // 2, n // 2 + 60), (n - 30, n - 8)]
    for a, b in spans:
        size[(a + b) // 2] = 0.4
    level, highest = rng.uniform(0.005, 0.02, (2, n // click_feature_kernels.GRAIN + 1)).astype(F32)
    out = np.empty((len(spans), len(NEAR)))
    click_feature_kernels.around(size, calm, level, highest, np.array(spans), rate, out)
    for k, (a, b) in enumerate(spans):
        np.testing.assert_allclose(out[k], around_twin(size, calm, level, highest, a, b, rate), rtol=1e-4, atol=1e-3)


# -- banded systems ---------------------------------------------------------------------


@pytest.mark.parametrize(("count", "width"), [(1, 0), (1, 3), (2, 1), (7, 2), (40, 12), (12, 40), (90, 32)])
def test_a_banded_system_is_solved_as_a_whole_one(count, width):
    rng = np.random.default_rng(count)
    lower = np.tril(np.triu(rng.standard_normal((count, count)), -width)) + 3.0 * np.eye(count)
    whole = lower @ lower.T + 10.0 * np.eye(count)
    band = np.zeros((count, width + 1))
    for d in range(min(width + 1, count)):
        band[d:, d] = np.diagonal(whole, -d)
    right = rng.standard_normal(count)
    banded_kernels.factorise(band)
    for d in range(min(width + 1, count)):
        np.testing.assert_allclose(band[d:, d], np.diagonal(np.linalg.cholesky(whole), -d), rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(banded_kernels.solution(band, right), np.linalg.solve(whole, right), rtol=1e-8, atol=1e-10)
    np.testing.assert_allclose(banded_kernels.inverse_diagonal(band), np.diag(np.linalg.inv(whole)), rtol=1e-8)


def test_a_system_that_rounding_has_made_singular_still_has_a_finite_solution():
    band = np.zeros((5, 2))
    band[:, 0], band[1:, 1] = 1.0, 1.0 + 1e-16
    banded_kernels.factorise(band)
    assert np.isfinite(banded_kernels.solution(band, np.ones(5))).all() and np.isfinite(banded_kernels.inverse_diagonal(band)).all()


# -- interpolation ----------------------------------------------------------------------


def test_missing_samples_leave_the_least_prediction_error():
    x = np.convolve(drawn(220).astype(float), [1.0, 1.5, 0.9])[:200]
    order, unknown = 6, np.array([90, 91, 92, 95])
    own = interpolation_kernels.own_products(interpolation_kernels.predictor(x, np.ones(200), order))
    values = interpolation_kernels.solve(x, unknown, np.ones(4), np.full(4, -1e9), own, order)
    r = np.array([x[: 200 - k] @ x[k:] for k in range(order + 1)])
    a = toeplitz_filter(r)
    E = linalg.convolution_matrix(a, 200)  # errors of every sample
    known = x.copy()
    known[unknown] = 0.0
    expected = np.linalg.lstsq(E[:, unknown], -E @ known, rcond=None)[0]
    np.testing.assert_allclose(values, expected, atol=1e-3)


def test_a_mean_goes_on_beyond_the_ends():
    x = drawn(30).astype(float) ** 2
    np.testing.assert_allclose(interpolation_kernels.smoothed(x, 5), np.convolve(np.pad(x, 2, mode="edge"), np.ones(5) / 5, "valid"))
    np.testing.assert_allclose(interpolation_kernels.raised_cosine(9), 0.1 + 0.9 * np.hanning(11)[1:-1])


def test_what_lies_under_noise_is_the_mean_of_model_and_recording_each_by_what_it_is_worth():
    """The posterior mean of a Gaussian model, written with whole matrices."""
    n, order, first, m, width, weight = 400, 8, 180, 24, 5, 1.3
    x = signal.lfilter([1.0], [1.0, -1.6, 0.81], drawn(n, seed=4).astype(float))
    recorded = x[first : first + m] + 5.0 * drawn(m, seed=5)
    guess = x.copy()
    guess[first : first + m] = np.linspace(x[first - 1], x[first + m], m)
    a = interpolation_kernels.predictor(guess, interpolation_kernels.raised_cosine(n), order)
    E = linalg.toeplitz(np.pad(a, (0, n + order - len(a))), np.zeros(n))  # errors of every sample, with silence around
    errors = np.array([a @ guess[i - order : i + 1][::-1] for i in range(order, n) if not first <= i < first + m + order])
    excitation = np.mean(errors**2)
    unknown = slice(first, first + m)
    known = guess.copy()
    known[unknown] = 0.0
    whole = guess.copy()
    whole[unknown] = recorded

    def smooth(v: np.ndarray) -> np.ndarray:
        return np.convolve(np.pad(v, width // 2, mode="edge"), np.ones(width) / width, "valid")

    power = smooth(np.maximum((E @ whole)[unknown] ** 2 - excitation, 0.0) / np.sum(a**2))
    for _ in range(3):
        trust = np.diag(weight * excitation / (power + interpolation_kernels.LEAST_POWER))
        covariance = np.linalg.inv(E[:, unknown].T @ E[:, unknown] + trust)
        y = covariance @ (-E[:, unknown].T @ (E @ known) + trust @ recorded)
        power = smooth((recorded - y) ** 2 + excitation * np.diag(covariance))
    np.testing.assert_allclose(
        interpolation_kernels.uncover(guess, recorded, first, order, width, weight, 3), y, rtol=1e-5, atol=1e-6 * np.abs(x).max()
    )


def test_clipped_samples_come_out_beyond_the_ceiling():
    n = np.arange(300)
    x = np.sin(2 * np.pi * n / 40)
    clipped = np.clip(x, -0.8, 0.8)
    unknown = np.flatnonzero(np.abs(x) > 0.8)
    sign, bound = np.sign(x[unknown]), np.full(len(unknown), 0.8)
    values = interpolation_kernels.draw(clipped, unknown, sign, bound, 12, 3)
    assert np.all(sign * values >= 0.8 - 1e-12)
    np.testing.assert_array_equal(clipped[unknown], values)
    assert np.sqrt(np.mean((values - x[unknown]) ** 2)) < 0.03


# -- hum --------------------------------------------------------------------------------


@pytest.mark.parametrize(("count", "half", "gaps"), [(400, 8, 0), (400, 8, 37), (5, 8, 0), (1, 3, 0)])
def test_a_robust_mean_is_what_it_says(count, half, gaps):
    values = (0.3 + 0.1j + 0.05 * spectra(count) + 2.0 * spectra(count, seed=7) * (powers(count, seed=8) > 0.7)).astype(np.complex64)
    quiet = ndimage.percentile_filter(np.abs(values) ** 2, 25, size=15, mode="nearest")
    holds = (np.arange(count) // max(gaps, 1)) % 3 != 1 if gaps else np.ones(count, bool)
    values[~holds] = 0.0  # digital silence, which has no say

    def smooth(v: np.ndarray) -> np.ndarray:
        for _ in range(3):
            v = ndimage.uniform_filter1d(v, 2 * half + 1, mode="nearest")
        return v

    wide, power = values.astype(complex), np.abs(values.astype(complex)) ** 2
    weight = (quiet / (power + quiet + 1e-20)) ** 2 * holds
    for _ in range(5):
        total = smooth(weight) + 1e-12
        mean = (smooth(weight * wide.real) + 1j * smooth(weight * wide.imag)) / total
        error = np.abs(wide - mean) ** 2
        scale = smooth(weight * error) / total + 1e-16
        weight = (scale / (error + scale)) ** 2 * holds
    found, spread = np.empty(count, np.complex64), np.empty(count, F32)
    hum_kernels.robust_mean(values, quiet, half, 5, found, spread)
    near = smooth(holds.astype(float)) > 1e-3  # in the middle of a long gap there is nothing to take a mean of
    np.testing.assert_allclose(found[near], mean[near], atol=1e-4)
    np.testing.assert_allclose(spread[near], np.sqrt(scale)[near], rtol=1e-3, atol=1e-6)


def test_hum_is_its_harmonics_with_straight_phase_and_amplitudes():
    steps, step, harmonics = 8, 25.0, 3
    phase, amplitudes = np.cumsum(0.3 + 0.02 * drawn(steps).astype(float)), spectra(2, steps, harmonics)
    out = np.zeros((2, 100), F32)
    hum_kernels.synthesise(phase, amplitudes, 0, steps, 10, step, 10_000, out)
    place = (np.arange(10, 110)) / step + 0.5
    left = np.clip(np.floor(place).astype(int), 0, steps - 2)
    share = np.clip(place - left, 0.0, 1.0)
    cycles = phase[left] + (phase[left + 1] - phase[left]) * (place - left)
    expected = np.zeros((2, 100))
    for h in range(harmonics):
        a = amplitudes[:, left, h] * (1 - share) + amplitudes[:, left + 1, h] * share
        expected += (a * np.exp(2j * np.pi * cycles * (h + 1))).real
    np.testing.assert_allclose(out, expected, atol=1e-4)
    some, part = slice(2, 6), np.zeros((2, 50), F32)  # the steps that frames 50 to 100 need, and no others
    hum_kernels.synthesise(phase[some], np.ascontiguousarray(amplitudes[:, some]), 2, steps, 50, step, 10_000, part)
    np.testing.assert_array_equal(part, out[:, 40:90])


@pytest.mark.parametrize(("start", "steps"), [(-30, 8), (0, 8), (13, 8), (150, 8), (-5, 1)])
def test_tones_are_made_with_straight_phases_and_amplitudes(start, steps):
    hop, count = 24, 100
    phases, amplitudes = np.cumsum(0.3 + 0.2 * powers(3, steps).astype(float), axis=1), spectra(2, 3, steps)
    out = np.ones((2, count), F32)
    tones_kernels.synthesise(phases, amplitudes, start, hop, out)
    place = (np.arange(start, start + count) - hop // 2) / hop
    left = np.clip(np.floor(place).astype(int), 0, max(steps - 2, 0))
    right = np.minimum(left + 1, steps - 1)
    share = np.clip(place - left, 0.0, 1.0)
    cycles = phases[:, left] + (phases[:, right] - phases[:, left]) * (place - left)  # on at the same pace beyond both ends
    expected = ((amplitudes[..., left] * (1 - share) + amplitudes[..., right] * share) * np.exp(2j * np.pi * cycles)).real.sum(axis=1)
    np.testing.assert_allclose(out, 1.0 + expected, atol=1e-4)


def test_scalar_products_of_all_pairs():
    x, rows, out = drawn(5, 37), drawn(8, 37, seed=1), np.empty((5, 8), F32)
    hum_kernels.products(x, rows, out)
    np.testing.assert_allclose(out, x @ rows.T, atol=1e-5)


@pytest.mark.parametrize("count", [3, 4, 500])
def test_how_high_and_how_bent_a_wave_is(count):
    x, highest, bend = drawn(3, count), np.empty(3, F32), np.empty(3, F32)
    true_peak_kernels.extremes(x, highest, bend)
    np.testing.assert_array_equal(highest, np.abs(x).max(axis=1))
    np.testing.assert_allclose(bend, np.abs(np.diff(x, 2, axis=1)).max(axis=1), rtol=1e-6)


def test_two_sections_one_after_the_other_go_on_from_block_to_block_also_in_place():
    sos = signal.butter(4, 0.1, output="sos")
    x, state, parts = drawn(2, 900), np.zeros((2, 2, 2)), []
    for part in np.split(x, [100, 101, 600], axis=1):
        out = part.astype(float)
        filtering_kernels.cascade(out, sos, state, out)
        parts.append(out)
    np.testing.assert_allclose(np.concatenate(parts, axis=1), signal.sosfilt(sos, x, axis=1), atol=1e-9)


def test_a_mean_that_runs_on_goes_on_from_block_to_block():
    x, state, parts = drawn(900, 2).astype(float), np.array([0.5, -1.0]), []
    for part in np.split(x, [100, 101, 600]):
        out = np.empty_like(part)
        filtering_kernels.one_pole(part, 0.9, state, out)
        parts.append(out)
    expected = signal.lfilter([1 - 0.9], [1, -0.9], x, axis=0, zi=0.9 * np.array([[0.5, -1.0]]))[0]
    np.testing.assert_allclose(np.concatenate(parts), expected, atol=1e-12)
    np.testing.assert_allclose(state, expected[-1], atol=1e-12)


# -- noise and suppression --------------------------------------------------------------


def noise_at(noise: np.ndarray, place: np.ndarray) -> np.ndarray:
    low = np.minimum(place.astype(int), len(noise) - 1)
    share = (place - low)[:, None]
    return noise[low] * (1 - share) + noise[np.minimum(low + 1, len(noise) - 1)] * share


def test_bands_are_means_of_logarithms_over_the_noise():
    P, noise, place = powers(9, 24), powers(3, 24, seed=1), np.linspace(0, 2, 9).astype(F32)
    edges = np.array([2, 7, 15, 24])
    found = noise_kernels.bands(P, noise, place, edges)
    ratio = np.log2(P / noise_at(noise, place))
    np.testing.assert_allclose(found, [[row[a:b].mean() for a, b in itertools.pairwise(edges)] for row in ratio], atol=1e-3)


def test_a_bin_weighs_by_how_little_speech_is_around_it():
    frames, bins = 10, 20
    P, noise, place = powers(frames, bins), powers(3, bins, seed=1), np.linspace(0, 2, frames).astype(F32)
    level, segment = powers(frames, seed=2) + F32(0.5), np.repeat([0, 1], 5)
    values, weights = noise_kernels.weigh(P, noise, place, level, segment, 2)
    ratio = np.minimum(P / noise_at(noise, place) / level[:, None], 20.0)
    before, side = noise_kernels.AROUND[0] // 2, noise_kernels.AROUND[1] // 2
    wide = np.pad(ratio, ((0, 0), (side, side)), mode="edge")
    rows = sum(wide[:, j : j + bins] for j in range(2 * side + 1))
    around = sum(rows[np.clip(np.arange(frames) - before + j, 0, frames - 1)] for j in range(noise_kernels.AROUND[0]))
    mean = around / (noise_kernels.AROUND[0] * noise_kernels.AROUND[1])
    height = np.clip(noise_kernels.STEEPNESS / np.log(2) * (mean - noise_kernels.SPEECH_FROM), -40, 40)
    weight = 1.0 / (1.0 + 2.0**height) + 1e-5
    for s in (0, 1):
        np.testing.assert_allclose(weights[s], weight[segment == s].sum(axis=0), rtol=1e-3)
        np.testing.assert_allclose(values[s], (weight * P / level[:, None])[segment == s].sum(axis=0), rtol=1e-3)


def lsa(v: np.ndarray, wiener: np.ndarray) -> np.ndarray:
    """Ephraim and Malah 1985, equation 20."""
    return np.minimum(wiener * np.exp(0.5 * special.exp1(np.maximum(v, 1e-6))), 1.0)


def test_both_passes_of_the_suppressor():
    k = suppressor_kernels
    frames, bins, floor = 12, 16, 0.1
    P, noise, at = powers(frames, bins) * 4, powers(3, bins, seed=1), np.linspace(0, 2, frames).astype(F32)
    level = powers(frames, seed=2) + F32(0.5)
    gains, near = np.empty((frames, bins), F32), np.empty((frames, bins), F32)
    k.look(P, noise, at, level, F32(floor), gains, near)
    ratio = np.minimum(P / (noise_at(noise, at) * level[:, None]), 1e4)
    speech, clean = np.empty((frames, bins)), np.zeros(bins)
    for t in range(frames):
        xi = np.maximum(0.9 * clean + 0.1 * np.maximum(ratio[t] - 1, 0), 10**-2.0)
        wiener = xi / (1 + xi)
        clean = lsa(ratio[t] * wiener, wiener) ** 2 * ratio[t]
        speech[t] = np.maximum(clean, 0.1**2 * ratio[t])
    before, after = speech[np.maximum(np.arange(frames) - 1, 0)], speech[np.minimum(np.arange(frames) + 1, frames - 1)]
    xi = np.maximum(0.8 * (0.25 * (before + after) + 0.5 * speech) + 0.2 * np.maximum(ratio - 1, 0), 10**-2.0)
    wide = sum(xi[:, np.clip(np.arange(bins) + j, 0, bins - 1)] for j in range(-2, 3))
    around = sum(wide[np.clip(np.arange(frames) + j, 0, frames - 1)] for j in (-1, 0, 1)) / 15
    np.testing.assert_allclose(near, around, rtol=2e-3)
    p = np.clip((10 * np.log10(around) - k.ABSENT_DB) / (k.PRESENT_DB - k.ABSENT_DB), 0.05, 1.0)
    wiener = xi / (1 + xi)
    v = np.maximum(ratio * wiener, 1e-6)
    p = p / (p + (1 - p) * (1 + xi) * np.exp(-np.minimum(v, 60)))
    np.testing.assert_allclose(gains, np.maximum(lsa(v, wiener) ** p * floor ** (1 - p), floor), rtol=5e-3)


# -- word edges -------------------------------------------------------------------------


def likeliest(scores, unit_of, word_of, opens, low, high, prior, spread, bend, stay, gap_entry):
    """The best course by trying out every step with every state, remembered in a table."""
    steps, states = len(scores), len(unit_of)
    best = np.full((steps, states), -np.inf)
    come = np.zeros((steps, states), int)

    def entry(s, t):
        if opens[s]:
            off = abs(t - prior[s]) / spread
            return -(0.5 * off * off if off < bend else bend * (off - 0.5 * bend))
        return gap_entry if word_of[s] < 0 and t > 0 else 0.0

    for t in range(steps):
        for s in range(states):
            ways = [(0.0, s)] if t == 0 and s < 2 else []
            if t:  # where one comes from is decided before what entering costs is added
                ways = [(best[t - 1, s] + stay, s)]
                ways += [(best[t - 1, s - 1], s - 1)] if s >= 1 else []
                ways += [(best[t - 1, s - 2], s - 2)] if s >= 2 and word_of[s - 1] < 0 else []
            if ways and not (word_of[s] >= 0 and not low[s] <= t < high[s]):
                value, come[t, s] = max(ways)
                enters = t == 0 or come[t, s] != s
                best[t, s] = value + (entry(s, t) if enters else 0.0) + scores[t, unit_of[s]]
    s = states - 1 if best[-1, -1] >= best[-1, -2] else states - 2
    if best[-1, s] == -np.inf:
        return [-1] * steps
    path = []
    for t in range(steps - 1, -1, -1):
        path.append(s)
        s = come[t, s]
    return path[::-1]


def test_the_likeliest_course_through_a_phrase():
    states, steps = 7, 30
    word_of = np.array([-1, 0, 0, -1, 1, 1, -1])
    opens = np.array([False, True, False, False, True, False, False])
    unit_of = np.array([0, 1, 2, 0, 3, 4, 0])
    scores = drawn(steps, 5, seed=8).astype(float)
    low, high = np.zeros(states, np.int64), np.full(states, steps, np.int64)
    prior = np.array([0, 4, 0, 0, 17, 0, 0], float)
    rest = (unit_of, word_of, opens, low, high, prior, 3.0, 2.0, -0.1, -0.5)
    np.testing.assert_array_equal(word_edges_kernels.best_path(scores, *rest), likeliest(scores, *rest))


@pytest.mark.parametrize("seed", range(40))
def test_looking_only_at_what_may_stand_at_a_step_leaves_the_course_as_it_is(seed):
    """Words whose windows lie one behind the other, overlap, hold one another or leave no way through."""
    rng = np.random.default_rng(seed)
    count, steps = int(rng.integers(1, 7)), int(rng.integers(8, 60))
    sizes = rng.integers(1, 4, count)
    word_of = np.concatenate([[-1], *(np.r_[np.full(size, k), -1] for k, size in enumerate(sizes))])
    opens = np.r_[False, (word_of[1:] >= 0) & (word_of[:-1] < 0)]
    middle, reach = (np.arange(count) + 0.5) * steps / count, rng.uniform(0.3, 2.5) * steps / count
    low, high = np.zeros(len(word_of), np.int64), np.full(len(word_of), steps, np.int64)
    for k in range(count):
        low[word_of == k], high[word_of == k] = (middle[k] + rng.uniform(0.2, 1.0, 2) * (-reach, reach)).clip(0, steps)
    unit_of = rng.integers(0, 5, len(word_of))
    prior = np.where(opens, np.take(middle, np.maximum(word_of, 0)), 0.0)
    rest = (unit_of, word_of, opens, low, high, prior, 3.0, 2.0, -0.1, -0.5)
    scores = rng.normal(size=(steps, 5))
    np.testing.assert_array_equal(word_edges_kernels.best_path(scores, *rest), likeliest(scores, *rest))


def test_there_is_no_course_where_words_may_stand_nowhere():
    nowhere = np.zeros(3, np.int64)
    path = word_edges_kernels.best_path(
        np.zeros((5, 1)), np.zeros(3, np.int64), np.array([0, 0, 0]), np.zeros(3, bool), nowhere, nowhere, np.zeros(3), 1.0, 1.0, 0.0, 0.0
    )
    np.testing.assert_array_equal(path, -np.ones(5))


# -- packed samples ---------------------------------------------------------------------


@pytest.mark.parametrize("count", [1, 2, 3, 700])
def test_second_differences_there_and_back(count):
    scale, most = 2.0**12, 2**12 - 1
    x = np.clip(drawn(2, count) * 0.6, -1.0, 1.0).astype(F32)
    d, kept = np.empty(x.shape, np.int32), np.empty_like(x)
    packing_kernels.differences(x, scale, most, d, kept)
    whole = np.minimum(np.rint(x.astype(float) * scale), most).astype(np.int64)
    first = np.diff(whole, axis=1, prepend=0)
    expected = np.diff(first, axis=1, prepend=first[:, :1] * 0)
    expected[:, 1:2] = first[:, 1:2]  # without the step from nothing to the first value
    np.testing.assert_array_equal(d, expected)
    np.testing.assert_array_equal(kept, (whole / scale).astype(F32))
    for start in {0, count // 2, count - 1}:
        out = np.empty((2, count - start), F32)
        packing_kernels.samples(d, 1 / scale, start, out)
        np.testing.assert_array_equal(out, kept[:, start:])


@pytest.mark.parametrize("channels", [1, 2, 3])
def test_frames_of_a_file_become_samples(channels):
    whole = np.random.default_rng(channels).integers(-(2**23), 2**23, (50, channels)).astype("<i4")
    whole[0], whole[1] = 2**23 - 1, -(2**23)
    three_bytes = np.ascontiguousarray(whole[..., None].view(np.uint8)[..., :3]).reshape(-1)
    np.testing.assert_array_equal(wav_kernels.samples_24(three_bytes, channels), (whole.T / 2.0**23).astype(F32))
    two_bytes = (whole >> 8).astype("<i2")
    np.testing.assert_array_equal(wav_kernels.samples_16(two_bytes.reshape(-1), channels), (two_bytes.T / 2.0**15).astype(F32))


# -- warping ----------------------------------------------------------------------------


@pytest.mark.parametrize("shape", [(1, 1), (1, 5), (6, 4)])
def test_the_cheapest_way_through_a_table_of_costs(shape):
    cost = powers(*shape).astype(float)
    total = np.full((shape[0] + 1, shape[1] + 1), np.inf)
    total[0, 0] = 0.0
    for i, j in itertools.product(range(shape[0]), range(shape[1])):
        total[i + 1, j + 1] = cost[i, j] + min(total[i, j + 1], total[i + 1, j], total[i, j])
    np.testing.assert_allclose(retakes_kernels.warped(cost), total[-1, 1:])


@pytest.mark.parametrize("voices", [1, 2, 3])
def test_the_best_course_through_the_scores_of_several_voices(voices):
    """The twin tries every course."""
    rng = np.random.default_rng(voices)
    for _ in range(12):
        scores, price = rng.standard_normal((7, voices)), rng.random(7) * 2.0
        found = np.empty(7, np.int64)
        speakers_kernels.course(scores, price, found)

        def worth(course, scores=scores, price=price) -> float:
            changes = [price[t] for t in range(1, 7) if course[t] != course[t - 1]]
            return float(sum(scores[t, k] for t, k in enumerate(course)) - sum(changes))

        best = max(worth(c) for c in itertools.product(range(voices), repeat=7))
        assert worth(found.tolist()) == pytest.approx(best)


def test_a_step_of_a_long_short_term_memory():
    gates, cell, hidden = drawn(5, 4 * 6, seed=1) * 3, drawn(5, 6, seed=2), drawn(5, 6, seed=3)
    gates[0, :3] = (90.0, -90.0, 500.0)  # far beyond what an exponential holds
    i, f, g, o = np.split(gates.astype(np.float64), 4, axis=1)
    wanted_cell = special.expit(f) * cell + special.expit(i) * np.tanh(g)
    wanted_hidden = special.expit(o) * np.tanh(wanted_cell)
    speaker_encoder_kernels.step(gates, cell, hidden)
    np.testing.assert_allclose(cell, wanted_cell, atol=2e-4)
    np.testing.assert_allclose(hidden, wanted_hidden, atol=2e-4)
