"""The voice guard hears what goes; treatments stay where they are told to; touch-ups take one sound."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from scipy import signal

from dubbin.cli.main import main
from dubbin.core.measure.echo import Echo, echo_behind_noise, ringing_db
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.guard import AUDIBLE_DB, HIGHEST_LIMIT_DB, Guard, limit_in_room, measure_guard
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.touch_up import Spot, TouchUpSettings
from dubbin.demo.room import room_response
from tests.conftest import RATE, noise, rms_db


@pytest.fixture(scope="module")
def voice(speech):
    return (speech + noise(20, -60, 9)[: len(speech)]).astype(np.float32)


@pytest.mark.parametrize("share", [0.02, 0.1, 0.5])
def test_the_guard_reads_the_share_of_the_voice_that_went(voice, share):
    found = measure_guard(Sound(voice[None], RATE), Sound((voice * (1 - share)).astype(np.float32)[None], RATE))
    assert found.speech_db == pytest.approx(20 * np.log10(share), abs=1.0)
    assert found.is_audible(1.0) == (share > 0.2)


def test_noise_that_goes_is_no_voice(voice):
    hiss = noise(20, -45, 4)[: len(voice)]
    found = measure_guard(Sound((voice + hiss)[None], RATE), Sound(voice[None], RATE))
    assert found.speech_db < AUDIBLE_DB - 6


def test_the_highest_strength_is_the_one_just_below_what_is_heard():
    guard = Guard(AUDIBLE_DB + 6.0)
    assert guard.highest_strength == pytest.approx(0.5, abs=0.01)
    assert not guard.is_audible(guard.highest_strength - 0.01) and guard.is_audible(guard.highest_strength + 0.01)
    assert Guard(None).highest_strength == 1.0 and Guard(None).at(1.0) is None and guard.at(0.0) is None


def test_a_voice_behind_a_wall_is_warned_of(voice):
    dull = signal.sosfiltfilt(signal.butter(4, 900, fs=RATE, output="sos"), voice).astype(np.float32)
    assert measure_guard(Sound(voice[None], RATE), Sound(dull[None], RATE)).is_audible(1.0)


@pytest.fixture(scope="module")
def in_room(speech):
    """The direct sound of a voice in a room, and all of it, with some noise."""
    x = speech[: 12 * RATE]
    response = room_response(RATE, 0.4, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.7, 2.4, 1.0), 3)
    first = int(np.argmax(np.abs(response) > 0.5))
    direct = np.where(np.arange(len(response)) < first + RATE // 1000, response, 0.0)
    hiss = noise(12, rms_db(x) - 25, 4)[: len(x)]
    return tuple(
        Sound((signal.oaconvolve(x, h)[: len(x)] + n)[None].astype(np.float32), RATE) for h, n in ((direct, 0 * hiss), (response, hiss))
    )


def test_to_take_a_room_away_whole_is_no_loss_of_voice_and_to_take_the_voice_is(in_room):
    direct, recorded = in_room
    assert measure_guard(recorded, direct).is_audible(1.0), "early reflections lie in the same frames"
    found = measure_guard(recorded, direct, takes_rooms=True)
    assert found.highest_strength > 0.75 and AUDIBLE_DB < found.limit_db < -3.0
    third = Sound(0.3 * recorded.samples, RATE)
    assert measure_guard(recorded, third, takes_rooms=True).limit_db == pytest.approx(AUDIBLE_DB, abs=0.5), (
        "the voice goes like the room: no room is taken"
    )


def test_the_limit_goes_up_with_what_is_taken_of_a_room():
    limits = [limit_in_room(ringing) for ringing in (-1.0, 0.0, 0.4, 0.8, 1.5, 2.5, 3.5, 20.0)]
    assert limits[0] == limits[1] == limits[2] == AUDIBLE_DB and limits == sorted(limits) and limits[-1] == HIGHEST_LIMIT_DB


def test_a_treatment_on_stretches_leaves_the_rest_bit_identical(voice):
    sound = Sound((voice + noise(20, -40, 4)[: len(voice)])[None], RATE)
    settings = DenoiseSettings(engine=Engine.STATISTICAL)
    spans = ((2 * RATE, 4 * RATE), (9 * RATE, 10 * RATE))
    x = sound.samples
    y = Chain(sound, [Use(TREATMENTS["denoise"], settings, spans=spans)]).read(0, sound.frames)
    whole = Chain(sound, [Use(TREATMENTS["denoise"], settings)]).read(0, sound.frames)
    outside = np.ones(sound.frames, bool)
    for a, b in spans:
        outside[a:b] = False
        np.testing.assert_allclose(y[:, a + 600 : b - 600], whole[:, a + 600 : b - 600], atol=1e-6)
    np.testing.assert_array_equal(y[:, outside], x[:, outside])


class TestTouchUps:
    """A phone that rings at 2.1 kHz for half a second."""

    @pytest.fixture
    def ringing(self, voice):
        n = np.arange(RATE // 2)
        x = voice.copy()
        x[4 * RATE :][: len(n)] += (0.05 * np.sin(2 * np.pi * 2100 * n / RATE) * np.hanning(len(n))).astype(np.float32)
        return x

    @pytest.mark.parametrize("depth_db", [None, 30.0])
    def test_it_goes_and_the_rest_stays(self, voice, ringing, depth_db):
        spot = Spot(3.95, 4.55, 1900.0, 2300.0, depth_db)
        sound = Sound(ringing[None], RATE)
        y = Chain(sound, [Use(TREATMENTS["touch-up"], TouchUpSettings((spot,)))]).read(0, sound.frames)[0]
        inside = slice(round(4.1 * RATE), round(4.4 * RATE))
        narrow = signal.butter(2, (2000, 2200), "band", fs=RATE, output="sos")
        left, was = (rms_db(signal.sosfiltfilt(narrow, e)[inside]) for e in (y - voice * (depth_db is None), ringing))
        assert left < was - 12
        np.testing.assert_allclose(y[: round(3.9 * RATE)], ringing[: round(3.9 * RATE)], atol=1e-6)
        np.testing.assert_allclose(y[round(4.65 * RATE) :], ringing[round(4.65 * RATE) :], atol=1e-6)

    def test_no_spots_change_nothing(self, ringing):
        sound = Sound(ringing[None], RATE)
        y = Chain(sound, [Use(TREATMENTS["touch-up"], TouchUpSettings())]).read(0, sound.frames)
        np.testing.assert_array_equal(y, sound.samples)


# -- what noise has hidden ------------------------------


@pytest.fixture(scope="module")
def denoised(speech):
    """Chains with a denoiser over the same voice in noise: dry, and in a room that rings for long."""
    x = speech[: 16 * RATE].astype(np.float64)
    rng = np.random.default_rng(3)
    tail = rng.standard_normal(RATE) * 10 ** (-3.0 * np.arange(RATE) / (0.75 * RATE))
    tail[: RATE // 500] = 0.0
    room = tail / np.sqrt(np.sum(tail**2)) * 0.9
    room[0] = 1.0
    out = {}
    for name, y in (("dry", x), ("room", signal.oaconvolve(x, room)[: len(x)])):
        level = np.sqrt(np.mean(y[np.abs(y) > 1e-3] ** 2)) * 10 ** (-12 / 20)
        source = Sound((y + level * rng.standard_normal(len(y)))[None].astype(np.float32), RATE)
        treatment = TREATMENTS["denoise"]
        out[name] = Chain(source, [Use(treatment, treatment.settings_type())])
    return out


def unheard_room(chain: Chain, rt60_s: float | None = None) -> RecordingReport:
    return replace(measure_recording(chain.source), echo=Echo(rt60_s))


def test_a_room_that_noise_has_hidden_shows_behind_the_denoiser(denoised):
    use = hidden_echo(denoised["room"], unheard_room(denoised["room"]))
    assert use is not None and use.treatment.name == "dereverb" and use.strength >= 0.6
    assert hidden_echo(denoised["dry"], unheard_room(denoised["dry"])) is None
    found = {name: echo_behind_noise(chain.source, chain).rt60_s for name, chain in denoised.items()}
    assert found["dry"] is None and found["room"] == pytest.approx(0.75, rel=0.4)


@pytest.mark.parametrize("kept", [1.0, 0.5, 0.1])
def test_of_what_dies_away_more_is_taken_in_a_room_only(kept):
    """Bursts far above a steady noise, that begin at once and die away; a share of the power of the tails is left, and nothing of the noise."""
    rng, n = np.random.default_rng(2), np.arange(30 * RATE)
    at = n % RATE / RATE
    burst, tail = np.where(at < 0.2, 1.0, 0.0), np.where(at >= 0.2, 10 ** (-60 * (at - 0.2) / 0.8 / 20), 0.0)
    tone = 0.1 * np.sin(2 * np.pi * 700 * n / RATE)
    recorded = (tone * (burst + tail) + 1e-4 * rng.standard_normal(len(n))).astype(np.float32)
    after, softer = tone * (burst + np.sqrt(kept) * tail), np.sqrt(kept) * tone * (burst + tail)
    recorded_, after_, softer_ = (Sound(x[None].astype(np.float32), RATE) for x in (recorded, after, softer))
    assert ringing_db(recorded_, after_) == pytest.approx(-10 * np.log10(kept), abs=1.5)
    assert ringing_db(recorded_, softer_) == pytest.approx(0.0, abs=0.1), "what is only softer was no room"
    assert (echo_behind_noise(recorded_, after_).rt60_s is not None) == (kept < 0.7)


def test_people_in_the_background_are_no_room(speech):
    voice = speech[: 16 * RATE]
    several = np.concatenate([speech, speech])[: len(voice)]
    babble = 0.4 * sum(np.roll(several, round(s * RATE)) for s in (1.3, 3.1, 5.7, 8.2, 11.9, 14.6))
    recorded = voice + babble + noise(16, -66, 2)[: len(voice)]
    assert echo_behind_noise(Sound(recorded[None].astype(np.float32), RATE), Sound(voice[None], RATE)).rt60_s is None


def test_of_silence_and_of_noise_alone_nothing_is_told():
    silence, hiss, short = (Sound(x[None].astype(np.float32), RATE) for x in (np.zeros(3 * RATE), noise(3, -40, 1), np.zeros(100)))
    assert echo_behind_noise(silence, silence).rt60_s is None and echo_behind_noise(hiss, silence).rt60_s is None
    assert ringing_db(hiss, hiss) == pytest.approx(0.0, abs=1e-6) and ringing_db(short, short) == 0.0


def test_clean_takes_out_a_room_that_shows_only_behind_the_noise(capsys, denoised, tmp_path, monkeypatch):
    """The whole command, with a recording in which no room is heard."""
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    source = denoised["room"].source
    sf.write(tmp_path / "a.wav", source.samples.T, RATE, subtype="FLOAT")
    hear_no_room = lambda copy, task=None: unheard_room(denoised["room"])  # noqa: E731
    monkeypatch.setattr("dubbin.cli.clean_command.measure_recording", hear_no_room)
    assert main(["clean", str(tmp_path / "a.wav"), "-o", str(tmp_path / "b.wav"), "--json", "--quiet"]) == 0
    treated = {t["name"] for t in json.loads(capsys.readouterr().out)["treatments"]}
    assert {"denoise", "dereverb"} <= treated
