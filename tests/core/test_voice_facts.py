"""What the balance stands on is measured once: found again by whoever asks for the same sound, and anew where anything that it depends on is another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.file import load_episode
from dubbin.core.mix import voice_facts as module
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.mix.voice_facts import own_key, voice_facts
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


def test_a_lane_that_lies_elsewhere_is_compared_anew_and_is_as_loud_as_it_was(case, measured):
    episode, sounds, kept = case
    voice_facts(episode, sounds(episode), kept=kept)
    measured.clear()
    moved = replace(episode, lanes=tuple(replace(x, start_frame=x.start_frame + 4800 * k) for k, x in enumerate(episode.lanes)))
    assert own_key(moved) != own_key(episode)
    voice_facts(moved, sounds(moved), kept=kept)
    assert measured == ["own"]


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


def test_what_was_compared_without_one_of_the_voices_is_not_taken_for_the_whole(case, measured):
    episode, sounds, kept = case
    first, *_ = episode.voices
    only = voice_facts(episode, {first.id: sounds(episode)[first.id]}, kept=kept)
    assert only.keys() == {first.id}
    assert voice_facts(episode, sounds(episode), kept=kept).keys() == {lane.id for lane in episode.voices}
    assert measured.count("own") == 2
