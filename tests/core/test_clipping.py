"""Clipping is told from crests that are only round: by made sounds, whatever their rate, level and blocks."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage

from dubbin.core.measure.clicks import Clicks
from dubbin.core.measure.clipping import Clipping, ClippingMeter
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise, tone

F32 = np.float32


def clipping(x: np.ndarray, rate: int = RATE, blocks: int | tuple[int, ...] = 10 * RATE) -> Clipping:
    """What the meter finds in (frames,) or (channels, frames)."""
    x = np.atleast_2d(x).astype(F32)
    meter, at, sizes = ClippingMeter(rate, len(x)), 0, (blocks,) if isinstance(blocks, int) else blocks
    while at < x.shape[1]:
        for size in sizes:
            meter.push(x[:, at : at + size])
            at += size
    return meter.result()


def sixteen_bits(x: np.ndarray) -> np.ndarray:
    return np.round(x * 32768) / 32768


@pytest.mark.parametrize("rate", [8000, 44_100, 48_000, 96_000, 192_000])
@pytest.mark.parametrize("hz", [17.0, 50.0, 99.7, 382.0, 440.0, 1000.0])
def test_a_tone_is_not_clipped_at_its_crests(rate, hz):
    for level in (-26.0, -18.0, 0.0):
        x = tone(hz, 1.0, level, rate).samples[0]
        assert clipping(x, rate).count == 0 and clipping(sixteen_bits(x), rate).count == 0


@pytest.mark.parametrize("hz", [20.0, 37.0, 50.0])
@pytest.mark.parametrize("over", [1.005, 1.02, 1.05])
def test_a_tone_that_is_cut_off_is_at_every_crest(hz, over):
    x = over * tone(hz, 2.0, -12.0).samples[0]
    cut = np.clip(x, -(10 ** (-12 / 20)), 10 ** (-12 / 20))
    found = clipping(sixteen_bits(cut))
    assert found.count == round(4 * hz) and found.ceiling == pytest.approx(10 ** (-12 / 20), abs=1e-4)
    assert np.diff(found.times_s) == pytest.approx(0.5 / hz, abs=0.001)


def test_a_line_up_tone_before_a_voice_is_no_fault_of_it(speech):
    x = np.concatenate([tone(400, 5, -18).samples[0], np.zeros(RATE, F32), 0.1 * speech / np.abs(speech).max()])
    report = measure_recording(Sound(sixteen_bits(x + noise(len(x) / RATE, -80)[: len(x)]).astype(F32)[None], RATE))
    assert report.clipping.count == 0 and all(f.kind != "clipping" for f in report.findings)


@pytest.mark.parametrize("rate", [RATE, 96_000, 192_000])
def test_a_voice_is_clipped_where_it_was_cut_off_and_nowhere_else(speech, rate):
    voice = speech / np.abs(speech).max()
    x = voice if rate == RATE else soxr.resample(voice, RATE, rate, "VHQ")
    assert clipping(x, rate).count == 0
    cut = np.abs(x) > 0.6
    found = clipping(0.4 * np.clip(x, -0.6, 0.6), rate)  # and turned down since
    assert found.count > 50 and found.ceiling == pytest.approx(0.24, abs=1e-6)
    near = np.array([cut[max(round(t * rate) - 1, 0) : round(t * rate) + 4].any() for t in found.times_s])
    assert near.all()


def test_the_other_channel_is_looked_at_too(speech):
    voice = speech / np.abs(speech).max()
    one = clipping(np.clip(voice, -0.5, 0.5))
    both = clipping(np.stack([0.3 * voice, np.clip(voice, -0.5, 0.5)]))
    assert one.count == both.count > 50 and one.times_s == both.times_s


def test_what_is_cut_off_to_the_last_sample_counts(speech):
    x = np.concatenate([noise(1, -30), np.linspace(0, 0.8, 40), np.full(30, 0.8)])
    assert clipping(x).count == 1 and clipping(x, blocks=7).count == 1
    assert clipping(np.full(5 * RATE, 0.8)).count == 1
    assert clipping(np.zeros(RATE)) == Clipping(0, (), 0.0)


@given(st.lists(st.integers(1, 4000), min_size=1, max_size=5), st.floats(0.3, 0.9), st.integers(0, 3))
def test_blocks_of_any_size_find_the_same(sizes, ceiling, seed):
    rng = np.random.default_rng(seed)
    x = np.convolve(rng.normal(0, 1, 6000), np.hanning(40), "same")
    x = np.clip(x / np.abs(x).max(), -ceiling, ceiling)
    x[:50] = ceiling  # so that the ceiling is known from the beginning
    assert clipping(x, blocks=tuple(sizes)) == clipping(x)


@pytest.mark.parametrize("share", [0.7, 0.4])
def test_corners_of_crests_that_were_cut_off_are_no_clicks_and_clicks_are(speech, share):
    voice = speech / np.abs(speech).max()
    x = np.clip(voice, -share, share) + noise(20, -84, 1)[: len(voice)]
    report = measure_recording(Sound(x.astype(F32)[None], RATE))
    assert report.clipping.count > 20 and report.clicks.count <= 3 and all(f.kind != "clicks" for f in report.findings)
    calm = ndimage.minimum_filter1d((np.abs(voice) < 0.02).astype(np.uint8), 9600, mode="constant")  # for a tenth of a second to both sides
    places = np.flatnonzero(calm)[::4800][:12]
    with_clicks = x.copy()
    with_clicks[places] += 0.3
    assert measure_recording(Sound(with_clicks.astype(F32)[None], RATE)).clicks.count >= 0.8 * len(places) > 5


def test_clicks_are_kept_where_they_lie_away_from_what_was_cut_off():
    clicks = Clicks((((1000, 1010), (5000, 5004)), ((2000, 2001),)), RATE)
    assert clicks.away_from([]) == clicks
    assert clicks.away_from([(890, 903)]).spans == (((1000, 1010), (5000, 5004)), ((2000, 2001),)), (
        "the clicks begin 97 frames later, a little more than 2 ms"
    )
    assert clicks.away_from([(900, 910), (2090, 2100)]).spans == (((5000, 5004),), ())
    assert clicks.away_from([(10, 6000), (4000, 4001)]).spans == ((), ()), "a long run reaches past a later one"


def test_of_a_square_wave_no_more_is_kept_than_of_a_voice():
    x = np.tile([0.9, 0.9, -0.9, -0.9, -0.9, 0.9], 4 * RATE // 6)  # runs of two and three, side by side
    meter = ClippingMeter(RATE, 1)
    for start in range(0, len(x), RATE // 2):
        meter.push(x[None, start : start + RATE // 2].astype(F32))
    assert len(meter.runs()) <= 9 and meter.result().count == 1, "one for each of eight blocks, and what goes on to the end"
