"""What stands out of a voice is looked at closely: its features are what they are called, and a louder recording has the same."""

from __future__ import annotations

import numpy as np

from dubbin.core.measure.click_features import NAMES
from dubbin.core.measure.click_judge import odds
from dubbin.core.measure.clicks import candidates_in

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


def test_clicks_have_better_odds_than_what_stands_out_of_noise_by_chance():
    x, places = clicked()
    spans, seen = candidates_in(x, RATE)
    assert seen.shape == (len(spans), len(NAMES))
    is_click = np.array([any(a <= p + 1 < b for p in places) for a, b in spans])
    chances = odds(seen)
    assert is_click.sum() == 3 and chances[is_click].min() > 1.0 and chances[~is_click].max(initial=-9.0) < 0.0


def test_what_was_never_learnt_is_judged_like_the_farthest_that_was():
    _, seen = candidates_in(clicked()[0], RATE)
    far, farther = seen.copy(), seen.copy()
    far[:, 0], farther[:, 0] = 1e3, 1e6
    np.testing.assert_allclose(odds(far), odds(farther))
    assert odds(seen[:0]).shape == (0,)
