"""What treatments made of a recording is measured as a recording is, but for what no treatment can have brought or mended."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise
from tests.core.test_hiss import hummed

LIKE_A_RECORDING = ("loudness", "noise", "clipping", "echo", "tone", "plosives", "dc_offset", "rate", "channels", "duration_s")


@pytest.fixture(scope="module")
def voice(speech) -> np.ndarray:
    x = 0.3 * speech[: 12 * RATE] / np.abs(speech).max()
    return (x + noise(12, -62, 1)[: 12 * RATE]).astype(np.float32)


def test_levels_are_those_of_the_treated_sound(voice):
    before = measure_recording(Sound(voice[None], RATE))
    treated = Sound(0.4 * voice[None], RATE)
    after, alone = measure_treated(treated, before), measure_recording(treated)
    for name in LIKE_A_RECORDING:
        assert getattr(after, name) == getattr(alone, name), name
    assert after.loudness != before.loudness and after.noise != before.noise


def test_what_is_left_of_a_hum_and_of_bent_crests_is_told(voice):
    hum = hummed(len(voice), 50.0, -40.0).astype(np.float32)
    before = measure_recording(Sound((voice + hum)[None], RATE))
    after = measure_treated(Sound((voice + 0.3 * hum)[None], RATE), before)
    assert after.hum.level_dbfs == pytest.approx(before.hum.level_dbfs - 10.46, abs=0.5)
    assert not measure_treated(Sound(voice[None], RATE), before).hum.present
    bent = (0.15 * np.tanh(voice / 0.15)).astype(np.float32)
    before = measure_recording(Sound(bent[None], RATE))
    assert before.saturation.times_s
    assert measure_treated(Sound(bent[None], RATE), before).saturation == before.saturation
    assert not measure_treated(Sound(voice[None], RATE), before).saturation.times_s


def test_the_recordings_own_faults_stay(voice):
    holed = voice.copy()
    at = int(np.argmax(np.abs(voice)))
    holed[at : at + 960] = 0.0
    pair = np.stack([holed, -holed])
    before = measure_recording(Sound(pair, RATE))
    assert before.dropouts.count == 1 and before.channel_faults.inverted == ((0, 1),)
    filled = np.stack([voice, voice])
    after = measure_treated(Sound(filled, RATE), before)
    assert (after.dropouts, after.channel_faults, after.bandwidth) == (before.dropouts, before.channel_faults, before.bandwidth)
    assert {"dropouts", "inverted"} <= {f.kind for f in after.findings}
