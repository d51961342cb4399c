"""Recordings with digital silence in their pauses: of soft speech no noise floor is told, and no denoiser is asked for."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage

from dubbin.core.deliver.proof import FileMeter
from dubbin.core.figures import with_unit
from dubbin.core.measure.finding import Severity
from dubbin.core.measure.gated import is_gated, tells_floor
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.noise import FRAME_S, NoiseMeter, noise_from_powers
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise

FRAME = round(FRAME_S * RATE)


@pytest.fixture(scope="module")
def voice(speech) -> np.ndarray:
    return (0.3 * speech / np.abs(speech).max()).astype(np.float32)[: 12 * RATE]


def gated(x: np.ndarray, above_dbfs: float, hold_s: float) -> np.ndarray:
    """Digital silence wherever the level over 10 ms was not above a threshold for some time."""
    level = ndimage.uniform_filter1d(x.astype(np.float64) ** 2, 480, mode="constant")
    n = np.arange(len(x))
    last = np.maximum.accumulate(np.where(level > 10 ** (above_dbfs / 10), n, -len(x)))
    return np.where(n - last <= round(hold_s * RATE), x, 0).astype(np.float32)


def measured(x: np.ndarray, rate: int = RATE):
    return measure_recording(Sound(np.atleast_2d(x), rate))


def powers(x: np.ndarray) -> np.ndarray:
    x = np.atleast_2d(x).astype(np.float32)
    meter = NoiseMeter(RATE, len(x))
    meter.push(x)
    return meter.frame_powers()


@pytest.mark.parametrize(("floor", "gain"), [(-90.0, 1.0), (-75.0, 0.1)])
def test_a_gate_that_shuts_at_once_leaves_no_floor_and_asks_for_no_denoiser(voice, floor, gain):
    x = gated(voice + noise(20, floor, 1)[: len(voice)], -45.0, 0.02) * np.float32(gain)
    softest = noise_from_powers(powers(x))
    assert softest.floor_dbfs > -68 + 20 * np.log10(gain), "soft speech, which would be told as noise"
    report = measured(x)
    assert report.noise.gated and report.noise.floor_dbfs is report.noise.snr_db is report.noise.hiss_dbfs is None
    assert not [f for f in report.findings if f.treatment == "denoise"]
    assert report.noise.floor_text == "digital silence"
    assert [f.severity for f in report.findings if f.kind == "gate"] == [Severity.MINOR]
    assert (report.dropouts.count > 0 or gain < 1) and "dropouts" not in {f.kind for f in report.findings}, "the gate's own"


@pytest.mark.parametrize("floor", [-65.0, -50.0])
def test_a_gate_that_holds_on_lets_its_noise_be_told(voice, floor):
    report = measured(gated(voice + noise(20, floor, 1)[: len(voice)], -40.0, 0.2))
    assert report.noise.floor_dbfs == pytest.approx(floor, abs=2.0) and not report.noise.gated
    assert [f for f in report.findings if f.treatment == "denoise"]
    assert "gate" not in {f.kind for f in report.findings}
    assert report.noise.floor_text == with_unit(report.noise.floor_dbfs, "dBFS")


def test_silence_before_and_after_is_no_gate(voice):
    x = voice + noise(20, -60, 1)[: len(voice)]
    silent = np.zeros(20 * RATE, np.float32)
    assert is_gated(powers(gated(x, -40.0, 0.02))) and not is_gated(powers(np.concatenate([silent, x, silent])))


def test_silence_between_two_stretches_with_a_floor_leaves_it_told(voice):
    x = (voice + noise(20, -60, 1)[: len(voice)])[: 5 * RATE]
    joined = np.concatenate([x, np.zeros(15 * RATE, np.float32), x]).astype(np.float32)
    assert is_gated(powers(joined)) and tells_floor(Sound(joined[None], RATE), powers(joined))
    assert measured(joined).noise.floor_dbfs == pytest.approx(measured(x).noise.floor_dbfs, abs=0.5)


def test_a_twentieth_of_the_frames_between_is_the_most_that_is_no_gate():
    power = np.full(100, 1e-4)
    power[[10, 30, 50, 70, 90]] = 0.0
    assert not is_gated(power)
    power[20] = 1e-12  # under −110 dBFS: what a decoder leaves of silence
    assert is_gated(power) and is_gated(np.concatenate([np.zeros(500), power, np.zeros(500)]))
    assert not is_gated(np.zeros(100)) and not is_gated(np.zeros(0))


def test_the_louder_channel_tells_and_a_low_rate_has_bands_too(voice):
    x = gated(voice + noise(20, -60, 1)[: len(voice)], -40.0, 0.2)
    both = np.stack([x, np.zeros_like(x)])
    assert tells_floor(Sound(both, RATE), powers(both)) and tells_floor(Sound(both[::-1], RATE), powers(both))
    low = x[: len(x) // 6 * 6].reshape(-1, 6).mean(axis=1)
    assert measured(low, RATE // 6).noise.floor_dbfs == pytest.approx(-60 - 7.8, abs=2.5), "a sixth of the band, by a mean of six"


def test_sharp_s_sounds_of_a_gated_voice_are_told(voice):
    x = voice + noise(20, -84, 1)[: len(voice)]
    sharp = np.fft.irfft(np.fft.rfft(x) * np.where(np.fft.rfftfreq(len(x), 1 / RATE) > 5000, 10.0, 1.0), len(x))
    plain, shut = measured(sharp.astype(np.float32)), measured(gated(sharp.astype(np.float32), -45.0, 0.02))
    assert shut.noise.gated
    assert (
        [f.kind for f in plain.findings if f.kind == "sibilance"]
        == ["sibilance"]
        == [f.kind for f in shut.findings if f.kind == "sibilance"]
    )


class TestMasters:
    """A finished file is looked through once; what is heard in it where nobody speaks is told as in a recording."""

    def floor(self, *sounds: np.ndarray) -> float | None:
        x = np.concatenate(sounds)[None].astype(np.float32)
        meter = FileMeter(RATE, 1)
        for start in range(0, x.shape[1], 70_001):
            meter.push(x[:, start : start + 70_001])
        return meter.result().noise_floor_dbfs

    @pytest.mark.parametrize("gain", [1.0, 4.0])
    def test_between_words_that_a_gate_cut_out_there_is_no_noise(self, voice, gain):
        assert self.floor(gain * gated(voice + noise(20, -90, 1)[: len(voice)], -45.0, 0.02)) is None

    @pytest.mark.parametrize("floor", [-65.0, -50.0])
    def test_noise_that_the_gate_lets_through_behind_words_is_told(self, voice, floor):
        assert self.floor(gated(voice + noise(20, floor, 1)[: len(voice)], -40.0, 0.2)) == pytest.approx(floor, abs=2.0)
