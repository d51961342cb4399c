"""Loudness against the signals and tolerances of EBU Tech 3341 and 3342."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from dubbin.core.measure.live import LiveMeter, Reading
from dubbin.core.measure.loudness import LoudnessMeter, measure_loudness
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, joined, tone


def stereo(seconds: float, level: float, frequency: float = 1000.0) -> Sound:
    return tone(frequency, seconds, level, channels=2)


@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        ([(20, -23.0)], -23.0),  # case 1
        ([(20, -33.0)], -33.0),  # case 2
        ([(10, -36.0), (60, -23.0), (10, -36.0)], -23.0),  # case 3: relative gate
        ([(10, -72.0), (10, -36.0), (60, -23.0), (10, -36.0), (10, -72.0)], -23.0),  # case 4: absolute gate
        ([(20, -26.0), (20.1, -20.0), (20, -26.0)], -23.0),  # case 5
    ],
)
def test_integrated_loudness_of_the_reference_tones(parts, expected):
    sound = joined(*(stereo(seconds, level) for seconds, level in parts))
    assert measure_loudness(sound).integrated_lufs == pytest.approx(expected, abs=0.1)


def test_surround_channels_weigh_more():  # case 6: 5.0, 28/24/30 dB down
    n = np.arange(20 * RATE)
    levels = (-28.0, -28.0, -24.0, -30.0, -30.0)
    x = np.stack([10 ** (level / 20) * np.sin(2 * np.pi * 1000 * n / RATE) for level in levels]).astype(np.float32)
    assert measure_loudness(Sound(x, RATE)).integrated_lufs == pytest.approx(-23.0, abs=0.1)


def live_readings(sound: Sound, block: int = 960) -> list[Reading]:
    """What a meter shows that is given the sound as it is played."""
    meter = LiveMeter(RATE, sound.channels)
    return [meter.push(sound.read(start, min(start + block, sound.frames))) for start in range(0, sound.frames, block)]


@pytest.mark.parametrize("level", [-23.0, -33.0])
def test_all_three_scales_read_a_steady_tone_the_same(level):  # cases 1 and 2
    loudness, live = measure_loudness(stereo(20, level)), live_readings(stereo(20, level))[-1]
    for value in (
        loudness.max_momentary_lufs,
        loudness.max_short_term_lufs,
        live.momentary_lufs,
        live.short_term_lufs,
        live.integrated_lufs,
    ):
        assert value == pytest.approx(level, abs=0.1)


@pytest.mark.parametrize(("loud_s", "soft_s", "times", "after_s"), [(1.34, 1.66, 5, 3.0), (0.18, 0.22, 25, 1.0)])
def test_a_beat_that_fits_the_window_reads_steady(loud_s, soft_s, times, after_s):  # cases 9 (short term) and 12 (momentary)
    sound = joined(*(part for _ in range(times) for part in (stereo(loud_s, -20.0), stereo(soft_s, -30.0))))
    meter = LoudnessMeter(RATE, 2)
    meter.push(sound.samples)
    series, window_s = (meter.short_term(), 3.0) if after_s == 3.0 else (meter.momentary(), 0.4)
    step_s = (sound.frames / RATE - window_s) / (len(series) - 1)
    settled = series[max(round((after_s - window_s) / step_s), 0) :]
    assert len(settled) > 10 and settled == pytest.approx(np.full(len(settled), -23.0), abs=0.1)


def silence(seconds: float) -> Sound:
    return Sound(np.zeros((2, round(seconds * RATE)), np.float32), RATE)


each_scale = pytest.mark.parametrize(("scale", "window_s", "later_s"), [("short_term", 3.0, 0.15), ("momentary", 0.4, 0.02)])


@pytest.mark.parametrize("k", range(20))
@each_scale  # cases 10 and 13
def test_the_maximum_wherever_the_tone_lies(scale, window_s, later_s, k):
    whole = joined(silence(later_s * k), stereo(window_s, -23.0), silence(1.0))
    assert getattr(measure_loudness(whole), f"max_{scale}_lufs") == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("k", range(20))
@each_scale  # cases 11 and 14
def test_the_maximum_that_is_shown_wherever_the_tone_lies(scale, window_s, later_s, k):
    played = joined(silence(window_s - later_s * k), stereo(window_s, -38.0 + k), silence(later_s * k + 1.0))
    blocks = live_readings(played, 2400 if scale == "short_term" else 960)
    shown = [value for reading in blocks if (value := getattr(reading, f"{scale}_lufs")) is not None]
    assert max(shown) == pytest.approx(-38.0 + k, abs=0.1)


@pytest.mark.parametrize(
    ("divisor", "phase_deg", "level", "expected"),
    [
        (4, 0.0, -6.0, -6.0),
        (4, 45.0, -6.0, -6.0),
        (6, 60.0, -6.0, -6.0),
        (8, 67.5, -6.0, -6.0),
        (4, 45.0, 3.0, 3.0),
    ],
)  # cases 15 to 19
def test_true_peak_of_tones_between_the_samples(divisor, phase_deg, level, expected):
    n = np.arange(RATE)
    x = 10 ** (level / 20) * np.sin(2 * np.pi * n / divisor + np.radians(phase_deg))
    x *= np.minimum(1, np.minimum(n, n[::-1]) / 2000)  # faded, so that the ends make no peak of their own
    peak = measure_loudness(Sound(x[None].astype(np.float32), RATE)).true_peak_dbtp
    assert expected - 0.4 <= peak <= expected + 0.2


@pytest.mark.parametrize("offset", [0, 1, 2, 3])
def test_true_peak_of_a_short_burst_at_a_quarter_sample(offset):  # cases 20 to 23
    high = 4 * RATE
    n = np.arange(high // 10)
    x = 0.5 * np.sin(2 * np.pi * n / 16 + 0.3) * (np.abs(n - high // 20) < 60)
    x = signal.resample_poly(np.concatenate([np.zeros(offset), x]), 1, 4)
    truth = np.max(np.abs(signal.resample_poly(x, 16, 1)))
    peak = measure_loudness(Sound(x[None].astype(np.float32), RATE)).true_peak_dbtp
    assert 20 * np.log10(truth) - 0.4 <= peak <= 20 * np.log10(truth) + 0.2


@pytest.mark.parametrize(
    ("levels", "expected"),
    [
        ((-20.0, -30.0), 10.0),
        ((-20.0, -15.0), 5.0),
        ((-40.0, -20.0), 20.0),
        ((-50.0, -35.0, -20.0, -35.0, -50.0), 15.0),
    ],
)
def test_loudness_range_of_the_reference_tones(levels, expected):  # Tech 3342, cases 1 to 4
    sound = joined(*(stereo(20, level) for level in levels))
    assert measure_loudness(sound).range_lu == pytest.approx(expected, abs=1.0)


@pytest.mark.parametrize("rate", [8000, 22050, 44100, 96000, 192000])
def test_other_rates_read_the_same(rate):
    assert measure_loudness(tone(997, 5, -20.0, rate=rate)).integrated_lufs == pytest.approx(-23.0, abs=0.15)


def test_silence_and_too_little_sound_have_no_loudness():
    silent = measure_loudness(Sound(np.zeros((1, RATE), np.float32), RATE))
    assert (silent.integrated_lufs, silent.range_lu, silent.true_peak_dbtp) == (None, None, None)
    assert measure_loudness(tone(1000, 0.02)).integrated_lufs is None
