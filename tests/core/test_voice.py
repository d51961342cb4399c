"""The voice treatments against analytic truth: curves, time constants, what is turned down and what is not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from dubbin.core.episode.commands.treatments import copy_voice, set_voice_strength
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Lane, Recording, TreatmentUse
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.spectrum import Spectrum, average_spectrum
from dubbin.core.measure.tone_balance import ToneBalanceMeter
from dubbin.core.measure.voice_tone import laid_over, suggest_tone
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_sound import lane_sound
from dubbin.core.mix.reduction import reductions
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.compressor import Compressor, CompressorSettings, Detection, gain_curve_db, static_gain_db
from dubbin.core.treat.deess import Deess, DeessSettings
from dubbin.core.treat.equalise import EqSettings, impulse_response, response_db
from dubbin.core.treat.expand import Expand, ExpandSettings
from dubbin.core.treat.registry import VOICE
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.tiles import MemoryTileCache
from dubbin.core.treat.voice_fitting import CLOSE_DB, DEESSER, STRETCH_S, STRETCHES, _nearest, fitted_to, probe_of
from dubbin.core.treat.voice_suggestion import suggest_voice
from tests.conftest import RATE, at_length, noise, rms_db, tone

CURVE = EqSettings(
    high_pass_hz=80.0, low_shelf_db=3.0, bell1_db=-4.0, bell2_db=2.0, bell3_db=5.0, bell3_q=4.0, bell4_db=-6.0, high_shelf_db=6.0,
    notch_hz=1200.0, notch_db=-40.0,
)  # fmt: skip


def run(x: np.ndarray, treatment, settings) -> np.ndarray:
    sound = Sound(np.ascontiguousarray(x, np.float32)[None], RATE)
    return Chain(sound, [Use(treatment, settings)]).read(0, sound.frames)[0]


# -- EQ -----------------------------------------------------------------------------------


@pytest.mark.parametrize("rate", [8000, 16000, 44100, 48000, 96000])
def test_the_curve_is_the_analogue_one_up_to_half_the_rate(rate):
    h = impulse_response(CURVE, rate).astype(np.float64)
    H = 20 * np.log10(np.abs(np.fft.rfft(h, 1 << 19)))
    f = np.arange(len(H)) * rate / (1 << 19)
    heard = (f >= 25) & (f < 0.4999 * rate)
    assert np.max(np.abs(H[heard] - response_db(CURVE, f[heard]))) < 0.05


def test_filters_are_where_their_figures_say():
    f = np.array([100.0, 1000.0, 10000.0])
    assert response_db(EqSettings(bell2_hz=1000.0, bell2_db=6.0), f)[1] == pytest.approx(6.0)
    assert response_db(EqSettings(high_pass_hz=100.0), f)[0] == pytest.approx(-3.01, abs=0.01)
    shelf = response_db(EqSettings(low_shelf_hz=500.0, low_shelf_db=-4.0), np.array([20.0, 500.0, 15000.0]))
    assert shelf == pytest.approx([-4.0, -2.0, 0.0], abs=0.05)
    assert response_db(EqSettings(high_shelf_hz=2000.0, high_shelf_db=5.0), np.array([50.0, 2000.0, 20000.0])) == pytest.approx(
        [0.0, 2.5, 5.0], abs=0.05
    )


# -- compressor ---------------------------------------------------------------------------


@pytest.mark.parametrize("detection", list(Detection))
@pytest.mark.parametrize("level", [-40.0, -23.0, -20.0, -17.0, -6.0])
def test_the_static_curve_is_exact(detection, level):
    settings = CompressorSettings(threshold_db=-20.0, ratio=4.0, knee_db=8.0, detection=detection)
    x = tone(480.0, 3.0, level + (0.0 if detection is Detection.PEAK else 3.01)).samples
    gain = gain_curve_db(x, RATE, settings)[RATE : 2 * RATE]
    assert np.max(np.abs(gain - float(static_gain_db(level, settings)))) < 0.1


def test_attack_and_release_take_their_time():
    settings = CompressorSettings(threshold_db=-40.0, ratio=4.0, knee_db=0.0, attack_ms=20.0, release_ms=150.0, lookahead_ms=0.0,
                                  detection=Detection.PEAK, follows=False)  # fmt: skip
    x = tone(1000.0, 4.0, 0.0).samples.copy()
    x[:, :RATE] *= 1e-3
    x[:, 2 * RATE :] *= 1e-3
    gain = gain_curve_db(x, RATE, settings)
    full = gain[2 * RATE - 10]
    attack = np.flatnonzero(gain[RATE:] <= (1 - np.exp(-1)) * full)[0] / RATE
    assert attack == pytest.approx(0.020, rel=0.05)
    falls = 2 * RATE + np.flatnonzero(np.diff(gain[2 * RATE :]) > 1e-4)[0]
    release = np.flatnonzero(gain[falls:] >= np.exp(-1) * gain[falls])[0] / RATE
    assert release == pytest.approx(0.150, rel=0.05)


def test_look_ahead_holds_the_first_peak():
    x = np.zeros(RATE, np.float32)
    x[RATE // 2 :] = 0.9 * np.sin(2 * np.pi * 700 * np.arange(RATE // 2) / RATE)
    settings = CompressorSettings(threshold_db=-20.0, ratio=8.0, attack_ms=1.0, lookahead_ms=6.0, detection=Detection.PEAK)
    early, late = (run(x, Compressor(), replace(settings, lookahead_ms=ms)) for ms in (6.0, 0.0))
    assert np.max(np.abs(early)) < 0.3 < np.max(np.abs(late))


# -- de-esser, gaps -----------------------------------------------------------------------


def excess(x: np.ndarray) -> float:
    meter = ToneBalanceMeter(RATE, 1)
    meter.push(np.ascontiguousarray(x, np.float32)[None])
    value = meter.result().sibilance_excess_db
    assert value is not None
    return value


@pytest.mark.parametrize("level_db", [0.0, -20.0])
def test_piercing_s_sounds_come_down_and_other_sounds_stay(speech, level_db):
    x = speech * 10 ** (level_db / 20)
    shelf = signal.butter(2, 5000, "highpass", fs=RATE, output="sos")
    sharp = (x + 1.2 * signal.sosfiltfilt(shelf, x)).astype(np.float32)
    y = run(sharp, Deess(), DeessSettings())
    assert 4.0 <= excess(sharp) - excess(y) <= 8.0
    vowels = signal.butter(4, [200, 3500], "band", fs=RATE, output="sos")
    a, b = (signal.sosfilt(vowels, s)[: len(x) // 2400 * 2400].reshape(-1, 2400) for s in (sharp, y))
    levels = 10 * np.log10(np.mean(a**2, axis=1) + 1e-12)
    loud = levels > np.quantile(levels, 0.95) - 20
    change = 10 * np.log10(np.mean(b**2, axis=1) + 1e-12) - levels
    assert np.mean(np.abs(change[loud])) < 0.05 and np.quantile(np.abs(change[loud]), 0.95) < 0.3


def test_a_bright_sound_is_no_s():
    n = np.arange(4 * RATE)
    bright = 0.1 * signal.sawtooth(2 * np.pi * 180 * n / RATE).astype(np.float32) + noise(4.0, -70)
    assert rms_db(run(bright, Deess(), DeessSettings()) - bright) < -60


def test_gaps_go_down_softly_and_words_stay(speech):
    x = np.concatenate([speech[: 5 * RATE], np.zeros(2 * RATE), speech[5 * RATE : 10 * RATE]])
    x = (x + noise(12.0, -55, 3)).astype(np.float32)
    y = run(x, Expand(), ExpandSettings(threshold_db=-20.0, ratio=3.0, range_db=9.0, breath_db=0.0))
    gap = slice(6 * RATE, round(6.8 * RATE))
    assert rms_db(y[gap]) - rms_db(x[gap]) == pytest.approx(-9.0, abs=0.7)
    size = RATE // 50
    before, after = (10 * np.log10(np.mean(s[: len(x) // size * size].reshape(-1, size) ** 2, axis=1) + 1e-12) for s in (x, y))
    loud = before > np.quantile(before, 0.7)
    assert np.mean(np.abs((after - before)[loud])) < 0.3
    steps = np.abs(np.diff(20 * np.log10(np.abs(y[::50]) + 1e-9) - 20 * np.log10(np.abs(x[::50]) + 1e-9)))
    assert np.quantile(steps[np.abs(x[::50])[1:] > 1e-4], 0.999) < 1.5


def test_breaths_go_down_and_consonants_stay():
    n = np.arange(RATE)
    vowel = 0.2 * signal.sawtooth(2 * np.pi * 130 * n / RATE) * (np.sin(2 * np.pi * 2 * n / RATE) > -0.5)
    breath = signal.sosfilt(signal.butter(2, [400, 3000], "band", fs=RATE, output="sos"), noise(0.5, -20, 4)) * np.hanning(RATE // 2)
    x = np.concatenate([vowel, np.zeros(RATE // 4), breath * 0.25, np.zeros(RATE // 4), vowel] * 3).astype(np.float32)
    x += noise(len(x) / RATE + 1, -75, 5)[: len(x)]
    y = run(x, Expand(), ExpandSettings(range_db=0.0, breath_db=8.0))
    middle = slice(round(1.45 * RATE), round(1.55 * RATE))
    assert rms_db(y[middle]) - rms_db(x[middle]) == pytest.approx(-8.0, abs=1.0)
    assert np.max(np.abs(y[: RATE // 2] - x[: RATE // 2])) < 1e-3


# -- s-sounds through all of it -------------------------------------------------------------


def vowels_and_s(s_db: float) -> tuple[np.ndarray, np.ndarray]:
    """A vowel, a soft s, a vowel, a soft s …, a fifth of a second each; and which samples are s. s_db: of the s against the vowel."""
    n = np.arange(RATE // 5)
    vowel = signal.sosfilt(signal.butter(4, 1800, fs=RATE, output="sos"), signal.sawtooth(2 * np.pi * 120 * n / RATE))
    hiss = signal.sosfilt(signal.butter(4, [5500, 9000], "band", fs=RATE, output="sos"), noise(0.2, -10, 6))
    vowel, hiss = vowel / np.max(np.abs(vowel)) * 0.5, hiss / np.max(np.abs(hiss)) * 0.5 * 10 ** (s_db / 20)
    x = np.tile(np.concatenate([vowel, hiss]), 10).astype(np.float32)
    return x, np.tile(np.repeat([False, True], len(n)), 10)


def held_back(x: np.ndarray, y: np.ndarray, where: np.ndarray) -> float:
    """dB by which a sound came down at some samples."""
    return rms_db(x[where]) - rms_db(y[where])


def test_s_sounds_that_count_for_more_are_held_back_as_far_as_vowels():
    x, is_s = vowels_and_s(-14.0)
    settings = CompressorSettings(threshold_db=-24.0, ratio=3.0, attack_ms=2.0, release_ms=40.0, detection=Detection.PEAK, follows=False)
    plain, weighted = (run(x, Compressor(), replace(settings, sibilants_db=db)) for db in (0.0, 14.0))
    vowels = held_back(x, weighted, ~is_s)
    assert held_back(x, plain, ~is_s) - held_back(x, plain, is_s) > 4.0, "without it they stand out behind the compressor"
    assert held_back(x, weighted, is_s) == pytest.approx(vowels, abs=1.5)
    assert vowels == pytest.approx(held_back(x, plain, ~is_s), abs=0.5), "vowels are held as before"


def sibilance(x: np.ndarray) -> float | None:
    meter = ToneBalanceMeter(RATE, 1)
    meter.push(np.ascontiguousarray(x, np.float32)[None])
    return meter.result().sibilance_db


def with_highs(x: np.ndarray, db: float) -> np.ndarray:
    """A voice with its highs louder by some dB."""
    high = signal.sosfiltfilt(signal.butter(2, 4500, "highpass", fs=RATE, output="sos"), x)
    return (x + (10 ** (db / 20) - 1) * high).astype(np.float32)


def test_s_sounds_are_known_by_their_shape_in_bright_voices_and_dull_ones(speech):
    usual = sibilance(speech)
    assert usual is not None
    for db in (-8.0, 6.0):
        found = sibilance(with_highs(speech, db))
        assert found is not None and found - usual == pytest.approx(db, abs=2.5)


@pytest.mark.parametrize(("db", "low", "high"), [(-6.0, -2.0, 2.0), (6.0, -9.5, -4.0)])
def test_the_suggested_voice_leaves_usual_s_sounds_and_takes_sharp_ones_down(speech, db, low, high):
    """The demo's host is sharp by herself: 6 dB less of her highs are usual, 6 dB more harsh."""
    x = with_highs(speech, db)
    source = Sound(x[None] * np.float32(0.5), RATE)
    report = measure_recording(source)
    wanted = suggest_voice(report, average_spectrum(source))
    assert ("deess" in wanted) == (db > 0) and wanted["compress"]["sibilants_db"] > 0
    y = Chain(source, [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]).read(
        0, source.frames
    )[0]
    before, after = sibilance(x), sibilance(y)
    assert before is not None and after is not None and low <= after - before <= high


@pytest.mark.parametrize(("db", "low", "high"), [(-14.0, -1.5, 1.5), (6.0, -10.0, -4.0), *at_length((-6.0, -1.5, 1.5))])
def test_settings_tried_on_a_voice_leave_its_loudness_and_usual_s_sounds_and_take_harsh_ones_down(speech, db, low, high):
    x = with_highs(speech, db) * np.float32(0.5)
    source = Sound(x[None], RATE)
    report = measure_recording(source)
    first = suggest_voice(report, average_spectrum(source))
    wanted = fitted_to(source, report, first)
    assert set(wanted) == set(first) and wanted["equalise"] == first["equalise"]
    y = Chain(source, [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]).read(
        0, source.frames
    )
    before, after = sibilance(x), sibilance(y[0])
    assert before is not None and after is not None and low <= after - before <= high
    assert measure_loudness(Sound(y, RATE)).integrated_lufs == pytest.approx(report.loudness.integrated_lufs, abs=0.2)


def test_a_sound_without_speech_gets_the_settings_that_were_suggested():
    quiet = Sound(np.zeros((1, 5 * RATE), np.float32), RATE)
    report = measure_recording(quiet)
    first = suggest_voice(report, None)
    assert fitted_to(quiet, report, first) == first
    assert fitted_to(Sound(np.zeros((1, 0), np.float32), RATE), report, first) == first
    assert fitted_to(quiet, report, {"equalise": {}}) == {"equalise": {}}


def test_of_a_long_voice_stretches_from_begin_to_end_are_tried():
    frames = round(3 * STRETCHES * STRETCH_S * 8000)
    ramp = Sound(np.linspace(0.5, 1.0, frames, dtype=np.float32)[None], 8000)
    probe = probe_of(ramp)
    assert probe.frames == round(STRETCHES * STRETCH_S * 8000)
    assert probe.samples.max() > 0.99 and np.count_nonzero((probe.samples > 0.65) & (probe.samples < 0.85)) > 0.2 * probe.frames


@given(st.floats(-13.0, 5.0), st.floats(0.1, 1.5), st.floats(-14.0, 6.0))
def test_a_dial_is_turned_to_where_nothing_is_off(place, slope, begin):
    def off(value):
        return slope * (value - place)

    found = _nearest(off, DEESSER, begin, Task())
    assert abs(off(found)) <= max(CLOSE_DB, 0.1 * abs(off(begin)))
    assert _nearest(lambda _: None, DEESSER, begin, Task()) == begin


def test_a_dull_voice_is_not_lifted_where_its_noise_lives(speech):
    ideas = {i.filter: i for i in suggest_tone(average_spectrum(Sound(with_highs(speech, -30.0)[None], RATE)))}
    assert 0 < ideas["high_shelf"].db <= 1.5


# -- the voice as a whole -----------------------------------------------------------------


def test_the_tone_of_a_voice_is_judged_against_a_typical_one_and_modestly_changed(speech):
    spectrum = average_spectrum(Sound(speech[None], RATE))
    muffled = Spectrum(
        spectrum.frequency_hz,
        laid_over(spectrum) - 8.0 * (spectrum.frequency_hz > 6000) + 6.0 * ((spectrum.frequency_hz > 220) & (spectrum.frequency_hz < 420)),
    )
    ideas = {i.filter: i for i in suggest_tone(muffled)}
    assert ideas["high_shelf"].db > 0 > ideas["bell1"].db and all(abs(i.db) <= 4.0 and i.because for i in ideas.values())
    assert suggest_tone(Spectrum(spectrum.frequency_hz, laid_over(spectrum))) == []


def test_what_a_voice_asks_for_steadies_it(speech):
    x = speech.copy()
    x[6 * RATE : 12 * RATE] *= 0.3
    source = Sound((x + noise(20.0, -60, 2)[: len(x)])[None].astype(np.float32), RATE)
    before = measure_recording(source)
    wanted = suggest_voice(before, average_spectrum(source))
    uses = [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]
    chain = Chain(source, uses)
    after = measure_recording(chain).loudness
    crest = [r.sample_peak_dbfs - r.integrated_lufs for r in (before.loudness, after)]
    assert crest[1] < crest[0] - 1.5 and after.integrated_lufs == pytest.approx(before.loudness.integrated_lufs, abs=2.5)
    found = reductions(chain)
    assert set(found) == set(wanted) and float(found["compress"].heard.max()) <= wanted["compress"]["makeup_db"] + 0.5


def test_one_strength_takes_the_whole_voice_back(speech):
    recording = Recording("r", "/tmp/a.wav", "f", len(speech), RATE, 1)
    lane = Lane("l", "r", (0,), "Ines", voice_chain=(TreatmentUse("equalise", True, 100, {"bell3_db": 6.0}),))
    other = Lane("m", "r", (0,), "Tobias")
    episode = replace(new_episode(), recordings=(recording,), lanes=(lane, other))
    source = Sound(speech[None], RATE)

    def heard(episode):
        return lane_sound(episode.lane("l"), source, lane_key(episode, episode.lane("l")), MemoryTileCache()).voiced.read(0, 2 * RATE)

    whole, half = heard(episode), heard(set_voice_strength(episode, "l", 50).episode)
    np.testing.assert_allclose(half, (whole + source.samples[:, : 2 * RATE]) / 2, atol=1e-6)
    copied = copy_voice(episode, "l", ["m"]).episode
    assert copied.lane("m").voice_chain == lane.voice_chain
