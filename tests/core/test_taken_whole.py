"""What comes and goes, like typing, is told from the voice: the voice guard does not take it for a loss, and still hears one."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.voicing import FRAMES_PER_S, find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import DenoiseSettings
from dubbin.core.treat.guard import AUDIBLE_DB, measure_guard
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.taken_whole import may_be_voice
from tests.conftest import RATE, noise, rms_db


def typing(x, seed, under_db=18.0):
    """Keys that are typed on beside a voice, six a second, now and then."""
    rng, out = np.random.default_rng(seed), np.zeros(len(x))
    press = np.exp(-np.arange(RATE // 25) / 250)
    for t in np.cumsum(rng.exponential(1 / 6, 300)):
        at = int(t * RATE)
        if at + len(press) < len(x) and t // 3 % 2 == 0:
            out[at : at + len(press)] += press * rng.standard_normal(len(press))
    return (out * 10 ** ((rms_db(x) - under_db - rms_db(out)) / 20)).astype(np.float32)


@pytest.fixture(scope="module")
def voice(speech):
    return (speech + noise(20, -65, 9)[: len(speech)]).astype(np.float32)


def guards(before, after):
    """What the guard reads of a treatment that may take noises, and of one that may not."""
    return [measure_guard(Sound(before[None], RATE), Sound(after[None], RATE), takes_noises=takes).speech_db for takes in (True, False)]


@pytest.mark.parametrize("seed", [1, 2])
def test_keys_that_are_taken_out_are_no_voice(voice, seed):
    told, not_told = guards(voice + typing(voice, seed), voice)
    assert told < AUDIBLE_DB - 3 and not_told > AUDIBLE_DB, "they begin like consonants"


def test_beside_keys_a_voice_that_goes_is_told_as_ever(voice):
    told, _ = guards(voice + typing(voice, 1), 0.7 * voice)
    assert told == pytest.approx(20 * np.log10(0.3), abs=1.5)


def test_vowels_that_are_taken_out_whole_are_missed(voice):
    pitched = find_voicing(Sound(voice[None], RATE)).voiced
    frames = np.zeros(len(pitched), bool)
    for k in np.flatnonzero(np.diff(pitched.astype(int)) == 1)[::3]:
        frames[k : k + 20] = True
    gain = np.interp(np.arange(len(voice)), (np.arange(len(frames)) + 0.5) * RATE / FRAMES_PER_S, np.where(frames, 0.03, 1.0))
    told, as_ever = guards(voice, (voice * gain).astype(np.float32))
    assert told > AUDIBLE_DB + 3 and told == pytest.approx(as_ever, abs=2.0)


def test_a_voice_in_noise_is_judged_as_ever(voice):
    told, as_ever = guards(voice + noise(20, -40, 4)[: len(voice)], voice)
    assert told == pytest.approx(as_ever, abs=0.5)


def test_the_neural_engine_takes_keys_out_at_full_strength(voice):
    x = (voice + noise(20, -50, 3)[: len(voice)] + typing(voice, 3))[: 12 * RATE]
    stage = Chain(Sound(x[None], RATE), [Use(TREATMENTS["denoise"], DenoiseSettings())]).stages[0]
    assert stage.guard().highest_strength > 0.9


@pytest.mark.parametrize(("low_left", "expected"), [(1.0, False), (0.2, True)])
def test_what_is_taken_out_whole_counts_where_a_vowel_goes_with_it(low_left, expected):
    """A vowel of which the high bins are taken out whole: keys over it, unless its low bins go too."""
    hop = 768
    n = np.arange(RATE)
    x = (0.1 * sum(np.sin(2 * np.pi * 140 * k * n / RATE) / k for k in range(1, 12))).astype(np.float32)
    P = np.ones((RATE // hop, hop + 1), np.float32)
    left = np.where(np.arange(hop + 1) < 40, np.float32(low_left), np.float32(0.01)) * P
    counts = may_be_voice(P, left, x, RATE, hop)
    inside = counts[5:-5]
    assert inside[:, :40].all() and (inside[:, 40:] == expected).all()
    silent = may_be_voice(P, left, 0 * x, RATE, hop)
    assert silent[:, :40].all() and not silent[:, 40:].any()
