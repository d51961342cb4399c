"""The model: time maps, commands and history, file and journal."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.commands.cuts import (
    cut_pause,
    cut_stretch,
    put_back,
    set_pauses,
)
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.history import History
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.episode.model import Cut, CutKind, Episode, FrameRange, Lane, Recording
from dubbin.core.episode.stretches import merged
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import BadEpisode
from dubbin.core.speech.pauses import Pause

LENGTH = 100_000


def episode(**fields) -> Episode:
    recording = Recording("r", "/tmp/a.wav", "f", LENGTH, 48000, 1)
    return replace(new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "Ines"),), **fields)


frames = st.integers(0, LENGTH)
stretches = st.tuples(frames, frames).filter(lambda s: s[0] != s[1]).map(sorted)


@given(st.lists(stretches, max_size=12), st.lists(frames, min_size=1, max_size=20))
def test_program_time_and_session_time_are_inverse(cuts, places):
    start = episode(cuts=tuple(Cut(a, b) for a, b in cuts))
    time_map = program_map(start)
    gone = sum(b - a for a, b in merged(start.cuts))
    assert time_map.program_frames == LENGTH - gone
    for place in places:
        at = time_map.to_program(place)
        is_cut = any(a <= place < b for a, b in cuts) or place >= LENGTH
        assert (at is None) == is_cut
        if at is not None:
            assert time_map.to_session(at) == place


@given(st.lists(stretches, max_size=12), frames, frames)
def test_order_is_kept_by_the_program(cuts, a, b):
    time_map = program_map(episode(cuts=tuple(Cut(*c) for c in cuts)))
    low, high = sorted((a, b))
    assert time_map.to_program_or_next(low) <= time_map.to_program_or_next(high)


def test_a_drag_is_one_step_and_the_next_drag_another():
    history = History(episode())
    for level in (1.0, 2.0, 3.0):
        history.do(set_level(history.episode, "l", level))
    history.end_merge()
    history.do(set_level(history.episode, "l", 4.0))
    assert len(history.done) == 2
    history.undo()
    assert history.episode.lanes[0].level_db == 3.0


def test_a_pause_that_was_put_back_stays_whatever_the_settings():
    pause = Pause(0.5, 1.5, 0.6, 1.4)
    start = set_pauses(episode(), episode().pauses, [pause], on=True).episode
    assert [c.kind for c in start.cuts] == [CutKind.PAUSE]
    kept = put_back(start, start.cuts[0]).episode
    wider = Pause(0.5, 1.5, 0.55, 1.45)
    again = set_pauses(kept, replace(kept.pauses, leave_after_s=0.05), [wider], on=True).episode
    assert again.cuts == ()
    assert cut_pause(again, wider).episode.kept_pauses == ()


def test_hand_cuts_survive_a_change_of_the_pauses():
    start = cut_stretch(episode(), 1000, 2000).episode
    after = set_pauses(start, start.pauses, [Pause(1, 2, 1.1, 1.9)], on=True).episode
    assert Cut(1000, 2000) in after.cuts and len(after.cuts) == 2
    assert set_pauses(after, after.pauses, [], on=False).episode.cuts == start.cuts


def test_saved_and_loaded_is_the_same(tmp_path):
    whole = episode(cuts=(Cut(5, 10, CutKind.PAUSE),), kept_pauses=(FrameRange(1, 2),))
    inside = replace(whole, recordings=(replace(whole.recordings[0], path=str(tmp_path / "sub" / "a.wav")),))
    save_episode(inside, tmp_path / "e.dubbin")
    assert load_episode(tmp_path / "e.dubbin") == inside
    assert '"sub/a.wav"' in (tmp_path / "e.dubbin").read_text()


@pytest.mark.parametrize("text", ["", "{", "[]", '{"schema": "other"}', '{"schema": "dubbin-episode", "version": 99}',
                                  '{"schema": "dubbin-episode", "version": 1, "episode": {"id": 5}}'])  # fmt: skip
def test_a_wrong_episode_file_is_said_in_a_sentence(tmp_path, text):
    path = tmp_path / "e.dubbin"
    path.write_text(text)
    with pytest.raises(BadEpisode, match=r"\.$"):
        load_episode(path)


def test_after_a_crash_everything_is_there(tmp_path):
    document = Document(tmp_path, episode())
    document.do(cut_stretch(document.episode, 10, 20))
    document.do(cut_stretch(document.episode, 30, 40))
    document.undo()
    document.do(set_level(document.episode, "l", 3.0))
    document._journal.abandon()
    with open(document._journal.path, "ab") as f:
        f.write(b'{"kind": "do", "half')  # the crash tore the last line
    (item,) = left_over(tmp_path)
    assert item.steps == 4 and item.last_step.startswith("Level")
    again = Document.recovered(tmp_path, item)
    assert again.episode == document.episode
    assert [s.title for s in again.history.done] == [s.title for s in document.history.done]
    again.close()


def test_a_closed_or_living_episode_leaves_nothing_over(tmp_path):
    document = Document(tmp_path, episode())
    document.do(cut_stretch(document.episode, 10, 20))
    assert left_over(tmp_path) == []  # alive
    document.close()
    assert left_over(tmp_path) == []


def test_a_preview_is_no_step(tmp_path):
    document, seen = Document(tmp_path, episode()), []
    document.listen(lambda before, after: seen.append(after))
    document.preview(set_level(document.episode, "l", 5.0).episode)
    assert document.episode.lanes[0].level_db == 5.0 and not document.history.done
    document.end_preview()
    assert document.episode.lanes[0].level_db == 0.0 and len(seen) == 2
    document.close()
