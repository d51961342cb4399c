"""Noise goes down, speech stays."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.ndimage
from scipy import signal

from dubbin.core.jobs import Task
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Denoise, DenoiseSettings, Engine
from dubbin.core.treat.dereverb import Dereverb, DereverbSettings
from dubbin.core.treat.engine_blend import DRY_DB, RINGING_DB, dryness
from dubbin.core.treat.guard import measure_guard
from dubbin.core.treat.neural_engine import SPEECH_S, cleaned_by_network, loudest_seconds, starts_of
from dubbin.core.treat.tiles import DiskTileCache
from dubbin.core.treat.treatment import Context
from dubbin.demo.room import room_response
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


def test_tiles_side_by_side_are_as_each_alone(mixture, tmp_path, monkeypatch):
    """A recording of a whole tile, a middle and a short end, two channels of it: prepared at once, and read a tile at a time."""
    monkeypatch.setattr("dubbin.core.treat.denoise.NEURAL_TILE_S", 2.0)
    clean, added = mixture
    x = np.resize(clean + added, 5 * RATE).astype(np.float32)
    sound = Sound(np.stack([x, 0.5 * x[::-1]]), RATE)
    uses = [Use(Denoise(), DenoiseSettings())]
    at_once = Chain(sound, uses, "side by side", DiskTileCache(tmp_path))
    at_once.prepare(Task())
    assert at_once.stages[0].is_filled and at_once.stages[0].tile_count == 3
    one_by_one = Chain(sound, uses, "one by one", DiskTileCache(tmp_path))
    np.testing.assert_array_equal(at_once.read(0, sound.frames), one_by_one.read(0, sound.frames))


# -- what the network begins with -----------------------------------------------------


def test_speech_is_looked_for_among_the_loud_seconds_of_each_part_and_no_bang_is_taken_for_it():
    powers = np.full(100, 1e-6)
    powers[50:58] = 1e-3  # somebody speaks
    powers[20] = 1.0  # a door
    assert 49 <= loudest_seconds(powers)[1] <= 54
    powers[80:90] = 1e-4
    first, second, third = loudest_seconds(powers)
    assert 49 <= second <= 54 and 79 <= third <= 86 and first < 32


@pytest.mark.parametrize(("seconds", "places"), [(0, 1), (1, 1), (4, 1), (5, 1), (59, 1), (60, 2), (119, 3), (120, 4), (7200, 4)])
def test_the_longer_a_recording_the_more_places_are_listened_to(seconds, places):
    found = loudest_seconds(np.random.default_rng(0).random(seconds))
    assert len(found) == places and found == sorted(set(found)) and found[0] >= 0 and found[-1] <= max(seconds - SPEECH_S, 0)


def test_of_loud_places_the_one_with_a_voice_is_taken(speech):
    """Applause louder than the voice: behind it the network would know nothing of a voice."""
    voice, applause = speech[: 10 * RATE], noise(35, rms_db(speech) + 4, 9)
    x = np.concatenate([applause, voice, noise(30, -70, 2), applause]).astype(np.float32)
    (start,) = starts_of(Sound(x[None], RATE), Task())
    alone = {}
    for name, sound in (("voice", voice), ("applause", applause)):
        (alone[name],) = starts_of(Sound(sound[None, : 6 * RATE], RATE), Task())

    def apart(name: str) -> float:
        return sum(float(np.sum((a - b) ** 2)) for a, b in zip(start.state.recurrent, alone[name].state.recurrent, strict=True))

    assert apart("voice") < 0.5 * apart("applause")


# -- the blend of both engines --------------------------------------------------------


def dryness_of(kept_db: float, sure: float = 1.0) -> np.ndarray:
    """Of sound of which the network keeps so much, where a share of the bins is surely no noise."""
    statistical = np.ones((2000, 50), np.float32)
    is_no_noise = np.zeros((2000, 50), bool)
    is_no_noise[:, : round(50 * sure)] = True
    network = np.where(is_no_noise, 10 ** (kept_db / 10), 1e-6).astype(np.float32)
    return dryness((statistical * is_no_noise).sum(axis=1), (network * is_no_noise).sum(axis=1), 0.009)


@pytest.mark.parametrize("seed", range(4))
def test_the_blend_of_loud_frames_and_the_silence_behind_them_is_a_share(seed):
    """Sums that run on are rounded: in a silence they must not come out below zero."""
    rng = np.random.default_rng(seed)
    statistical, network = (rng.random((4000, 60)).astype(np.float32) * np.float32(3e5) for _ in range(2))
    for X in (statistical, network):
        X[700:1400] = 0.0
        X[2000:2600] *= np.float32(1e-9)
        X[3000:] = 0.0
    share = dryness(statistical.sum(axis=1, dtype=float), network.sum(axis=1, dtype=float), 0.009)
    assert np.all((share >= 0.0) & (share <= 1.0))


def test_a_room_is_known_by_what_the_network_takes_from_what_is_no_noise():
    for sure in (1.0, 0.2):  # what is taken of the noise doesn't count
        assert np.all(dryness_of(-0.5, sure) == 1.0) and np.all(dryness_of(-4.0, sure) == 0.0)
        assert dryness_of((RINGING_DB + DRY_DB) / 2, sure) == pytest.approx(0.5, abs=0.01)
    assert np.all(dryness_of(-20.0, 0.0) == 1.0), "where nobody speaks nothing shows a room"


@pytest.fixture(scope="module")
def ringing_of():
    response = room_response(RATE, 0.5, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (3.6, 2.9, 1.0), 1)
    response = response[np.argmax(np.abs(response) > 0.5) :]
    return lambda voice: signal.oaconvolve(voice, response)[: len(voice)].astype(np.float32)


def in_noise(voice: np.ndarray) -> Sound:
    return Sound((voice + noise(10, rms_db(voice) - 20, 3)[: len(voice)]).astype(np.float32)[None], RATE)


def test_in_a_room_the_network_alone_decides_and_in_a_dry_one_the_blend_is_closer_to_the_voice(speech, ringing_of):
    clean = speech[: 10 * RATE]
    for voice, is_room in ((clean, False), (ringing_of(clean), True)):
        sound, treatment = in_noise(voice), Denoise()
        x = sound.samples[0]
        context = Context(0, len(x), RATE, DenoiseSettings(), treatment.analyse(sound, DenoiseSettings(), Task()))
        (network,) = cleaned_by_network([(x, context)], 0)
        blended = treatment.process(x[None], context)[0]
        if is_room:
            assert rms_db(blended - network) < rms_db(network) - 40
        else:
            assert si_sdr(clean, blended) > si_sdr(clean, network) + 0.2


class TestTheRoomGivenBack:
    """What a treatment of the room is given to hear, behind the neural engine."""

    @staticmethod
    def stages(sound: Sound, engine: Engine = Engine.NEURAL):
        uses = [Use(Denoise(), DenoiseSettings(engine=engine)), Use(Dereverb(), DereverbSettings())]
        return Chain(sound, uses, "a").stages

    def test_in_a_room_it_is_closer_to_what_is_spoken_there_and_has_no_more_noise_than_its_share(self, speech, ringing_of):
        voice = ringing_of(speech[: 10 * RATE])
        denoise, dereverb = self.stages(in_noise(voice))
        left, heard = (source.read(0, len(voice))[0] for source in (denoise, dereverb.heard))
        assert si_sdr(voice, heard) > si_sdr(voice, left) + 1.0
        around = scipy.ndimage.uniform_filter1d(voice.astype(float) ** 2, 4801, mode="constant")
        quiet = around < 10 ** (-4.5) * around.max()  # below the noise
        assert quiet.sum() > RATE // 4
        assert rms_db(heard[quiet]) < rms_db(in_noise(voice).samples[0][quiet]) - 20

    def test_of_a_dry_voice_and_behind_the_statistical_engine_nothing_is_given_back(self, speech, ringing_of):
        clean = speech[: 10 * RATE]
        denoise, dereverb = self.stages(in_noise(clean))
        np.testing.assert_array_equal(dereverb.heard.read(RATE, 5 * RATE), denoise.read(RATE, 5 * RATE))
        denoise, dereverb = self.stages(in_noise(ringing_of(clean)), Engine.STATISTICAL)
        assert dereverb.heard is denoise

    def test_it_is_the_same_from_wherever_it_is_read(self, speech, ringing_of):
        voice = ringing_of(speech[: 10 * RATE])
        _, dereverb = self.stages(in_noise(voice))
        whole, part = dereverb.heard.read(0, len(voice)), dereverb.heard.read(4 * RATE + 17, 9 * RATE)
        np.testing.assert_array_equal(part, whole[:, 4 * RATE + 17 : 9 * RATE])
        beyond = dereverb.heard.read(len(voice) - RATE, len(voice))
        assert np.isfinite(beyond).all() and beyond.shape == (1, RATE)

    def test_what_the_room_treatment_removed_is_counted_from_what_the_noise_treatment_left(self, speech, ringing_of):
        sound = in_noise(ringing_of(speech[: 10 * RATE]))
        uses = [Use(Denoise(), DenoiseSettings()), Use(Dereverb(), DereverbSettings())]
        chain = Chain(sound, uses, "a")
        denoise, dereverb = chain.stages
        np.testing.assert_array_equal(chain.with_strengths([1.0, 0.0]).read(0, sound.frames), denoise.read(0, sound.frames))
        np.testing.assert_array_equal(chain.with_strengths([0.0, 0.0]).read(0, sound.frames), sound.samples)
        half = chain.with_strengths([1.0, 0.5]).read(0, sound.frames)
        np.testing.assert_allclose(half, (denoise.read(0, sound.frames) + dereverb.read(0, sound.frames)) / 2, atol=1e-6)

    def test_how_much_of_the_voice_the_room_treatment_takes_is_measured_on_what_it_was_given(self, speech, ringing_of):
        _, dereverb = self.stages(in_noise(ringing_of(speech[: 10 * RATE])))
        assert dereverb.guard() == measure_guard(dereverb.heard, dereverb)

    def test_kept_on_the_disk_it_is_the_same_and_what_was_found_is_let_go_of_once_nobody_asks_for_it(self, speech, ringing_of, tmp_path):
        sound = in_noise(ringing_of(speech[: 10 * RATE]))
        uses = [Use(Denoise(), DenoiseSettings()), Use(Dereverb(), DereverbSettings())]
        cache = DiskTileCache(tmp_path)
        chain = Chain(sound, uses, "a", cache)
        chain.prepare(Task())
        assert not any(cache.findings.knows(stage.key) for stage in chain.stages)
        expected = Chain(sound, uses, "a").read(0, sound.frames)
        np.testing.assert_allclose(chain.read(0, sound.frames), expected, atol=2e-5)
        again = Chain(sound, uses, "a", DiskTileCache(tmp_path))
        np.testing.assert_array_equal(again.read(0, sound.frames), chain.read(0, sound.frames))
