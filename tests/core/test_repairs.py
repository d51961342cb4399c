"""Each repair against a fault whose truth is known, and against sound that has none of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import soxr

from dubbin.core.jobs import Task
from dubbin.core.measure.clicks import Clicks, bridged, find_clicks
from dubbin.core.measure.clipping import ClippingMeter
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.hum import describe_hum, find_hum
from dubbin.core.measure.masking import powers
from dubbin.core.measure.measuring import measure_recording, measure_treated
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.declick import mended
from dubbin.core.treat.derumble import low_band
from dubbin.core.treat.registry import REPAIRS, TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache, MemoryTileCache
from dubbin.demo.faults import clicks, hum
from dubbin.demo.recordings import clean_lines
from dubbin.demo.room import room_response
from tests.conftest import RATE, at_length, noise, rms_db, tone
from tests.core.test_denoise import si_sdr


def treated(x: np.ndarray, *names: str) -> np.ndarray:
    sound = Sound(np.ascontiguousarray(x[None], np.float32), RATE)
    uses = [Use(TREATMENTS[n], TREATMENTS[n].settings_type()) for n in names]
    return Chain(sound, uses).read(0, sound.frames)[0]


@pytest.fixture(scope="module")
def room_tone(speech):
    return (speech + noise(20, -66, 9)[: len(speech)]).astype(np.float32)


@pytest.mark.parametrize(("mains", "drift"), [(50.02, 0.03), (59.95, 0.02), (50.2, 0.0)])
def test_hum_is_measured_and_subtracted(room_tone, mains, drift):
    added = hum(len(room_tone), RATE, mains, drift, 8) * 10 ** ((rms_db(room_tone) - 10) / 20)
    x = (room_tone + added).astype(np.float32)
    found = describe_hum(find_hum(Sound(x[None], RATE)))
    truth = mains + drift * np.mean(np.sin(2 * np.pi * np.arange(20) / 180))
    assert found.present and found.fundamental_hz == pytest.approx(truth, abs=0.02)
    assert found.level_dbfs == pytest.approx(rms_db(added), abs=0.5)
    assert si_sdr(room_tone, treated(x, "dehum")) > 34


def test_without_hum_nothing_changes(room_tone):
    assert not describe_hum(find_hum(Sound(room_tone[None], RATE))).present
    np.testing.assert_array_equal(treated(room_tone, "dehum"), room_tone)


def test_clipped_crests_are_rebuilt_and_the_rest_is_bit_identical(speech):
    ceiling = np.float32(np.max(np.abs(speech)) / 2)
    x = np.clip(speech, -ceiling, ceiling)
    y = treated(x, "declip")

    def sdr(e: np.ndarray) -> float:
        return rms_db(speech) - rms_db(speech - e)

    assert sdr(y) > sdr(x) + 8
    untouched = np.abs(x) < 0.99 * ceiling
    np.testing.assert_array_equal(y[untouched], x[untouched])
    meter = ClippingMeter(RATE, 1)
    meter.push(x[None])
    assert meter.result().count > 20


def test_unclipped_sound_is_left_alone(room_tone):
    np.testing.assert_array_equal(treated(room_tone, "declip"), room_tone)


def test_clicks_are_found_where_they_are_and_taken_out():
    lines = clean_lines()
    voice = np.concatenate([lines[k] for k in (10, 11, 12, 13, 17, 18)])
    room_tone = (voice + noise(len(voice) / RATE + 1, -66, 9)[: len(voice)]).astype(np.float32)
    added = clicks(room_tone.astype(float), RATE, 40, 3)
    scale = 10 ** ((rms_db(room_tone) - 23 - rms_db(added.sound)) / 20)
    x = (room_tone + scale * added.sound).astype(np.float32)
    found = find_clicks(Sound(x[None], RATE))
    hits = [any(abs(t - f / RATE) < 0.002 for t in found.times_s) for f in added.frames]
    right = [any(abs(t - f / RATE) < 0.002 for f in added.frames) for t in found.times_s]
    assert np.mean(hits) > 0.9 and np.mean(right) > 0.8
    assert si_sdr(room_tone, treated(x, "declick")) > 32


def clicked_line(seed: int = 3) -> np.ndarray:
    """Forty seconds of a voice with clicks in two stretches of it."""
    lines = clean_lines()
    voice = np.tile(np.concatenate([lines[k] for k in (10, 11, 12)]), 6)[: 40 * RATE]
    x = (voice + noise(40, -66, 9)).astype(np.float32)
    for low in (3, 29):
        part = x[low * RATE : (low + 8) * RATE]
        part += (10 ** (-12 / 20) * clicks(part.astype(float), RATE, 12, seed).sound).astype(np.float32)
    return x


@pytest.mark.parametrize("rate", [48000, 44100, 16000])
def test_near_what_is_known_the_same_clicks_are_found_as_in_the_whole(rate):
    source = Sound(soxr.resample(clicked_line(), RATE, rate)[None].astype(np.float32), rate)
    whole = find_clicks(source)
    assert whole.count > 5 and find_clicks(source, near=whole) == whole
    some = Clicks((whole.spans[0][2:4],), rate)
    found = find_clicks(source, near=some)
    assert set(some.spans[0]) <= set(found.spans[0]) <= set(whole.spans[0]) and found.count < whole.count
    assert find_clicks(source, near=Clicks(((),), rate)).count == 0


def test_what_measuring_found_is_not_looked_for_again(monkeypatch):
    source, treatment = Sound(clicked_line()[None], RATE), TREATMENTS["declick"]
    report = measure_recording(source)
    plain = Chain(source, [Use(treatment, treatment.settings_type())], "plain", MemoryTileCache())
    expected = plain.read(0, source.frames)
    monkeypatch.setattr(type(treatment), "analyse", lambda *_: pytest.fail("looked for again"))
    known = Chain(source, [Use(treatment, treatment.settings_type())], "known", MemoryTileCache())
    known.prepare(Task(), report)
    np.testing.assert_array_equal(known.read(0, source.frames), expected)


def test_what_is_asked_of_each_stage_needs_nothing_to_be_looked_for_twice(room_tone, monkeypatch, tmp_path):
    """How much of the voice a treatment of the room takes is known from what the denoiser heard."""
    looked: list[str] = []
    for name in ("denoise", "dereverb"):
        treatment = type(TREATMENTS[name])
        monkeypatch.setattr(treatment, "analyse", lambda self, *a, real=treatment.analyse: looked.append(self.name) or real(self, *a))
    uses = [Use(TREATMENTS[n], TREATMENTS[n].settings_type()) for n in ("denoise", "dereverb")]
    source, asked = Sound(room_tone[None, : 4 * RATE], RATE), []
    plain = Chain(source, uses, "plain", DiskTileCache(tmp_path))
    plain.prepare(Task())
    expected = [stage.guard() for stage in plain.stages]
    assert sorted(looked) == ["denoise", "denoise", "dereverb"], "it had been let go"
    looked.clear()
    chain = Chain(source, uses, "asked", DiskTileCache(tmp_path))
    chain.prepare(Task(), then=lambda stage: asked.append(stage.guard()))
    assert asked == expected and looked == ["denoise", "dereverb"]
    asked.clear()
    Chain(source, uses, "asked", DiskTileCache(tmp_path)).prepare(Task(), then=lambda stage: asked.append(stage.treatment.name))
    assert asked == ["denoise", "dereverb"], "also of what was there"


@pytest.mark.parametrize("uses", [[("declick", {"sensitivity": 1.5})], [("dehum", {}), ("declick", {})]])
def test_a_report_is_no_answer_to_another_question(uses):
    """Another sensitivity, or other sound: what comes behind another treatment."""
    source = Sound(clicked_line()[None, : 15 * RATE], RATE)
    asked = [Use(TREATMENTS[n], TREATMENTS[n].settings_type(**s)) for n, s in uses]
    plain, told = (Chain(source, asked, name, MemoryTileCache()) for name in ("plain", "told"))
    told.prepare(Task(), replace(measure_recording(source), clicks=Clicks(((),), RATE)))
    np.testing.assert_array_equal(told.read(0, source.frames), plain.read(0, source.frames))


def test_where_crests_are_cut_off_a_report_holds_fewer_clicks_than_are_found():
    x = clicked_line()[: 15 * RATE]
    ceiling = 0.6 * float(np.quantile(np.abs(x), 0.999))
    source = Sound(np.clip(x, -ceiling, ceiling)[None], RATE)
    report, use = measure_recording(source), Use(TREATMENTS["declick"], TREATMENTS["declick"].settings_type())
    assert report.clipping.count > 10 and report.clicks.count < find_clicks(source).count
    plain, told = (Chain(source, [use], name, MemoryTileCache()) for name in ("plain", "told"))
    told.prepare(Task(), report)
    np.testing.assert_array_equal(told.read(0, source.frames), plain.read(0, source.frames))


@pytest.mark.parametrize("apart_s", [0.004, 0.009, 0.02])
def test_clicks_that_stand_close_together_do_not_hide_one_another(apart_s):
    (line,) = clean_lines()[10:11]
    x = (line + noise(len(line) / RATE + 1, -66, 9)[: len(line)]).astype(np.float32)
    places = [RATE // 2 + k * RATE // 2 + round(d * apart_s * RATE) for k in range(3) for d in range(2)]
    clicked = x.copy()
    for k, place in enumerate(places):
        clicked[place : place + 2] += (-1) ** k * 0.3
    found = find_clicks(Sound(clicked[None], RATE))
    assert all(any(a <= p < b for a, b in found.spans[0]) for p in places)
    assert si_sdr(x, treated(clicked, "declick")) > si_sdr(x, clicked) + 15


def test_a_click_rises_over_what_is_around_it_and_not_over_what_covers_it():
    rate, rng = 48000, np.random.default_rng(3)
    x = (0.1 * rng.standard_normal(rate)).astype(np.float32)
    x[rate // 2 :] *= 1e-3

    def rise_db(y: np.ndarray, span: tuple[int, int]) -> float:
        click, cover = powers(y, bridged(y, [span]), [span], rate)
        return float(10 * np.log10(np.max(click / cover)))

    for place, least, most in ((rate // 4, -30.0, 5.0), (3 * rate // 4, 25.0, 70.0)):
        clicked = x.copy()
        clicked[place : place + 4] += (0.05, -0.05, 0.05, -0.05)
        span = (place - 5, place + 9)
        assert least < rise_db(clicked, span) < most
    louder = [rise_db(np.float32(g) * clicked, span) for g in (1.0, 0.25)]
    assert louder[0] == pytest.approx(louder[1], abs=0.2), "a matter of what is around it, not of the level"
    assert powers(x[:50], x[:50], [(20, 30)], rate)[0].max() == np.inf


def test_a_faint_click_takes_nothing_of_the_voice_with_it():
    """Soft clicks under a voice: what comes out is nearer to the voice than what was recorded, also where the voice covers most of the click."""
    (voice,) = clean_lines()[10:11]
    voice = (voice + noise(len(voice) / RATE + 1, -66, 9)[: len(voice)]).astype(np.float32)
    rng, n = np.random.default_rng(5), np.arange(160)
    loud = np.flatnonzero(np.abs(voice) > 0.5 * np.max(np.abs(voice)))
    places = loud[:: max(len(loud) // 12, 1)][:12]
    for gain_db, most in ((-6.0, 0.8), (-18.0, 0.95), (-30.0, 1.0)):
        added = np.zeros(len(voice))
        for place in places:
            added[place : place + 160] += 10 ** (gain_db / 20) * 0.1 * np.cos(rng.uniform(0.2, 0.7) * n) * np.exp(-n / 30)
        x = (voice + added).astype(np.float32)
        y = x.copy()
        for place in places:
            mended(y, x, place - 4, place + 110, RATE)
        assert np.sum((y - voice) ** 2) < most * np.sum(added**2), gain_db


def test_a_higher_sensitivity_finds_all_that_a_lower_one_does(room_tone):
    x = room_tone.copy()
    rng = np.random.default_rng(4)
    for place in range(RATE // 2, len(x) - RATE, RATE // 3):
        x[place : place + 3] += rng.choice([-1, 1]) * 10 ** (rng.uniform(-50, -10) / 20)
    counts = [find_clicks(Sound(x[None], RATE), sensitivity).count for sensitivity in (0.5, 1.0, 2.0)]
    assert counts == sorted(counts) and counts[0] < counts[2]


def test_rumble_goes_and_a_low_voice_stays():
    n = np.arange(4 * RATE) / RATE
    rumble = 0.1 * np.sin(2 * np.pi * 20 * n) + 0.1 * np.sin(2 * np.pi * 55 * n)
    voice = 0.1 * np.sin(2 * np.pi * 85 * n)
    inner = slice(RATE, 3 * RATE)
    assert rms_db(treated(rumble, "derumble")[inner]) < rms_db(rumble[inner]) - 25
    assert rms_db(treated(voice, "derumble")[inner]) == pytest.approx(rms_db(voice[inner]), abs=0.5)


def test_only_clicks_that_were_there_count_as_left(room_tone):
    found = Clicks((((1000, 1020), (90_000, 90_040)), ((5000, 5010),)), RATE)
    later = Clicks((((1010, 1025), (40_000, 40_010)), ((90_010, 90_020),)), RATE)
    assert found.left_in(later).spans == (((1010, 1025),), ((90_010, 90_020),))
    assert found.left_in(Clicks(((), ()), RATE)).count == 0
    none = replace(measure_recording(Sound(room_tone[None], RATE)), clicks=Clicks(((),), RATE))
    assert measure_treated(Sound(room_tone[None], RATE), none).clicks.count == 0


@pytest.mark.parametrize("rate", [16000, 44100, 48000])
@pytest.mark.parametrize("edge_hz", [40.0, 78.0, 140.0])
def test_the_low_band_is_drawn_out_flat_and_the_same_from_every_frame(rate, edge_hz):
    band, middle = low_band(rate, edge_hz), 2 * rate
    impulse = np.zeros(4 * rate, np.float32)
    impulse[middle] = 1.0
    left = impulse - band.drawn(impulse, -777)
    level = 20 * np.log10(np.abs(np.fft.rfft(left)) + 1e-9)
    hz = np.fft.rfftfreq(len(left), 1 / rate)
    assert level[hz <= 0.87 * edge_hz].max() < -52
    assert np.abs(level[hz >= edge_hz]).max() < 0.02
    later = band.drawn(np.roll(impulse, 13), -777)
    np.testing.assert_allclose(np.roll(later, -13), impulse - left, atol=1e-5)


@pytest.mark.parametrize("rt60", [0.25, 0.85, *at_length(0.5)])
def test_echo_is_measured_blind_and_goes_down(speech, rt60):
    response = room_response(RATE, rt60, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.9, 2.4, 1.0), 4)
    x = _convolved(speech, response)
    x = (x + noise(20, -66, 2)[: len(x)]).astype(np.float32)
    measured = measure_echo(Sound(x[None], RATE)).rt60_s
    assert measured == pytest.approx(rt60, rel=0.25)
    after = measure_echo(Sound(treated(x, "dereverb")[None], RATE)).rt60_s
    assert after is None or after < 0.75 * measured


class Hours:
    """A minute again and again, as long as a day of work; counts what is read of it."""

    rate, channels, frames = RATE, 1, 8 * 3600 * RATE

    def __init__(self, x: np.ndarray) -> None:
        self.x, self.spans = x, []

    def read(self, start: int, stop: int) -> np.ndarray:
        self.spans.append((start, stop))
        return self.x[None, np.arange(start, stop) % len(self.x)]


def test_ten_minutes_from_all_of_it_tell_the_room_of_hours(speech):
    response = room_response(RATE, 0.5, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.9, 2.4, 1.0), 4)
    x = (_convolved(speech, response) + noise(20, -66, 2)[: len(speech)]).astype(np.float32)
    hours = Hours(x)
    assert measure_echo(hours).rt60_s == pytest.approx(measure_echo(Sound(x[None], RATE)).rt60_s, rel=0.08)
    assert 9.5 * 60 < sum(b - a for a, b in hours.spans) / RATE < 10.5 * 60
    starts = np.sort([a for a, _ in hours.spans])
    assert starts[0] == 0 and starts[-1] > hours.frames - 40 * RATE and np.ptp(np.diff(starts)) < 60 * RATE
    assert measure_echo(Sound(np.zeros((1, 0), np.float32), RATE)).rt60_s is None


def _convolved(x: np.ndarray, response: np.ndarray) -> np.ndarray:
    from scipy.signal import oaconvolve

    return oaconvolve(x, response)[: len(x)]


def test_all_repairs_together_and_two_cores_give_the_same_samples(room_tone, tmp_path):
    voice = room_tone[: 10 * RATE]
    sound = Sound((voice + clicks(voice.astype(float), RATE, 10, 3).sound)[None].astype(np.float32), RATE)
    uses = [Use(t, t.settings_type()) for t in REPAIRS]
    one = Chain(sound, uses).read(0, sound.frames)
    kept = Chain(sound, uses, "key", DiskTileCache(tmp_path))
    kept.prepare(Task())
    parts = [kept.read(a, min(a + 100_000, sound.frames)) for a in range(0, sound.frames, 100_000)]
    np.testing.assert_allclose(np.concatenate(parts, axis=1), one, atol=1e-6)


def test_what_is_wrong_is_what_is_suggested(room_tone):
    x = room_tone + hum(len(room_tone), RATE, 50.0, 0.0, 6) * 0.01 + noise(20, -45, 5)[: len(room_tone)]
    names = [s.treatment for s in measure_recording(Sound(x[None].astype(np.float32), RATE)).suggested]
    # On twenty seconds of a vocoder's voice a few sharp onsets may pass for clicks.
    assert [n for n in names if n != "declick"] == ["dehum", "denoise"]
    assert measure_recording(tone(440, 3, -20)).suggested == ()
