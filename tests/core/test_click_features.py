"""What stands out of a voice is looked at closely: its features are what they are called, and a louder recording has the same."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.click_features import LEAST_RISE, MOST_RISE, NAMES
from dubbin.core.measure.click_judge import odds
from dubbin.core.measure.clicks import bridged, candidates_in, clicks_in
from dubbin.core.measure.masking import BANDS, powers

RATE = 48000
F32 = np.float32


def clicked(seed: int = 3) -> tuple[np.ndarray, list[int]]:
    """Noise of a voice's colour with three clicks in it."""
    rng = np.random.default_rng(seed)
    x = np.convolve(rng.standard_normal(RATE), 0.92 ** np.arange(60), "same") * 0.02
    places = [RATE // 4, RATE // 2, 3 * RATE // 4]
    for place in places:
        x[place : place + 3] += (0.2, -0.25, 0.1)
    return x.astype(F32), places


def test_a_louder_recording_has_the_same_features_and_the_same_clicks():
    x, _ = clicked()
    spans, seen = candidates_in(x, RATE)
    louder, same = candidates_in((4 * x).astype(F32), RATE)
    assert louder == spans and len(spans) >= 3
    np.testing.assert_allclose(same, seen, atol=0.05)
    assert clicks_in((4 * x).astype(F32), RATE) == clicks_in(x, RATE)


def test_clicks_have_better_odds_than_what_stands_out_of_noise_by_chance():
    x, places = clicked()
    spans, seen = candidates_in(x, RATE)
    assert seen.shape == (len(spans), len(NAMES))
    is_click = np.array([any(a <= p + 1 < b for p in places) for a, b in spans])
    chances = odds(seen)
    assert is_click.sum() == 3 and chances[is_click].min() > 1.0 and chances[~is_click].max(initial=-9.0) < 0.0


def test_a_rise_is_what_was_put_over_what_is_drawn_under_it_and_silence_stays_finite():
    x, places = clicked()
    span = (places[1] - 5, places[1] + 8)
    click, cover = powers(x, bridged(x, [span]), [span], RATE)
    assert click.shape == cover.shape == (1, BANDS)
    quieter = x.copy()
    quieter[span[0] : span[1]] *= 0.5
    half, _ = powers(quieter, bridged(quieter, [span]), [span], RATE)
    assert 10 * np.log10(click.max() / half.max()) == pytest.approx(6.0, abs=1.0)
    silent = np.zeros(RATE, F32)
    silent[places] = 0.5
    _, seen = candidates_in(silent, RATE)
    rises = seen[:, [k for k, name in enumerate(NAMES) if name.startswith("rise")]]
    assert len(seen) == 3 and np.isfinite(seen).all() and rises.min() >= LEAST_RISE and rises.max() == MOST_RISE
    assert len(clicks_in(silent, RATE)) == 3


def test_what_was_never_learnt_is_judged_like_the_farthest_that_was():
    _, seen = candidates_in(clicked()[0], RATE)
    far, farther = seen.copy(), seen.copy()
    far[:, 0], farther[:, 0] = 1e3, 1e6
    np.testing.assert_allclose(odds(far), odds(farther))
    assert odds(seen[:0]).shape == (0,)
