"""The voice guard hears what goes; treatments stay where they are told to; touch-ups take one sound."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from scipy import signal

from dubbin.cli.main import main
from dubbin.core.measure.echo import DRY_KEPT_DB, MOST_ELSEWHERE, Echo, above_noise, echo_behind_noise
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.guard import AUDIBLE_DB, Guard, measure_guard
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.touch_up import Spot, TouchUpSettings
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
def test_what_is_kept_above_the_noise_is_told_whatever_goes_on_in_it(kept):
    """Bursts far above a steady noise, of which a share is left, and nothing of the noise."""
    rng, n = np.random.default_rng(2), np.arange(30 * RATE)
    bursts = (0.1 * np.sin(2 * np.pi * 700 * n / RATE) * (n % RATE < RATE // 4)).astype(np.float32)
    recorded = bursts + (0.001 * rng.standard_normal(len(n))).astype(np.float32)
    after = np.sqrt(kept) * bursts
    found = above_noise(Sound(recorded[None], RATE), Sound(after[None].astype(np.float32), RATE))
    assert found.kept_db == pytest.approx(10 * np.log10(kept), abs=0.1)


def test_people_in_the_background_are_no_room(speech):
    """What is taken where nobody has spoken for a while is no echo, however much it is."""
    voice = np.concatenate([speech[: 6 * RATE], np.zeros(4 * RATE), speech[6 * RATE : 12 * RATE], np.zeros(4 * RATE)]).astype(np.float32)
    several = np.concatenate([speech, speech])[: len(voice)]
    babble = 0.7 * sum(np.roll(several, round(s * RATE)) for s in (1.3, 3.1, 5.7, 8.2, 11.9, 14.6))
    hiss = noise(len(voice) / RATE, -66, 2)[: len(voice)]
    recorded, denoised_ = Sound((voice + babble + hiss)[None].astype(np.float32), RATE), Sound(voice[None], RATE)
    found = above_noise(recorded, denoised_)
    assert found.kept_db < DRY_KEPT_DB and found.elsewhere > MOST_ELSEWHERE and echo_behind_noise(recorded, denoised_).rt60_s is None


def test_of_silence_and_of_noise_alone_nothing_is_told():
    silence, hiss, short = (
        Sound(np.zeros((1, 3 * RATE), np.float32), RATE),
        Sound(noise(3, -40, 1)[None], RATE),
        Sound(np.zeros((1, 100), np.float32), RATE),
    )
    assert echo_behind_noise(silence, silence).rt60_s is None and echo_behind_noise(hiss, silence).rt60_s is None
    assert above_noise(hiss, hiss).kept_db == 0.0 and above_noise(short, short).kept_db == 0.0


def test_a_room_that_was_measured_is_not_looked_for_again(denoised):
    chain = denoised["room"]
    assert hidden_echo(chain, unheard_room(chain, 0.2)) is None
    assert hidden_echo(Chain(chain.source, []), unheard_room(chain)) is None, "nothing was denoised"


def test_clean_takes_out_a_room_that_shows_only_behind_the_noise(capsys, denoised, tmp_path, monkeypatch):
    """The whole command, with a recording in which no room is heard."""
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    source = denoised["room"].source
    sf.write(tmp_path / "a.wav", source.samples.T, RATE, subtype="FLOAT")
    hear_no_room = lambda copy, task=None: unheard_room(denoised["room"])  # noqa: E731
    monkeypatch.setattr("dubbin.cli.sound_commands.measure_recording", hear_no_room)
    assert main(["clean", str(tmp_path / "a.wav"), "-o", str(tmp_path / "b.wav"), "--json", "--quiet"]) == 0
    treated = {t["name"] for t in json.loads(capsys.readouterr().out)["treatments"]}
    assert {"denoise", "dereverb"} <= treated
