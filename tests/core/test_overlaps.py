"""Two who speak at once, on microphones of their own or on one: which hears the other, what is lowered, and that nothing is doubled or lost."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.commands.lanes import cover, lanes_of_speakers, lower_overlaps, uncover
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Cover, CoverKind, Episode, Lane, Recording
from dubbin.core.mix.cover import OTHER, fade_frames, uncovered
from dubbin.core.mix.lane_gains import VoiceFacts, find_balance
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_sound import lane_sound
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.overlaps import find_overlaps, heard_together, own_marks
from dubbin.core.mix.render import program_of
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.own_voice import FRAMES_PER_S
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.core.speech.turns import Crosstalk, hears_the_other, speaker_turns
from dubbin.core.treat.tiles import MemoryTileCache
from tests.conftest import RATE, noise
from tests.core.test_hearing_again import marks

SECONDS = 12


def activity(seconds: float, *levels: tuple[float, float, float]) -> Activity:
    """Activity with levels in dB over stretches; elsewhere far below what is heard."""
    level = np.full(round(100 * seconds), -90.0, np.float32)
    for a, b, db in levels:
        level[round(100 * a) : round(100 * b)] = db
    return Activity(level, np.where(level > -60, 10.0, -10.0).astype(np.float32))


def spoken(text: str, start_s: float, end_s: float, speaker: int, kind: WordKind = WordKind.WORD) -> Word:
    return Word(text, round(start_s * RATE), round(end_s * RATE), kind, 1.0, speaker)


TALK = (
    spoken("so", 1.0, 1.5, 0), spoken("tell", 1.6, 2.0, 0), spoken("me", 2.1, 2.4, 0), spoken("breath", 2.6, 2.8, 0, WordKind.SOUND),
    spoken("well", 3.4, 4.0, 1), spoken("then", 4.2, 5.0, 1), spoken("yes", 6.0, 6.4, 0), spoken("and", 7.0, 7.5, 1),
)  # fmt: skip


def two_on_one_recording(together: tuple[tuple[int, int], ...] = ()) -> Episode:
    recording = Recording("r", "/a.wav", "f", SECONDS * RATE, RATE, 1)
    episode = replace(new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "Table"),))
    return replace(episode, transcripts=(Transcript("l", TALK, speakers=("Ines", "Tobias"), together=together),))


def two_on_one(gain_db: float = -30.0) -> Episode:
    return lanes_of_speakers(two_on_one_recording(), "l", ["a", "b"], gain_db, fade_frames(CoverKind.OTHER, RATE)).episode


class TestWhoHearsTheOther:
    PLACE = Crosstalk(5.0, 6.0, (0, 1))

    @pytest.mark.parametrize("start_s", [0.0, 1.5])
    def test_a_word_thrown_in_is_softer_than_its_voice_elsewhere(self, start_s):
        host = activity(10, (1, 4, -20), (5, 6, -20))
        guest = activity(10, (5 - start_s, 6 - start_s, -32), (7 - start_s, 8 - start_s, -26))
        own = [host.audible, guest.audible]
        assert hears_the_other([(0.0, host), (start_s, guest)], own, [self.PLACE]) == [1]

    def test_nothing_to_compare_with_is_no_error(self):
        one = activity(10, (5, 6, -20))
        assert hears_the_other([(0.0, one), (0.0, one)], [one.audible, one.audible], [self.PLACE])[0] in (0, 1)
        silent = np.zeros(1000, np.bool_)
        assert hears_the_other([(0.0, one), (0.0, one)], [silent, silent], [self.PLACE]) == [0]


class TestWhoSpeaksWhen:
    """Two microphones on one clock: Ines from 1 s to 6 s, Tobias, whose recording begins 2 s later, from 5 s to 9 s of the session; bleed 24 dB down."""

    VOICES = (
        (Lane("a", "a", (0,), "Ines"), activity(12, (1, 6, -20), (6, 9, -44))),
        (Lane("b", "b", (0,), "Tobias", start_frame=2 * RATE), activity(10, (0, 3, -50), (3, 4, -32), (4, 7, -26))),
    )

    def test_what_a_lane_holds_of_another_speaker_is_not_its_own(self):
        lane, seen = self.VOICES[0]
        covered = replace(lane, covers=(Cover(2 * RATE, 3 * RATE, CoverKind.OTHER), Cover(4 * RATE, 5 * RATE, CoverKind.LOWER)))
        (first, _) = own_marks([(covered, seen), self.VOICES[1]], RATE)
        assert not first[205:295].any() and first[405:450].all()

    def test_where_both_speak_is_told_in_session_time_with_the_microphone_that_hears_the_other(self):
        found = find_overlaps(self.VOICES, RATE)
        ((lanes, start_s, end_s),) = found.places
        assert lanes == ("a", "b") and found.hearing == ("b",)
        assert start_s == pytest.approx(5.0, abs=0.25) and end_s == pytest.approx(6.0, abs=0.25)

    def test_two_in_one_microphone_stand_among_the_others_in_session_time(self):
        heard = Transcript("b", (), together=((0, RATE), (6 * RATE, 7 * RATE)))
        found = find_overlaps(self.VOICES, RATE, (heard, Transcript("gone", (), together=((0, RATE),))))
        between = find_overlaps(self.VOICES, RATE)
        assert found.places == ((("b",), 2.0, 3.0), *between.places, (("b",), 8.0, 9.0)) and found.hearing == ("b", "b", "b")
        assert find_overlaps(self.VOICES[1:], RATE, (heard,)).places == ((("b",), 2.0, 3.0), (("b",), 8.0, 9.0))


class TestLowered:
    def test_places_are_lowered_in_one_step_on_their_own_lanes_and_inside_their_recordings(self):
        recordings = tuple(Recording(n, f"/{n}.wav", "f", 8 * RATE, RATE, 1) for n in "ab")
        lanes = (Lane("a", "a", (0,), "Ines"), Lane("b", "b", (0,), "Tobias", start_frame=2 * RATE))
        episode = replace(new_episode(), recordings=recordings, lanes=lanes)
        places = [("b", 4 * RATE, 5 * RATE), ("a", 7 * RATE, 9 * RATE), ("b", 0, RATE)]
        changed = lower_overlaps(episode, places, -9.0)
        assert changed.episode.lane("b").covers == (Cover(2 * RATE, 3 * RATE, CoverKind.LOWER, -9.0),)
        assert changed.episode.lane("a").covers == (Cover(7 * RATE, 8 * RATE, CoverKind.LOWER, -9.0),)
        assert "9 dB" in changed.title

    def test_what_is_covered_is_nobodys_own_speech(self):
        lane = Lane("a", "a", (0,), "Ines", covers=(Cover(2 * RATE, 3 * RATE, CoverKind.LOWER), Cover(5 * RATE, 6 * RATE, CoverKind.OTHER)))
        own = marks(8, (0, 8))
        assert np.count_nonzero(uncovered(own, lane, RATE, 100)) == 594 and np.count_nonzero(uncovered(own, lane, RATE, 100, OTHER)) == 697
        assert own.all()


class TestSpeakersOfOneRecording:
    @given(st.lists(st.tuples(st.integers(0, 2), st.integers(1, 30_000), st.integers(1, 30_000)), min_size=1, max_size=20))
    def test_turns_part_the_whole_recording_and_hold_the_words_of_their_speaker(self, items):
        at, words = 0, []
        for speaker, gap, length in items:
            words.append(Word("a", at + gap, at + gap + length, speaker=speaker))
            at += gap + length
        turns = speaker_turns(words, at + 500)
        assert turns[0].start_frame == 0 and turns[-1].end_frame == at + 500
        assert all(a.end_frame == b.start_frame and a.speaker != b.speaker for a, b in pairwise(turns))
        for word in words:
            assert any(t.speaker == word.speaker and t.start_frame <= word.start_frame and word.end_frame <= t.end_frame for t in turns)

    def test_each_speaker_has_a_lane_with_their_words(self):
        episode = two_on_one()
        assert [(lane.id, lane.voice) for lane in episode.lanes] == [("a", "Ines"), ("b", "Tobias")]
        assert {t.lane: [w.text for w in t.words] for t in episode.transcripts} == {
            "a": ["so", "tell", "me", "breath", "yes"], "b": ["well", "then", "and"],
        }  # fmt: skip

    @pytest.mark.parametrize(("speakers", "start_s", "who"), [
        (("Ines", "Tobias"), 9.0, ("Ines", "Tobias")), (("Ines", "Tobias", "Guest"), 2.3, ("Ines", "Tobias")),
        (("Ines", "Tobias", "Guest"), 9.0, ()), (("Ines", "Tobias", "Guest"), 1.0, ()), ((), 2.3, ()),
    ])  # fmt: skip
    def test_who_is_heard_together_is_told_where_it_is_clear(self, speakers, start_s, who):
        """Of two it is both; of more those whose words touch the place."""
        heard = Transcript("l", TALK, speakers=speakers)
        assert heard_together(heard, round(start_s * RATE), round((start_s + 1.3) * RATE)) == who

    def test_where_two_are_heard_goes_with_the_lane_whose_turn_it_is(self):
        whole = two_on_one_recording(together=((round(1.7 * RATE), round(2.0 * RATE)), (round(4.9 * RATE), round(5.2 * RATE))))
        parted = lanes_of_speakers(whole, "l", ["a", "b"], -30.0, 100).episode
        assert {t.lane: [a / RATE for a, _ in t.together] for t in parted.transcripts} == {"a": [1.7], "b": [4.9]}

    def test_together_they_sound_as_the_recording_did_and_one_alone_without_the_other(self):
        episode = two_on_one(-60.0)
        x = noise(SECONDS, -20, 3)
        source, cache = Sound(x[None], RATE), MemoryTileCache()
        sounds = {lane.id: lane_sound(lane, source, lane_key(episode, lane), cache) for lane in episode.lanes}
        for mode in (MonitorMode.RECORDED, MonitorMode.TREATED):
            whole = program_of(episode, sounds, mode)
            y = whole.read(0, whole.frames)
            before = program_of(replace(episode, lanes=(replace(episode.lanes[0], covers=()),)), {"a": replace(sounds["a"], lane=replace(episode.lanes[0], covers=()))}, mode)  # fmt: skip
            assert np.max(np.abs(y - before.read(0, before.frames))) < 2e-3 * np.max(np.abs(x)), mode
        tobias = sounds["b"].treated.read(0, source.frames)[0]
        spoken_by_ines = slice(round(1.0 * RATE), round(2.4 * RATE))
        assert np.max(np.abs(tobias[spoken_by_ines])) < 1.1e-3 * np.max(np.abs(x))

    def test_levelling_follows_each_in_their_own_turns_only(self):
        episode = two_on_one()
        own = np.zeros(SECONDS * FRAMES_PER_S, np.bool_)
        own[FRAMES_PER_S : 7 * FRAMES_PER_S] = True
        facts = {lane.id: VoiceFacts(np.full(len(own), 1e-3), own) for lane in episode.lanes}
        speech = find_balance(episode, facts).speech
        assert not (speech["a"] & speech["b"]).any() and (speech["a"] | speech["b"])[FRAMES_PER_S : 2 * FRAMES_PER_S].all()

    def test_a_bleep_over_anothers_turn_leaves_the_turn_lowered(self):
        episode = two_on_one()
        others = episode.lane("b").covers
        bleeped = cover(episode, "b", Cover(RATE, 2 * RATE, CoverKind.TONE), "Bleep").episode
        assert set(others) < set(bleeped.lane("b").covers)
        assert uncover(bleeped, "b", [Cover(RATE, 2 * RATE, CoverKind.TONE)]).episode.lane("b").covers == others

    def test_a_lane_whose_speakers_are_not_told_apart_stays(self):
        recording = Recording("r", "/a.wav", "f", RATE, RATE, 1)
        episode = replace(new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "Table"),))
        assert lanes_of_speakers(episode, "l", ["a", "b"], -30.0, 100).episode == episode
