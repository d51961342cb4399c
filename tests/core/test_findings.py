"""What is wrong with a recording is found, where it is, and how bad; what is right is left alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import signal

from dubbin.core.measure.bandwidth import BandwidthMeter
from dubbin.core.measure.channels import ChannelMeter, are_swapped
from dubbin.core.measure.dropouts import DropoutMeter
from dubbin.core.measure.finding import Severity
from dubbin.core.measure.findings import find_findings
from dubbin.core.measure.hum import Hum
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.plosives import PlosiveMeter
from dubbin.core.measure.role import guess_role
from dubbin.core.measure.saturation import find_saturation
from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.demo.music import harbour_theme
from tests.conftest import RATE, noise


def pushed(meter, x: np.ndarray, size: int = 50_001):
    """Through a meter in blocks of odd size."""
    x = np.atleast_2d(np.asarray(x, np.float32))
    for start in range(0, x.shape[1], size):
        meter.push(x[:, start : start + size])
    return meter.result()


@pytest.fixture(scope="module")
def voice(speech):
    return (speech + noise(20, -66, 9)[: len(speech)]).astype(np.float32)


class TestChannels:
    def test_a_pair_with_turned_polarity(self, voice):
        assert pushed(ChannelMeter(2), np.stack([voice, -0.8 * voice])).inverted == ((0, 1),)

    def test_the_same_sound_twice(self, voice):
        assert pushed(ChannelMeter(2), np.stack([voice, voice])).same == ((0, 1),)

    def test_a_channel_with_nothing_on_it(self, voice):
        found = pushed(ChannelMeter(3), np.stack([voice, np.zeros_like(voice), np.roll(voice, 4000)]))
        assert found.silent == (1,) and not found.inverted and not found.same

    def test_sides_that_are_swapped_against_another_recording(self, voice):
        other = np.roll(voice, 5 * RATE)
        pair = np.stack([voice + 0.2 * other, other + 0.2 * voice]).astype(np.float32)
        far = np.roll(pair, 40, axis=1) + noise(20, -55, 2)[: len(voice)]
        assert are_swapped(Sound(pair, RATE), Sound(np.ascontiguousarray(far[::-1]), RATE), 0)
        assert not are_swapped(Sound(pair, RATE), Sound(np.ascontiguousarray(far), RATE), 0)

    def test_two_microphones_are_neither(self, voice):
        found = pushed(ChannelMeter(2), np.stack([voice, np.roll(voice, 900) * 0.5 + noise(20, -50)[: len(voice)]]))
        assert (found.silent, found.inverted, found.same) == ((), (), ())


@pytest.mark.parametrize("length_s", [0.002, 0.05, 0.3])
def test_holes_are_found_where_samples_are_missing(voice, length_s):
    x, starts = voice.copy(), (2.0, 5.5, 11.3)
    loud = [int(s * RATE) + int(np.argmax(np.abs(voice[int(s * RATE) : int((s + 1) * RATE)]))) for s in starts]
    for at in loud:
        x[at : at + round(length_s * RATE)] = 0.0
    found = pushed(DropoutMeter(RATE, 1), x).spans_s
    assert [a for a, _ in found] == pytest.approx([at / RATE for at in loud], abs=0.001)


def test_pauses_in_digital_silence_are_no_holes(speech):
    assert pushed(DropoutMeter(RATE, 1), speech).count == 0


@pytest.mark.parametrize("limit", [4000.0, 8000.0, 16000.0])
def test_where_the_sound_ends_is_seen(limit):
    x = noise(8, -30, 3)
    low = signal.sosfiltfilt(signal.cheby2(12, 70, limit * 1.02, fs=RATE, output="sos"), x)
    assert pushed(BandwidthMeter(RATE, 1), low).limit_hz == pytest.approx(limit, rel=0.09)
    assert pushed(BandwidthMeter(RATE, 1), x).limit_hz is None
    falling = signal.lfilter([1.0], [1.0, -0.97], x)  # a dull microphone is no limit
    assert pushed(BandwidthMeter(RATE, 1), falling).limit_hz is None


def test_plosives_are_heard_and_a_deep_voice_is_none(voice):
    n = np.arange(round(0.12 * RATE))
    thump = 0.4 * np.sin(2 * np.pi * 38 * n / RATE) * np.hanning(len(n))
    x, times = voice.copy(), (1.7, 6.2, 9.9, 15.1)
    for t in times:
        x[round(t * RATE) :][: len(n)] += thump.astype(np.float32)
    assert pushed(PlosiveMeter(RATE), x).times_s == pytest.approx(times, abs=0.06)
    assert pushed(PlosiveMeter(RATE), voice).count == 0


@pytest.mark.parametrize("hz", [85.0, 98.0])
def test_plosives_of_a_deep_voice_are_as_many_however_long_others_have_the_word(hz):
    """Of the voice itself, whose pitch is not far above them, none is made up where the microphone is silent most of the time."""
    t = np.arange(12 * RATE) / RATE
    syllables = np.maximum(np.sin(2 * np.pi * 2.3 * t), 0.0) ** 2 * (t % 4 < 3)
    x = 0.1 * syllables * sum(np.sin(2 * np.pi * hz * k * t + k) / k for k in range(1, 20)) + noise(12, -66, 1)[: len(t)]
    n = np.arange(round(0.08 * RATE))
    for at in (1.1, 5.3):
        x[round(at * RATE) :][: len(n)] += 0.5 * np.sin(2 * np.pi * 30 * n / RATE) * np.hanning(len(n))
    for silent_s in (1, 12, 60):
        found = pushed(PlosiveMeter(RATE), np.concatenate([x, noise(silent_s, -66, 2)]).astype(np.float32))
        assert found.times_s == pytest.approx((1.1, 5.3), abs=0.06), silent_s


def test_soft_clipping_is_a_curve_and_clean_speech_has_none(voice):
    ceiling = float(np.max(np.abs(voice))) / 2
    bent = np.sign(voice) * (
        np.minimum(np.abs(voice), ceiling / 2) + ceiling / 2 * np.tanh(np.maximum(np.abs(voice) - ceiling / 2, 0) / (ceiling / 2))
    )
    found = find_saturation(Sound(bent[None].astype(np.float32), RATE))
    assert found.curves[0] is not None and len(found.times_s) > 20
    y = bent.astype(np.float32)
    found.curves[0].turn_back(y)
    before, after = (np.sum((e - voice) ** 2) for e in (bent, y))
    assert after < before / 6
    assert find_saturation(Sound(voice[None], RATE)).curves == (None,)


def test_findings_say_how_bad_where_and_what_to_do(voice):
    x = voice + noise(20, -40, 5)[: len(voice)]
    x[3 * RATE : 3 * RATE + 40] += 0.5
    x += 0.02
    report = measure_recording(Sound(np.stack([x, -x]).astype(np.float32), RATE))
    found = {f.kind: f for f in report.findings}
    assert found["noise"].severity is Severity.SEVERE and found["noise"].treatment == "denoise"
    assert found["inverted"].severity is Severity.SEVERE
    assert found["dc-offset"].treatment == "derumble"
    assert all(f.text and f.title and all(0 <= a <= b for a, b in f.places_s) for f in report.findings)
    assert [s.treatment for s in report.suggested] == [
        n for n in ("declip", "declick", "dehum", "derumble", "denoise", "dereverb") if n in {s.treatment for s in report.suggested}
    ]


def test_roles_are_guessed_from_sound_and_name(voice):
    theme = harbour_theme(RATE)
    music = np.ascontiguousarray(np.atleast_2d(theme if theme.ndim == 1 or theme.shape[0] < 3 else theme.T), np.float32)
    assert guess_role(Sound(voice[None], RATE)) == "voice"
    assert guess_role(Sound(music, RATE)) == "music"
    assert guess_role(Sound(music[:, : 2 * RATE], RATE)) == "effect"
    assert guess_role(Sound(voice[None], RATE), "intro-theme") == "music"


@pytest.mark.parametrize(("knock", "channels"), [("click", 1), ("thud", 2), ("burst", 1)])
def test_knocks_between_digital_silence_are_measured_without_a_warning(knock, channels):
    n = np.arange(RATE // 30)
    sounds = {
        "click": np.where(n < 2, 0.5, 0.0), "thud": 0.5 * np.sin(2 * np.pi * 60 * n / RATE) * np.exp(-n / 400),
        "burst": noise(1, -20, 1)[: len(n)],
    }  # fmt: skip
    x = np.zeros((channels, 8 * RATE), np.float32)
    for at in range(RATE // 2, 8 * RATE - len(n), RATE):
        x[0, at : at + len(n)] = sounds[knock]
    source = Sound(x, RATE)
    report, activity = measure_recording(source), find_activity(source)
    assert np.isfinite(activity.level_db).all() and report.loudness.sample_peak_dbfs < 0
    assert np.isfinite(find_voicing(source).mel).all() and guess_role(source) in ("voice", "effect", "music")


def test_a_hum_that_nobody_hears_under_the_speech_is_not_said_and_others_are(voice):
    report = measure_recording(Sound(voice[None], RATE))
    speech_dbfs = report.noise.floor_dbfs + report.noise.snr_db

    def said(below_db: float) -> list[str]:
        hum = Hum(True, 50.0, speech_dbfs - below_db, 5)
        return [f.text for f in find_findings(replace(report, hum=hum)) if f.kind == "hum"]

    assert not said(55.0) and not said(70.0)
    (text,) = said(45.0)
    assert "50.00 Hz and 4 harmonics" in text and f"−{abs(speech_dbfs - 45):.1f} dBFS" in text, "with a true minus sign"
