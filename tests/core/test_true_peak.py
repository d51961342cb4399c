"""A ceiling that holds by any meter of the standard, on the nastiest signals too."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from dubbin.core.deliver.limiter import limiter_gain
from dubbin.core.measure.true_peak import PRINTED, TAPS_PER_PHASE, TruePeakMeter, between_filters, oversampling, reach_of
from dubbin.core.sound.level import db_to_gain

CEILING_DB = -1.1
READING_DB = 0.1  # by which the standard's meters may differ here


def reading(x: np.ndarray, rate: int) -> float:
    meter = TruePeakMeter(rate, x.shape[0])
    for start in range(0, x.shape[1], 7001):
        meter.push(x[:, start : start + 7001])
    meter.finish()
    return meter.true_peak_dbtp


def in_db(peak: float) -> float:
    return float(20 * np.log10(peak))


def by_the_printed_filter(x: np.ndarray) -> float:
    """The meter of BS.1770-5, annex 2, made by hand: its four phases, one after another."""
    phases = [*PRINTED, *(half[::-1] for half in PRINTED)]
    return in_db(max(float(np.max(np.abs(np.convolve(channel, taps)))) for channel in x for taps in phases))


def by_another_meter(x: np.ndarray, factor: int, taps: int) -> float:
    filter_ = factor * signal.firwin(taps * factor + 1, 1 / factor, window=("kaiser", 5.0))
    return in_db(max(float(np.max(np.abs(signal.upfirdn(filter_, channel, factor)))) for channel in x))


def nasty(kind: str, rate: int, seed: int = 3) -> np.ndarray:
    """Four seconds of quiet noise with forty clicks that all limiters fear: (2, frames) float32."""
    rng = np.random.default_rng(seed)
    x = 0.02 * rng.standard_normal(4 * rate)
    for _ in range(40):
        a, length = int(rng.integers(1000, len(x) - 1000)), int(rng.integers(3, 60))
        if kind == "white":
            x[a : a + length] += rng.uniform(-1, 1, length) * rng.uniform(0.8, 3)
        elif kind == "alternating":
            x[a : a + length] += (-1.0) ** np.arange(length) * 2 * np.hanning(length)
        elif kind == "step":
            x[a : a + length] += 2 * np.sign(rng.standard_normal())
        else:
            band = signal.butter(2, [5000, 18_000], "bandpass", fs=rate)
            x[a : a + 400] += signal.lfilter(*band, rng.standard_normal(400))
    return np.stack([x, 0.9 * np.roll(x, 7)]).astype(np.float32)


@pytest.mark.parametrize("rate", [44_100, 48_000])
@pytest.mark.parametrize("kind", ["white", "alternating", "step", "hiss"])
def test_the_ceiling_holds_by_other_meters_too(kind, rate):
    x = nasty(kind, rate)
    y = x * limiter_gain(x, rate, db_to_gain(CEILING_DB), 90.0)
    assert reading(x, rate) > 0.0
    for read in (reading(y, rate), by_the_printed_filter(y), by_another_meter(y, 8, 32)):
        assert read <= CEILING_DB + READING_DB


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000, 192_000])
@pytest.mark.parametrize("share", [0.02, 0.2, 0.4])
def test_a_sine_is_read_as_high_as_it_is(rate, share):
    """No lower than the instants that are looked at allow (annex 2, attachment), and no higher than the printed filter makes it."""
    n = np.arange(rate)
    lowest = in_db(np.cos(np.pi * share / oversampling(rate)))
    for phase in (0.0, 0.3, 1.1):
        x = (0.5 * np.sin(2 * np.pi * share * n + phase) * np.hanning(len(n)) ** 0.1)[None].astype(np.float32)
        assert lowest - 0.02 <= reading(x, rate) - in_db(0.5) <= 0.17


def test_the_reading_does_not_depend_on_how_the_blocks_fall():
    x = nasty("white", 48_000, 5)
    whole = TruePeakMeter(48_000, 2)
    whole.push(x)
    whole.finish()
    assert reading(x, 48_000) == pytest.approx(whole.true_peak_dbtp, abs=1e-4)


@pytest.mark.parametrize("rate", [44100, 48000, 96000, 192000])
def test_no_value_between_samples_exceeds_its_reach(rate):
    """The bound by which pieces are passed over holds for whatever stands in a window, the worst there is included."""
    straight, bent = reach_of(rate)
    assert straight < 1.1 and bent < 1.0
    rng = np.random.default_rng(rate)
    windows = [rng.standard_normal((300, TAPS_PER_PHASE)), np.cumsum(rng.standard_normal((300, TAPS_PER_PHASE)), axis=1)]
    windows += [np.sign(taps[::-1])[None] for taps in between_filters(rate)]
    windows += [np.sin(np.arange(TAPS_PER_PHASE) * w)[None] for w in np.linspace(0.01, np.pi, 50)]
    for x in windows:
        reach = straight * np.abs(x).max(axis=1) + bent * np.abs(np.diff(x, 2, axis=1)).max(axis=1)
        for taps in between_filters(rate):
            assert np.all(np.abs(x @ taps[::-1]) <= reach)
