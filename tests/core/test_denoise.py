"""Noise goes down, speech stays."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.jobs import Task
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Denoise, DenoiseSettings, Engine
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, noise, rms_db


def si_sdr(truth: np.ndarray, estimate: np.ndarray) -> float:
    part = np.dot(truth, estimate) / np.dot(truth, truth) * truth
    return rms_db(part) - rms_db(estimate - part)


@pytest.fixture
def mixture(speech):
    loud = rms_db(speech[np.abs(speech) > 0.003])
    return speech, noise(20, loud - 15, 3)[: len(speech)]


@pytest.mark.parametrize("engine", list(Engine))
def test_it_gains_at_least_five_db_at_15_db(mixture, engine):
    clean, added = mixture
    sound = Sound((clean + added)[None], RATE)
    y = Chain(sound, [Use(Denoise(), DenoiseSettings(engine=engine))]).read(0, sound.frames)[0]
    assert si_sdr(clean, y) > si_sdr(clean, sound.samples[0]) + 5


def test_the_floor_goes_down_by_about_the_depth(mixture):
    clean, added = mixture
    sound = Sound((clean + added)[None], RATE)
    meter = NoiseMeter(RATE, 1)
    meter.push(Chain(sound, [Use(Denoise(), DenoiseSettings(depth_db=20.0, engine=Engine.STATISTICAL))]).read(0, sound.frames))
    assert meter.result().floor_dbfs == pytest.approx(rms_db(added) - 20, abs=4)


def test_a_learned_profile_takes_down_just_that_noise(speech):
    hiss = noise(20, -40, 5)[: len(speech)]
    x = np.concatenate([hiss[:RATE], speech[: 10 * RATE] + hiss[: 10 * RATE]])
    sound = Sound(x[None], RATE)
    y = Chain(sound, [Use(Denoise(), DenoiseSettings(noise_from_s=(0.0, 1.0), engine=Engine.STATISTICAL))]).read(0, sound.frames)
    assert rms_db(y[0, :RATE]) < rms_db(x[:RATE]) - 15


def test_clean_speech_passes_almost_untouched(speech):
    sound = Sound(speech[None], RATE)
    y = Chain(sound, [Use(Denoise(), DenoiseSettings(engine=Engine.STATISTICAL))]).read(0, sound.frames)[0]
    assert si_sdr(speech, y) > 25


@pytest.mark.parametrize("engine", list(Engine))
def test_silence_stays_silent(engine):
    sound = Sound(np.zeros((1, 2 * RATE), np.float32), RATE)
    assert not Chain(sound, [Use(Denoise(), DenoiseSettings(engine=engine))]).read(0, sound.frames).any()


def test_tiles_side_by_side_are_as_each_alone(mixture, tmp_path):
    """A recording of a whole tile, a middle and a short end, two channels of it: prepared at once, and read a tile at a time."""
    clean, added = mixture
    x = np.resize(clean + added, 40 * RATE).astype(np.float32)
    sound = Sound(np.stack([x, 0.5 * x[::-1]]), RATE)
    uses = [Use(Denoise(), DenoiseSettings())]
    at_once = Chain(sound, uses, "side by side", DiskTileCache(tmp_path))
    at_once.prepare(Task())
    assert at_once.stages[0].is_filled and at_once.stages[0].tile_count == 3
    one_by_one = Chain(sound, uses, "one by one", DiskTileCache(tmp_path))
    np.testing.assert_array_equal(at_once.read(0, sound.frames), one_by_one.read(0, sound.frames))
