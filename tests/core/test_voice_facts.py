"""What the balance stands on is measured once: found again by whoever asks for the same sound, and anew where anything that it depends on is another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.model import Cover
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.mix import voice_facts as module
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.mix.voice_facts import voice_facts, voice_loudness
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache


@pytest.fixture
def case(little_folder, tmp_path):
    """An episode of two microphones, its sounds, and where results are kept."""
    episode = load_episode(little_folder / "little.dubbin")
    copies, tiles = WorkingCopies(tmp_path / "copies"), DiskTileCache(tmp_path / "tiles")
    return episode, lambda e: episode_sounds(e, copies, tiles), KeptResults(tmp_path / "results")


@pytest.fixture
def measured(monkeypatch):
    """What was measured: "own" or "power" each time."""
    done = []
    for name, what in (("measure_own", "own"), ("program_power", "power")):
        real = getattr(module, name)
        monkeypatch.setattr(module, name, lambda *a, real=real, what=what: (done.append(what), real(*a))[1])
    return done


def test_they_are_measured_once_and_come_back_as_they_were(case, measured):
    episode, sounds, kept = case
    fresh = voice_facts(episode, sounds(episode))
    first = voice_facts(episode, sounds(episode), kept=kept)
    assert sorted(measured) == sorted(2 * ["own", *["power"] * len(episode.voices)])
    again = voice_facts(episode, sounds(episode), kept=KeptResults(kept.folder))
    assert len(measured) == 2 * (1 + len(episode.voices)), "nothing was measured again"
    assert first.keys() == again.keys() == {lane.id for lane in episode.voices}
    for name in first:
        for other in (first, again):
            np.testing.assert_array_equal(other[name].own, fresh[name].own)
            np.testing.assert_array_equal(other[name].power, fresh[name].power)
        assert again[name].own.dtype == np.bool_ and again[name].power.dtype == np.float64


def test_who_measures_how_loud_a_voice_is_need_not_look_through_it_for_the_balance(case, measured):
    episode, sounds, kept = case
    for lane in episode.voices:
        sound = sounds(episode)[lane.id]
        found = voice_loudness(sound, lane_key(episode, lane), kept, Task())
        assert found == measure_loudness(sound.voiced, true_peak=False) == voice_loudness(sound, lane_key(episode, lane), None, Task())
    facts = voice_facts(episode, sounds(episode), kept=kept)
    assert measured == ["own"]
    fresh = voice_facts(episode, sounds(episode))
    for name in fresh:
        np.testing.assert_array_equal(facts[name].power, fresh[name].power)


def test_of_a_voice_that_is_muted_in_places_only_what_is_heard_counts(case, measured):
    episode, sounds, kept = case
    lane = episode.voices[0]
    half = sounds(episode)[lane.id].voiced.frames // 2
    covered = replace(lane, covers=(Cover(0, half),))
    muted = replace(episode, lanes=tuple(covered if x.id == lane.id else x for x in episode.lanes))
    voice_loudness(sounds(muted)[lane.id], lane_key(muted, covered), kept, Task())
    facts = voice_facts(muted, sounds(muted), kept=kept)
    assert measured.count("power") == len(episode.voices), "without what is covered it is another sound"
    assert not facts[lane.id].power[: half // 1000].any() and facts[lane.id].power[-100:].all()


def test_a_lane_that_is_set_louder_or_named_is_the_same_sound(case, measured):
    episode, sounds, kept = case
    voice_facts(episode, sounds(episode), kept=kept)
    measured.clear()
    louder = set_level(episode, episode.lanes[0].id, 3.0).episode
    louder = replace(louder, lanes=(replace(louder.lanes[0], voice="Another"), *louder.lanes[1:]))
    voice_facts(louder, sounds(louder), kept=kept)
    assert measured == []


def test_the_program_is_the_same_whether_its_facts_were_kept_or_not(case):
    episode, sounds, kept = case
    episode = replace(episode, lanes=tuple(replace(x, levelling=replace(x.levelling, on=True)) for x in episode.lanes))
    programs = [balanced_program(episode, sounds(episode), kept=k) for k in (None, kept, kept)]
    heard = [p.read(0, min(p.frames, 10 * p.rate)) for p in programs]
    np.testing.assert_array_equal(heard[0], heard[1])
    np.testing.assert_array_equal(heard[0], heard[2])
