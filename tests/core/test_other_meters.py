"""Loudness, range and peaks of programs made by chance, against two meters that know nothing of this one: FFmpeg's ebur128 and pyloudnorm."""

from __future__ import annotations

from dataclasses import dataclass

import av
import numpy as np
import pyloudnorm
import pytest
from scipy import signal

from dubbin.core.measure.loudness import LoudnessMeter, measure_loudness
from dubbin.core.sound.source import Sound
from tests.conftest import SEED, SOAK, at_length

LAYOUTS = {1: "mono", 2: "stereo", 5: "5.0", 6: "5.1"}


@dataclass(frozen=True)
class Reading:
    """What FFmpeg's meter says: at the end, and every 100 ms. true_peak: as a factor of full scale."""

    integrated: float
    true_peak: float
    momentary: np.ndarray
    short_term: np.ndarray


def by_ffmpeg(x: np.ndarray, rate: int) -> Reading:
    graph = av.filter.Graph()
    source = graph.add_abuffer(sample_rate=rate, format="fltp", layout=LAYOUTS[len(x)])
    meter, sink = graph.add("ebur128", "peak=true:metadata=1:framelog=quiet"), graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x), format="fltp", layout=LAYOUTS[len(x)])
    frame.sample_rate, frame.pts = rate, 0
    said = []
    for put in (frame, None):
        graph.push(put)
        while True:
            try:
                said.append({k.removeprefix("lavfi.r128."): float(v) for k, v in graph.pull().metadata.items()})
            except (av.error.BlockingIOError, av.error.EOFError):
                break
    peak = max(float(v) for k, v in said[-1].items() if k.startswith("true_peaks"))
    return Reading(said[-1]["I"], peak, np.array([s["M"] for s in said]), np.array([s["S"] for s in said]))


def range_of_course(short_term: np.ndarray) -> float:
    """By the letter of Tech 3342, from what the other meter reads every 100 ms; its own range comes from a histogram, and is up to 2 LU off in half a minute."""
    heard = np.sort(short_term[short_term > -70])
    heard = heard[heard > 10 * np.log10(np.mean(10 ** (heard / 10))) - 20]
    low, high = (heard[int(np.floor((len(heard) - 1) * share + 0.5))] for share in (0.1, 0.95))
    return float(high - low)


def program(seed: int, rate: int, channels: int, seconds: float = 16.0) -> np.ndarray:
    """Stretches of noise of every colour, tones and silence, one after the other, at levels from full scale down to where nothing counts: (channels, n).

    The first three seconds are silent: the other meter counts windows that are not full yet.
    """
    rng = np.random.default_rng(seed)
    parts, left = [np.zeros((channels, 3 * rate))], round(seconds * rate)
    while left > 0:
        n = min(int(rng.integers(rate // 5, 5 * rate)), left)
        kind, level = rng.integers(4), 10 ** (rng.uniform(-75, -3) / 20)
        if kind == 0:
            x = np.zeros((channels, n))
        elif kind == 1:
            x = level * np.sin(2 * np.pi * rng.uniform(30, 0.4 * rate) * np.arange(n) / rate + rng.uniform(0, 6, (channels, 1)))
        else:
            x = signal.lfilter([1.0], [1.0, -rng.uniform(-0.9, 0.98)], rng.standard_normal((channels, n)))
            x *= level / np.abs(x).max()
        parts.append(x * rng.uniform(0.1, 1.0, (channels, 1)))
        left -= n
    return np.concatenate(parts, axis=1).astype(np.float32)


@pytest.mark.parametrize("seed", range(SEED, SEED + SOAK))
@pytest.mark.parametrize(("rate", "channels"), [(48000, 1), (44100, 2), *at_length((48000, 2), (96000, 2))])
def test_programs_by_chance_read_as_on_two_other_meters(seed, rate, channels):
    x = program(seed, rate, channels)
    ours, theirs = measure_loudness(Sound(x, rate)), by_ffmpeg(x, rate)
    assert ours.integrated_lufs == pytest.approx(theirs.integrated, abs=0.1)
    assert ours.range_lu == pytest.approx(range_of_course(theirs.short_term), abs=0.05 if rate == 48000 else 1.0)
    # At four times the rate, as the other looks, a peak between two values is up to 0.7 dB higher. It says thousandths of full scale.
    assert theirs.true_peak * 0.99 - 0.0006 <= 10 ** (ours.true_peak_dbtp / 20) <= theirs.true_peak * 1.09 + 0.0006
    assert ours.integrated_lufs == pytest.approx(pyloudnorm.Meter(rate).integrated_loudness(x.T.astype(np.float64)), abs=0.1)


@pytest.mark.parametrize("channels", [5, 6])
def test_surround_reads_as_on_another_meter(channels):
    x = program(SEED + 50, 48000, channels)
    assert measure_loudness(Sound(x, 48000)).integrated_lufs == pytest.approx(by_ffmpeg(x, 48000).integrated, abs=0.1)


@pytest.mark.parametrize("seed", range(SEED, SEED + 2 * SOAK))
def test_the_course_of_loudness_is_that_of_another_meter(seed):
    """Every 100 ms, wherever there is something to be heard; the other begins with what is not there yet as silence."""
    x = program(seed, 48000, 2, 24.0)
    meter, theirs = LoudnessMeter(48000, 2), by_ffmpeg(x, 48000)
    meter.push(x)
    for ours, other, width in ((meter.momentary(), theirs.momentary, 4), (meter.short_term(), theirs.short_term, 30)):
        other = other[width - 1 :]
        ours = ours[::5][: len(other)]
        heard = (other[: len(ours)] > -65) & np.isfinite(ours)
        assert heard.sum() > 100 and np.abs(ours - other[: len(ours)])[heard].max() < 0.1
