"""Levels, bleed, beds and ducking, against known truth."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling, LinePoint
from dubbin.core.episode.commands.balance import change_balance, remove_line_points, set_line_point, suggest_balance
from dubbin.core.episode.model import Cut, Episode, Lane, Recording, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.mix.balance_report import VoiceLevel
from dubbin.core.mix.bed import BedTrack
from dubbin.core.mix.bleed import bleed_db
from dubbin.core.mix.gain_curve import curve_from_db
from dubbin.core.mix.lane_gains import Balance, find_balance, program_power
from dubbin.core.mix.levelling import FACTS_PER_S, levelling_db, own_loudness
from dubbin.core.mix.program import SessionMix, beds_under, program_over
from dubbin.core.sound.source import Sound
from dubbin.core.speech.own_voice import FRAMES_PER_S, find_own_voices

RATE = 48000


def noise(seconds: float, level_db: float = -20.0, seed: int = 0, channels: int = 1) -> np.ndarray:
    x = np.random.default_rng(seed).standard_normal((channels, round(seconds * RATE)))
    return (x * 10 ** (level_db / 20)).astype(np.float32)


def episode_of(seconds: dict[str, float], **lanes: Lane) -> Episode:
    recordings = tuple(Recording(name, f"/{name}.wav", name, round(s * RATE), RATE, 1) for name, s in seconds.items())
    made = tuple(lanes.get(name, Lane(name, name, (0,), name)) for name in seconds)
    return Episode("e", recordings=recordings, lanes=made)


# -- pan, polarity, fades ---------------------------------------------------------------


def test_turned_polarity_cancels_its_own_copy():
    x = noise(1.0)
    episode = episode_of({"a": 1.0, "b": 1.0}, b=Lane("b", "b", (0,), "b", invert=True))
    mix = SessionMix(episode, {"a": Sound(x, RATE), "b": Sound(x, RATE)})
    assert np.max(np.abs(mix.read(0, RATE))) < 1e-7


# -- levelling --------------------------------------------------------------------------


def talk(levels_db: list[float], each_s: float, gap_s: float) -> tuple[np.ndarray, np.ndarray]:
    """Noise for speech at several levels with quiet gaps, and where it speaks."""
    parts, own = [], []
    for k, level in enumerate(levels_db):
        parts += [noise(each_s, level, k), noise(gap_s, -60.0, 100 + k)]
        own += [np.ones(round(each_s * FACTS_PER_S), bool), np.zeros(round(gap_s * FACTS_PER_S), bool)]
    return np.concatenate(parts, axis=1), np.concatenate(own)


def test_two_fades_that_cross_keep_the_power():
    lane = Lane("a", "a", (0,), "a", fade_in_frames=RATE // 2, fade_out_frames=RATE // 2)
    ones = Sound(np.ones((1, 2 * RATE), np.float32), RATE)
    y = SessionMix(episode_of({"a": 2.0}, a=lane), {"a": ones}).read(0, 2 * RATE)[0]
    assert y[0] < 0.01 and y[RATE] == 1.0 and y[-1] < 0.01
    half = RATE // 2
    assert np.allclose(y[:half] ** 2 + y[-half:] ** 2, 1.0, atol=1e-4)


def test_levelling_brings_a_voice_to_the_target_and_closes_its_jumps():
    x, own = talk([-30.0, -18.0, -24.0, -34.0], 8.0, 2.0)
    power = program_power(Sound(x, RATE))
    gain = levelling_db(power, own, Levelling(True, -20.0, 3.0, 12.0))
    after = power * 10 ** (np.repeat(gain, 5)[: len(power)] / 10)
    assert own_loudness(after, own) == pytest.approx(-20.0, abs=0.1)
    middles = [slice(round((10 * k + 3) * FACTS_PER_S), round((10 * k + 5) * FACTS_PER_S)) for k in range(4)]
    levels = [10 * np.log10(after[m].mean()) for m in middles]
    assert max(levels) - min(levels) < 2.0


def test_levelling_does_not_pump_up_what_is_no_speech_and_never_hurries():
    x, own = talk([-20.0, -20.0, -20.0], 4.0, 20.0)
    gain = levelling_db(program_power(Sound(x, RATE)), own, Levelling(True, -20.0, 3.0, 12.0))
    assert np.ptp(gain) < 0.2  # the gaps, 40 dB down and five times as long, have no say
    x, own = talk([-30.0, -18.0], 8.0, 0.5)
    gain = levelling_db(program_power(Sound(x, RATE)), own, Levelling(True, -20.0, 4.0, 20.0))
    assert np.max(np.abs(np.diff(gain))) * 10 < 6.0  # dB a second


def test_the_range_holds_the_gain_and_silence_is_left_alone():
    x, own = talk([-40.0, -14.0], 10.0, 1.0)
    gain = levelling_db(program_power(Sound(x, RATE)), own, Levelling(True, -20.0, 3.0, 4.0))
    assert np.ptp(gain) <= 8.01
    assert not levelling_db(np.zeros(500), np.zeros(500, bool), Levelling(True)).any()


def test_a_line_by_hand_lies_on_top_and_is_heard_straight_between_its_points():
    lane = Lane("a", "a", (0,), "a", line=(LinePoint(0, 0.0), LinePoint(2 * RATE, -12.0)))
    episode = episode_of({"a": 4.0}, a=lane)
    balance = find_balance(episode, {})
    y = SessionMix(episode, {"a": Sound(np.ones((1, 4 * RATE), np.float32), RATE)}, curves=balance.curves).read(0, 4 * RATE)[0]
    for second, db in ((0, 0.0), (1, -6.0), (2, -12.0), (3, -12.0)):
        assert 20 * np.log10(y[second * RATE]) == pytest.approx(db, abs=0.05)


# -- bleed ------------------------------------------------------------------------------


def conversation(bleed_db_: float) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Two microphones on which two take turns, then speak at once; and where each speaks."""
    marks = [np.zeros(24 * FRAMES_PER_S, bool) for _ in range(2)]
    for k in range(5):
        marks[k % 2][(4 * k + 1) * FRAMES_PER_S : (4 * k + 4) * FRAMES_PER_S] = True
    for m in marks:
        m[21 * FRAMES_PER_S : 23 * FRAMES_PER_S] = True
    shape = [np.sin(np.arange(24 * RATE) * 2 * np.pi * f / RATE) ** 2 for f in (2.1, 2.9)]
    voices = [noise(24.0, -14.0, k)[0] * shape[k] * np.repeat(marks[k], RATE // FRAMES_PER_S) for k in range(2)]
    share = 10 ** (bleed_db_ / 20)
    hiss = [noise(24.0, -66.0, 7 + k)[0] for k in range(2)]
    return [voices[k] + share * np.roll(voices[1 - k], 300) + hiss[k] for k in range(2)], marks


def test_own_voices_are_told_from_what_comes_across_and_both_at_once_from_either():
    sounds, marks = conversation(-22.0)
    own = find_own_voices([(0.0, Sound(x[None].astype(np.float32), RATE)) for x in sounds])
    for k in range(2):
        only_other = marks[1 - k] & ~marks[k]
        both = marks[0] & marks[1]
        assert own[k][only_other].mean() < 0.05
        assert own[k][marks[k]].mean() > 0.9
        assert own[k][both].mean() > 0.85


def test_one_who_says_little_is_told_from_one_who_has_the_word_all_the_time_and_comes_across_loudly():
    """Eight seconds of three minutes."""
    (first, second), (own_first, own_second) = conversation(-16.0)
    sounds = [np.concatenate([x, np.tile(x[: 5 * RATE], 32)]) for x in (first, second)]
    own = find_own_voices([(0.0, Sound(x[None].astype(np.float32), RATE)) for x in sounds])
    marks = [np.concatenate([m, np.tile(m[: 5 * FRAMES_PER_S], 32)]) for m in (own_first, own_second)]
    assert [own[k][marks[k]].mean() > 0.9 for k in range(2)] == [True, True]
    assert [own[k][marks[1 - k] & ~marks[k]].mean() < 0.05 for k in range(2)] == [True, True]


def test_a_microphone_started_later_has_its_marks_on_its_own_clock():
    sounds, marks = conversation(-22.0)
    late = 3 * RATE
    own = find_own_voices(
        [(0.0, Sound(sounds[0][None].astype(np.float32), RATE)), (3.0, Sound(sounds[1][None, late:].astype(np.float32), RATE))]
    )
    expected = marks[1][3 * FRAMES_PER_S :]
    assert np.mean(own[1][: len(expected)] == expected) > 0.9


def test_one_microphone_alone_is_never_turned_down():
    assert bleed_db({"a": np.ones(50, bool)}, {"a": BleedControl(True)}) == {}


# -- under the program ------------------------------------------------------------------


def bed_lane(bed: Bed, **fields) -> Lane:
    return Lane("m", "m", (0,), "Music", Role.MUSIC, bed=bed, **fields)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 3000), st.integers(0, 9000), st.booleans(), st.integers(0, 4000), st.lists(st.integers(1, 9999), max_size=4))
def test_a_bed_is_the_same_in_blocks_as_whole(trim, length, loop, start, edges):
    sound = Sound(noise(4000 / RATE), RATE)
    lane = bed_lane(Bed(trim, length, loop), fade_in_frames=300, fade_out_frames=500)
    track = BedTrack(lane, sound, start, 10000, curve_from_db(np.linspace(0, -12, 21), RATE))
    whole = track.read(0, 10000)
    at = sorted({0, 10000, *edges})
    parts = [track.read(a, b) for a, b in pairwise(at)]
    assert np.allclose(np.concatenate(parts, axis=1), whole, atol=1e-6)
    assert not whole[:, :start].any() and not whole[:, track.stop :].any()


def test_a_bed_sounds_on_over_cuts_and_begins_where_its_place_is_heard():
    music = bed_lane(Bed(), start_frame=2 * RATE, ducking=Ducking(False))
    episode = replace(episode_of({"a": 10.0, "m": 3.0}, m=music), cuts=(Cut(RATE, round(1.5 * RATE)), Cut(3 * RATE, 6 * RATE)))
    x = noise(3.0, seed=3)
    sources = {"a": Sound(np.zeros((1, 10 * RATE), np.float32), RATE), "m": Sound(x, RATE)}
    time_map = program_map(episode)
    program = program_over(episode, SessionMix(episode, sources), time_map, beds_under(episode, time_map, sources, Balance()))
    at = round(1.5 * RATE)
    assert program.frames == round(6.5 * RATE)
    assert np.allclose(program.read(at, at + 3 * RATE)[0], x[0], atol=1e-6)
    assert not program.read(0, at).any()


def test_a_repeated_bed_fills_the_program_without_a_hole():
    lane = bed_lane(Bed(0, 0, True))
    track = BedTrack(lane, Sound(noise(2.0, seed=4), RATE), 0, 9 * RATE, None)
    level = 10 * np.log10(np.mean(track.read(0, 9 * RATE)[0].reshape(-1, RATE // 20) ** 2, axis=1))
    assert track.stop == 9 * RATE
    assert np.all(np.abs(level + 20.0) < 1.5)


# -- commands and meters ----------------------------------------------------------------


def test_the_suggested_balance_levels_voices_and_puts_music_under_them():
    episode = episode_of({"a": 9.0, "b": 9.0, "m": 9.0}, m=Lane("m", "m", (0,), "Music", Role.MUSIC))
    changed = suggest_balance(episode, {"m": -30.0}).episode
    assert all(lane.levelling.on and lane.bleed.on for lane in changed.lanes[:2])
    assert changed.lanes[2].bed is not None and changed.lanes[2].level_db == pytest.approx(9.0)
    with pytest.raises(ValueError, match="target_lufs"):
        change_balance(episode, ["a"], "levelling", "x", target_lufs=5.0)


def test_points_of_a_line_are_added_moved_and_taken_off():
    episode = episode_of({"a": 9.0})
    one = set_line_point(episode, "a", 100, 3.0).episode
    two = set_line_point(one, "a", 50, -99.0).episode
    assert two.lanes[0].line == (LinePoint(50, -24.0), LinePoint(100, 3.0))
    moved = set_line_point(two, "a", 200, 1.0, LinePoint(100, 3.0)).episode
    assert moved.lanes[0].line == (LinePoint(50, -24.0), LinePoint(200, 1.0))
    assert remove_line_points(moved, "a").episode.lanes[0].line == ()


class TestCourse:
    """A voice's loudness through the program, for a picture of a few hundred points."""

    def voice(self, short_term) -> VoiceLevel:
        return VoiceLevel("l", "V", None, None, np.array(short_term, np.float64))

    def test_of_few_instants_each_is_shown_at_the_middle_of_its_three_seconds(self):
        times, level = self.voice([-20.0, -30.0, -50.0, np.nan]).course(4)
        np.testing.assert_allclose(times, np.array([0.2, 0.4, 0.6, 0.8]) - 1.5)
        np.testing.assert_allclose(level, [-20.0, -30.0, np.nan, np.nan])

    @given(st.integers(1, 500), st.integers(1, 60))
    def test_of_many_it_is_the_mean_power_of_what_is_said_around_each(self, count, points):
        rng = np.random.default_rng(count)
        short = np.where(rng.random(count) < 0.5, rng.uniform(-60.0, -10.0, count), np.nan)
        times, level = self.voice(short).course(points)
        assert len(times) == len(level) <= points and (len(times) < 2 or np.ptp(np.diff(times)) < 1e-9)
        step = -(-count // points)
        for k, part in enumerate(short[a : a + step] for a in range(0, count, step)):
            said = part[part > -36.0]
            expected = 10 * np.log10(np.mean(10 ** (said / 10))) if len(said) else np.nan
            assert level[k] == pytest.approx(expected, nan_ok=True)

    def test_of_nothing_there_is_nothing(self):
        times, level = self.voice([]).course(400)
        assert len(times) == len(level) == 0
