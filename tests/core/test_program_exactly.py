"""What is heard, to the sample: lanes on the session clock, spans joined at seams, beds under them, and the gain of each lane through time, each against a slow and plain reading of the words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling, LinePoint
from dubbin.core.episode.model import (
    PARKED_FROM_FRAME,
    Cover,
    CoverKind,
    Episode,
    FrameRange,
    Lane,
    Placed,
    PlacedKind,
    Recording,
    Role,
    SeamSetting,
    SeamShape,
)
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.bleed import bleed_db, on_session
from dubbin.core.mix.ducking import ducking_db
from dubbin.core.mix.gain_curve import POINTS_PER_S, GainCurve, fade_gain
from dubbin.core.mix.lane_gains import (
    Balance,
    LaneGain,
    VoiceFacts,
    ducking_curve,
    find_balance,
    measure_own,
    program_power,
    speech_in_program,
    without_covered,
)
from dubbin.core.mix.levelling import levelling_db
from dubbin.core.mix.program import (
    CUE_DBFS,
    CUE_FADE_S,
    CUE_HZ,
    CUE_S,
    LONGEST_SEAM_MS,
    Program,
    SessionMix,
    add_sides,
    audible_lanes,
    beds_under,
    program_over,
    side_gains,
    to_stereo,
)
from dubbin.core.mix.seam import plan_seam
from dubbin.core.sound.source import Sound
from dubbin.core.speech.own_voice import FRAMES_PER_S, find_own_voices
from tests.conftest import tone
from tests.core.test_balance import conversation

RATE = 8000
F32 = np.float32


def sound(seconds: float, seed: int = 0, channels: int = 1) -> Sound:
    x = np.random.default_rng(seed).normal(0, 0.1, (channels, round(seconds * RATE))).astype(F32)
    return Sound(x, RATE)


def episode(*lanes: Lane, seconds: float = 2.0, **fields: object) -> Episode:
    """Lanes of recordings of their own, `seconds` long."""
    recordings = tuple(Recording(lane.recording, f"/{lane.recording}.wav", "f", round(seconds * RATE), RATE, 1) for lane in lanes)
    return replace(Episode("e", rate=RATE, recordings=recordings, lanes=lanes), **fields)


def lane(name: str, **fields: object) -> Lane:
    return Lane(name, f"r{name}", (0,), name, **fields)


class TestWhoIsHeard:
    @pytest.mark.parametrize(
        ("lanes", "heard"),
        [
            ("a b c", "a b c"),
            ("a b- c", "a c"),
            ("a b! c", "b"),
            ("a b!- c!", "b c"),  # soloed is heard, muted or not
            ("a- b-", ""),
        ],
    )
    def test_the_soloed_or_else_those_that_are_not_muted(self, lanes, heard):
        made = [lane(name[0], mute="-" in name, solo="!" in name) for name in lanes.split()]
        assert [x.id for x in audible_lanes(made)] == heard.split()


class TestSides:
    @pytest.mark.parametrize(
        ("pan", "channels", "sides"),
        [
            (0, 1, (1.0, 1.0)),
            (-100, 1, (np.sqrt(2), 0.0)),
            (100, 1, (0.0, np.sqrt(2))),
            (50, 1, (np.sqrt(2) * np.cos(3 * np.pi / 8), np.sqrt(2) * np.sin(3 * np.pi / 8))),
            (0, 2, (1.0, 1.0)),
            (-100, 2, (1.0, 0.0)),
            (50, 2, (np.sqrt(2) * np.cos(3 * np.pi / 8), 1.0)),
        ],
    )
    def test_equal_power_and_a_stereo_lane_keeps_its_sides(self, pan, channels, sides):
        found = side_gains(lane("a", pan=pan), channels)
        assert found.dtype == F32
        np.testing.assert_allclose(found, sides, rtol=1e-6, atol=0)

    def test_level_and_what_comes_on_top_and_polarity(self):
        np.testing.assert_allclose(side_gains(lane("a", level_db=-6.0206), 1, 20.0), [5.0, 5.0], rtol=1e-4)
        np.testing.assert_allclose(side_gains(lane("a", level_db=-6.0206, invert=True), 1), [-0.5, -0.5], rtol=1e-4)

    def test_mono_to_both_sides_stereo_as_it_is_and_more_than_two_by_their_mean(self):
        x = sound(0.1, channels=3).samples
        np.testing.assert_array_equal(to_stereo(x[:2]), x[:2])
        np.testing.assert_array_equal(to_stereo(x[:1]), np.stack([x[0], x[0]]))
        np.testing.assert_allclose(to_stereo(x), np.stack([x.mean(axis=0)] * 2), atol=1e-7)

    @pytest.mark.parametrize("channels", [1, 2, 3])
    @pytest.mark.parametrize("gains", [(1.0, 0.5), (0.25, 1.0), (0.0, -1.0)])
    def test_a_lane_is_added_to_both_sides_of_what_is_there(self, channels, gains):
        x, out = sound(0.1, 3, channels).samples, sound(0.1, 4, 2).samples.copy()
        sides = x if channels == 2 else np.stack([x.mean(axis=0)] * 2)
        expected = out + np.array(gains)[:, None] * sides
        add_sides(out, x, np.array(gains, F32))
        np.testing.assert_allclose(out, expected, atol=1e-7)


class TestSession:
    A, B = sound(1.0, 1), sound(0.5, 2, channels=2)

    def mixed(self, made: Episode, **more: object) -> np.ndarray:
        mix = SessionMix(made, {"a": self.A, "b": self.B}, **more)
        return mix.read(0, mix.frames)

    def test_each_lane_at_its_place_with_its_gains_fades_and_curve(self):
        a, b = lane("a", start_frame=700, level_db=-20.0, fade_in_frames=300, fade_out_frames=900), lane("b", start_frame=9000, pan=-100.0)
        curve = GainCurve(np.linspace(0.0, 1.0, 40, dtype=F32), RATE)
        made = episode(a, b)
        found = self.mixed(made, gains_db={"b": 6.0206}, curves={"b": curve})
        expected = np.zeros((2, made.frames), F32)
        expected[:, 700 : 700 + RATE] += 0.1 * self.A.samples * fade_gain(np.arange(RATE), RATE, 300, 900)
        expected[:1, 9000 : 9000 + RATE // 2] += 2.0 * self.B.samples[:1] * curve.at(0, RATE // 2)
        np.testing.assert_allclose(found, expected, atol=1e-6)

    def test_it_is_as_long_as_what_reaches_furthest(self):
        sources = {"a": self.A, "b": self.B}
        assert SessionMix(episode(lane("a"), lane("b"), seconds=0.1), sources).frames == RATE
        assert SessionMix(episode(lane("a"), lane("b"), seconds=3.0), sources).frames == 3 * RATE
        assert SessionMix(episode(lane("a"), lane("b", start_frame=7000), seconds=0.1), sources).frames == 7000 + RATE // 2
        placed = Placed("p", 0, (FrameRange(0, 10), FrameRange(5 * RATE, 6 * RATE)), PlacedKind.COPY)
        assert SessionMix(episode(lane("a"), lane("b"), placed=(placed,)), sources).frames == 6 * RATE

    def test_a_break_begins_with_its_tone(self):
        at = 3 * RATE
        piece = (FrameRange(at, at + RATE),)
        cued = Placed("p", 0, piece, PlacedKind.BREAK, cue=True)
        others = (Placed("q", 0, (FrameRange(0, 9),), PlacedKind.BREAK), Placed("s", 0, (FrameRange(0, 9),), PlacedKind.COPY, cue=True))
        made = episode(lane("a"), placed=(cued, *others), seconds=1.0)
        mix = SessionMix(made, {})
        x = mix.read(0, mix.frames)
        length, fade = round(CUE_S * RATE), round(CUE_FADE_S * RATE)
        n = np.arange(length)
        shape = np.minimum(np.minimum(n, length - 1 - n) / fade, 1.0)
        expected = shape * 10.0 ** (CUE_DBFS / 20.0) * np.sqrt(2) * np.sin(2 * np.pi * CUE_HZ * n / RATE)
        np.testing.assert_allclose(x[:, at : at + length], np.stack([expected] * 2), atol=1e-6)
        assert np.all(x[:, :at] == 0) and np.all(x[:, at + length :] == 0)
        np.testing.assert_allclose(mix.read(at + 100, at + 150), x[:, at + 100 : at + 150], atol=1e-7)
        assert np.all(SessionMix(made, {}, cues=False).read(at, at + RATE) == 0)
        assert x[0, at : at + length].std() == pytest.approx(10.0 ** (CUE_DBFS / 20.0), rel=0.05)


def plain_program(mix: Sound, spans: Sequence[tuple[int, int]], plans: Sequence) -> np.ndarray:
    """Every span with its fades, laid where it is heard."""
    total = sum(b - a for a, b in spans)
    out = np.zeros((mix.channels, total + 4000))
    at = 0
    for k, (a, b) in enumerate(spans):
        head, tail = plans[k].half, plans[k + 1].half
        n = np.arange(a - head, b + tail)
        inside = (n >= 0) & (n < mix.frames)
        x = np.where(inside, mix.samples[:, np.clip(n, 0, mix.frames - 1)], 0.0)
        if head:
            x[:, : 2 * head] *= plans[k].fades(np.arange(2 * head))[1]
        if tail:
            x[:, x.shape[1] - 2 * tail :] *= plans[k + 1].fades(np.arange(2 * tail))[0]
        out[:, 2000 + at - head : 2000 + at + b - a + tail] += x
        at += b - a
    return out[:, 2000 : 2000 + total]


class TestProgram:
    SPANS = ((0, 3000), (3600, 4100), (4100, 9000), (12000, 15000))
    MIX = sound(2.0, 5, channels=2)

    @pytest.mark.parametrize("ms", [0.0, 12.0, 40.0, None])
    def test_every_span_with_its_fades_is_laid_where_it_is_heard(self, ms):
        program = Program(self.MIX, TimeMap(self.SPANS), ms)
        assert (program.rate, program.channels, program.frames) == (RATE, 2, 3000 + 500 + 4900 + 3000)
        plans = [program.plan(k) for k in range(len(self.SPANS) + 1)]
        assert plans[0].half == plans[2].half == plans[4].half == 0, "no seam at the ends, nor where the session goes on"
        if ms:
            assert [plans[k].half for k in (1, 3)] == [round(ms * 1e-3 * RATE / 2)] * 2
        np.testing.assert_allclose(program.read(0, program.frames), plain_program(self.MIX, self.SPANS, plans), atol=1e-6)

    @settings(max_examples=60)
    @given(st.integers(0, 11_300), st.integers(0, 3000))
    def test_any_stretch_is_that_of_the_whole(self, start, length):
        program = Program(self.MIX, TimeMap(self.SPANS), 40.0)
        whole = program.read(0, program.frames)
        assert whole.dtype == F32
        stop = min(start + length, program.frames)
        np.testing.assert_allclose(program.read(start, stop), whole[:, start:stop], atol=1e-6)

    def test_a_seam_has_the_length_and_shape_that_was_set_for_it_and_no_more_than_half_of_what_lies_beside_it(self):
        own = {(3000, 3600): (100.0, SeamShape.GAIN), (9000, 12000): (None, SeamShape.POWER)}
        program = Program(self.MIX, TimeMap(self.SPANS), 20.0, own)
        assert program.plan(1) == plan_seam(self.MIX, 3000, 3600, 250, 100.0, SeamShape.GAIN)
        assert program.plan(1).half == 250, "the span of 500 behind it gives half of itself"
        assert program.plan(3) == plan_seam(self.MIX, 9000, 12000, 1500, 20.0, SeamShape.POWER)
        long = Program(self.MIX, TimeMap(((0, 6000), (7000, 16000))), 20.0, {(6000, 7000): (900.0, SeamShape.AUTO)})
        assert long.plan(1).half == round(LONGEST_SEAM_MS * 1e-3 * RATE / 2)
        np.testing.assert_allclose(
            np.hstack([long.read(k, k + 100) for k in range(0, 15_000, 100)]), long.read(0, 15_000), atol=1e-6,
        )  # fmt: skip

    def test_a_part_is_joined_as_the_whole_of_which_it_is_one(self):
        whole = Program(self.MIX, TimeMap(self.SPANS), 40.0)
        part = Program(Sound(self.MIX.samples * 0.5, RATE), TimeMap(self.SPANS), None, joined_like=whole)
        assert all(part.plan(k) is whole.plan(k) for k in (1, 3))
        np.testing.assert_allclose(part.read(0, part.frames), 0.5 * whole.read(0, whole.frames), atol=1e-6)

    def test_nothing_is_heard_before_and_behind_it(self):
        program = Program(self.MIX, TimeMap(self.SPANS[:1]), 12.0)
        assert np.all(program.read(-50, 0) == 0) and np.all(program.read(3000, 3050) == 0)
        assert Program(self.MIX, TimeMap(()), 12.0).read(0, 10).tolist() == np.zeros((2, 10)).tolist()

    def test_an_episode_joins_in_its_own_way(self):
        own = (SeamSetting(3000, 3600, 30.0, SeamShape.GAIN),)
        by_hand = program_over(episode(lane("a"), seam_auto=False, seam_ms=25.0, seams=own), self.MIX, TimeMap(self.SPANS))
        assert by_hand.plan(3).half == round(12.5e-3 * RATE)
        assert by_hand.plan(1) == plan_seam(self.MIX, 3000, 3600, 250, 30.0, SeamShape.GAIN)
        automatic = program_over(episode(lane("a")), self.MIX, TimeMap(self.SPANS))
        assert automatic.plan(3) == Program(self.MIX, TimeMap(self.SPANS), None).plan(3)


class TestBeds:
    SPANS = ((0, 4000), (8000, 16000))
    MUSIC = sound(0.5, 7)

    def beds(self, made: Episode, **more: object) -> list:
        speech = {"a": np.zeros(100, bool)}
        speech["a"][60:70] = True
        return beds_under(made, TimeMap(self.SPANS), {"b": self.MUSIC, "a": sound(2.0)}, Balance(speech=speech), **more)

    def made(self, **fields: object) -> Episode:
        return episode(lane("a"), lane("b", bed=Bed(), role=Role.MUSIC, **fields))

    def test_a_bed_begins_where_its_place_is_heard_or_where_the_program_goes_on(self):
        for frame, at in ((1000, 1000), (5000, 4000), (9000, 5000), (99_999, 12_000)):
            [(track, gains)] = self.beds(self.made(start_frame=frame, ducking=Ducking(on=False), level_db=-20.0))
            assert track.start == at and track.ducking is None
            np.testing.assert_allclose(gains, [0.1, 0.1], rtol=1e-6)

    def test_it_is_added_to_the_program_for_both_sides(self):
        [bed] = self.beds(self.made(start_frame=1000, ducking=Ducking(on=False), pan=-100.0))
        program = Program(Sound(np.zeros((2, 16000), F32), RATE), TimeMap(self.SPANS), 12.0, under=[bed])
        x = program.read(0, 12_000)
        np.testing.assert_allclose(x[0, 1000:5000], np.sqrt(2) * self.MUSIC.samples[0], rtol=1e-5)
        assert np.all(x[1] == 0) and np.all(x[:, :1000] == 0) and np.all(x[:, 5000:] == 0)
        np.testing.assert_array_equal(program.read(4990, 5010), x[:, 4990:5010])
        np.testing.assert_array_equal(program.read(0, 1001), x[:, :1001])
        np.testing.assert_array_equal(program.read(5000, 5010), x[:, 5000:5010])

    def test_it_gives_way_to_the_speech_that_is_heard_where_it_is_heard(self):
        [(track, _)] = self.beds(self.made(start_frame=0))
        marks = np.zeros(150, bool)  # of the program: 12,000 frames of 8,000 a second, 100 a second
        marks[[k for k in range(150) if 60 <= round(((k * 80 if k < 50 else k * 80 + 4000) / RATE) * FRAMES_PER_S) < 70]] = True
        np.testing.assert_allclose(track.ducking.db, ducking_db(marks, Ducking()), atol=1e-4)
        assert track.ducking.db.min() == pytest.approx(-14.0, abs=1e-3)


class TestSpeechInTheProgram:
    def marks(self, made: Episode, spans: Sequence[tuple[int, int]], speech: dict, heard: Sequence[str] = ("a", "b")) -> list[int]:
        found = speech_in_program(made, TimeMap(spans), speech, set(heard))
        assert found.dtype == bool and len(found) == int(np.ceil(sum(b - a for a, b in spans) / RATE * POINTS_PER_S))
        return np.flatnonzero(found).tolist()

    def test_no_program_has_no_marks(self):
        assert self.marks(episode(lane("a")), [], {"a": np.ones(9, bool)}) == []

    def test_a_bed_that_does_not_give_way_has_no_curve(self):
        assert ducking_curve(episode(lane("a")), lane("a", ducking=Ducking(on=False)), np.ones(9, bool)) is None
        curve = ducking_curve(episode(lane("a")), lane("a"), np.ones(90, bool))
        assert curve.rate == RATE and curve.db[50] == pytest.approx(-14.0, abs=1e-3)


SPOKEN = np.zeros(200, bool)  # 4 s
SPOKEN[20:90], SPOKEN[120:180] = True, True
POWER = np.where(SPOKEN, 1e-3, 1e-8)
FACTS = VoiceFacts(POWER, SPOKEN)


class TestBalance:
    """Recordings of 4 s."""

    def found(self, *lanes: Lane, facts: dict[str, VoiceFacts]) -> Balance:
        return find_balance(episode(*lanes, seconds=4.0), facts)

    def test_levelling_and_the_line_are_added_point_by_point(self):
        line = (LinePoint(0, -6.0), LinePoint(4 * RATE, 6.0))
        both = self.found(lane("a", levelling=Levelling(on=True), line=line), facts={"a": FACTS}).gains["a"]
        ride = levelling_db(POWER, SPOKEN, Levelling(on=True))
        at = np.arange(400) / 100
        expected = np.interp(at, (np.arange(len(ride)) + 0.5) * 0.1, ride) + (-6.0 + 3.0 * at)
        np.testing.assert_allclose(both.level_db, expected, atol=1e-9)
        assert both.rate == RATE and np.all(both.bleed_db == 0) and len(both.bleed_db) == 400

    def test_a_line_alone_needs_no_facts_and_no_voice(self):
        found = self.found(lane("m", role=Role.MUSIC, line=(LinePoint(0, -3.0),)), facts={}).gains["m"]
        assert np.all(found.level_db == -3.0) and len(found.level_db) == 400

    def test_lanes_after_one_that_stays_as_it_is_are_found_too(self):
        made = lane("a"), lane("b", line=(LinePoint(0, -3.0),))
        assert set(self.found(*made, facts={}).gains) == {"b"}

    def test_bleed_control_lies_on_the_recordings_own_clock(self):
        late = RATE // 2
        a, b = lane("a", bleed=BleedControl(on=True)), lane("b", start_frame=late, bleed=BleedControl(on=True, range_db=10.0))
        other = VoiceFacts(POWER, np.roll(SPOKEN, 40))
        found = self.found(a, b, facts={"a": FACTS, "b": other})
        count = int(np.ceil(4.5 * FRAMES_PER_S)) + 1
        own = {"a": on_session(SPOKEN, 0, RATE, count), "b": on_session(np.roll(SPOKEN, 40), late, RATE, count)}
        gains = bleed_db(own, {"a": a.bleed, "b": b.bleed})
        for name, start_s in (("a", 0.0), ("b", 0.5)):
            at = (np.arange(400) / 100 + start_s) * FRAMES_PER_S
            np.testing.assert_allclose(found.gains[name].bleed_db, np.interp(at, np.arange(count), gains[name]), atol=1e-9)
            assert np.all(found.gains[name].level_db == 0)
        assert found.gains["a"].bleed_db.min() == pytest.approx(-18.0, abs=0.5) and found.gains["b"].bleed_db.min() == pytest.approx(
            -10, abs=0.5
        )
        np.testing.assert_array_equal(found.speech["b"], np.roll(SPOKEN, 40))

    def test_a_microphone_without_bleed_control_still_opens_against_the_others(self):
        found = self.found(
            lane("a", bleed=BleedControl(on=True)), lane("b"), facts={"a": FACTS, "b": VoiceFacts(POWER, np.roll(SPOKEN, 90))}
        )
        assert set(found.gains) == {"a"} and found.gains["a"].bleed_db.min() < -10

    def test_the_curve_is_all_of_it_together(self):
        gain = LaneGain(np.array([0.0, -6.0]), np.array([-14.0, -14.0]), RATE)
        np.testing.assert_allclose(gain.curve().gain, [10 ** (-14 / 20), 0.1], rtol=1e-6)
        balance = Balance({"a": gain})
        assert balance.curves["a"].rate == RATE and balance.curves is balance.curves

    def test_who_is_covered_does_not_speak_there(self):
        covered = lane("a", covers=(Cover(RATE, 2 * RATE, CoverKind.SILENCE),))
        facts = {"a": FACTS, "b": FACTS, "gone": FACTS}
        found = without_covered(episode(covered, lane("b"), seconds=4.0), facts)
        assert not found["a"].own[51:99].any() and found["a"].own[120:180].all() and found["a"].own[20:49].all()
        assert found["b"] is FACTS and found["gone"] is FACTS
        assert not self.found(covered, facts={"a": FACTS}).speech["a"][51:99].any(), "and the balance takes it so"


class TestFacts:
    def test_power_is_k_weighted_and_mono_is_on_both_sides(self):
        one = tone(997, 2.0, -20.0)  # K-weighting has 0 dB here, but for the .691 dB that loudness takes off
        power = program_power(one)
        assert len(power) == pytest.approx(2.0 * FRAMES_PER_S, abs=1)
        assert 10 * np.log10(power[20:-1].mean()) == pytest.approx(-20.0 + 0.691, abs=0.1)
        stereo = Sound(np.repeat(one.samples, 2, axis=0), one.rate)
        np.testing.assert_allclose(program_power(stereo), power, rtol=1e-5)

    def test_voices_of_the_session_are_compared_at_their_places_and_an_insert_with_nobody(self):
        one, two = (Sound(x[None].astype(F32), 48_000) for x in conversation(-18.0)[0])
        late = Sound(two.samples[:, 12_000:], 48_000)
        lanes = [(lane("a"), one), (lane("i", start_frame=PARKED_FROM_FRAME), two), (lane("b", start_frame=12_000), late)]
        found = measure_own(lanes, 48_000)
        together = find_own_voices([(0.0, one), (0.25, late)])
        np.testing.assert_array_equal(found["a"], together[0])
        np.testing.assert_array_equal(found["b"], together[1])
        np.testing.assert_array_equal(found["i"], find_own_voices([(0.0, two)])[0])
        assert found["i"].sum() > 1.3 * found["b"].sum(), "alone, what comes across is a voice as well"
