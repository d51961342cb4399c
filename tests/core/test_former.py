"""What was done to a recording that was taken out is given back when it is added again; folders of recordings; lining up."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.episode.commands.lanes import change_lane, lanes_of_speakers, remove_lane
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.former import former_lanes, give_back, is_worth_it
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.lining_up import line_up, lined_up, to_line_up
from dubbin.core.episode.model import Episode, Lane, Recording, TreatmentUse
from dubbin.core.sound.folder import recordings_in
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.transcript import Transcript, Word
from tests.conftest import RATE, noise


def recording(id: str, fingerprint: str = "f") -> Recording:
    return Recording(id, "/a.wav", fingerprint, 10 * RATE, RATE, 1)


def worked_on() -> Episode:
    episode = add_recordings(new_episode(), [recording("r")], [Lane("l", "r", (0,), "Ines")]).episode
    episode = change_lane(
        episode, "l", "", voice="Ines Calder", repairs=(TreatmentUse("dehum", True, 60),), level_db=-3.0, start_frame=480
    ).episode
    return set_transcript(episode, Transcript("l", (Word("hello", 0, RATE),))).episode


def test_the_same_sound_gets_its_words_name_and_treatments_back():
    before = worked_on()
    now = add_recordings(remove_lane(before, "l").episode, [recording("new")], [Lane("m", "new", (0,), "A")]).episode
    former = former_lanes([remove_lane(before, "l").episode, before], now.recording("new"))
    assert is_worth_it(former)
    back = give_back(now, "new", former).episode
    (lane,) = back.lanes
    assert (lane.id, lane.recording, lane.voice, lane.level_db, lane.start_frame) == ("m", "new", "Ines Calder", -3.0, 480)
    assert lane.repairs == before.lanes[0].repairs and [w.text for w in back.transcript("m").words] == ["hello"]


def test_another_sound_and_one_to_which_nothing_was_done_get_nothing():
    before = worked_on()
    assert former_lanes([before], recording("new", "other")) == []
    plain = add_recordings(new_episode(), [recording("r")], [Lane("l", "r", (0,), "Ines")]).episode
    assert not is_worth_it(former_lanes([plain], recording("new")))
    split = replace(before, lanes=(replace(before.lanes[0], channels=(1,)),))
    now = add_recordings(new_episode(), [recording("new")], [Lane("m", "new", (0,), "A")]).episode
    assert give_back(now, "new", former_lanes([split], recording("new"))).episode == now, "lanes of other channels stay"


def test_recordings_of_a_folder_are_those_that_can_be_read_and_are_not_hidden(tmp_path):
    for name in ("b.wav", "a.FLAC", ".c.wav", "d.txt"):
        (tmp_path / name).write_bytes(b"")
    (tmp_path / "e.wav").mkdir()
    assert [p.name for p in recordings_in(tmp_path)] == ["a.FLAC", "b.wav"]


def test_recordings_are_put_on_one_clock_and_what_has_nothing_in_common_stays(tmp_path, speech):
    x = speech[: 18 * RATE]
    sounds = {
        "one": x, "two": np.concatenate([np.zeros(RATE, np.float32), 0.5 * x]), "three": noise(18, -20, 8),
    }  # fmt: skip
    copies, taken = WorkingCopies(tmp_path / "copies"), []
    for k, (name, y) in enumerate(sounds.items()):
        sf.write(tmp_path / f"{name}-voice.wav", y + noise(len(y) / RATE + 1, -60, k)[: len(y)], RATE)
        taken.append(import_file(tmp_path / f"{name}-voice.wav", copies, RATE))
    episode = add_recordings(new_episode(), [t.recording for t in taken], [t.lanes[0] for t in taken]).episode
    assert [lane.voice for lane in to_line_up(episode)] == ["One Voice", "Two Voice", "Three Voice"]
    results = line_up(episode, copies)
    assert results[0].found is not None and results[1].found is None and "too little sound" in results[1].texts()[0]
    done = lined_up(episode, results)
    starts = [lane.start_frame for lane in done.episode.lanes]
    assert starts[0] - starts[1] == pytest.approx(RATE, abs=RATE // 1000) and min(starts) == 0 and "Two Voice" in done.title
    assert line_up(replace(episode, lanes=episode.lanes[:1]), copies) == []


def test_speakers_that_had_lanes_of_their_own_get_them_back_each_with_their_words():
    before = set_transcript(
        worked_on(), Transcript("l", (Word("hi", 0, 900), Word("you", 9000, 9900, speaker=1)), speakers=("A", "B"))
    ).episode
    before = lanes_of_speakers(before, "l", ["a", "b"], -30.0, 100).episode
    now = add_recordings(new_episode(), [recording("new")], [Lane("m", "new", (0,), "A")]).episode
    back = give_back(now, "new", former_lanes([before], now.recording("new"))).episode
    assert [lane.voice for lane in back.lanes] == ["A", "B"] and len({lane.id for lane in back.lanes}) == 2
    assert [lane.covers for lane in back.lanes] == [lane.covers for lane in before.lanes]
    assert [[w.text for w in back.transcript(lane.id).words] for lane in back.lanes] == [["hi"], ["you"]]
