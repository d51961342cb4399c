"""The program under any sequence of cuts, moves, copies, inserts and breaks: everything stays in step, and undo gives it back."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.episode.balance_settings import Bed
from dubbin.core.episode.commands.arrangement import (
    copy_stretches,
    insert_break,
    insert_recording,
    move_stretches,
    place_at,
    remove_placed,
)
from dubbin.core.episode.commands.balance import put_under
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.cuts import cut_stretch, put_back, put_back_all, set_end, set_start, toggle_split
from dubbin.core.episode.commands.lanes import remove_lane
from dubbin.core.episode.commands.recordings import nudge
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.history import History
from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut, Episode, Lane, PlacedKind, Recording
from dubbin.core.episode.stretches import merged, without
from dubbin.core.episode.time_map import moved_away, program_map, session_map
from dubbin.core.mix.program import Program, SessionMix
from dubbin.core.sound.source import Sound

LENGTH = 20_000
frames = st.integers(0, LENGTH)
stretches = st.tuples(frames, frames).filter(lambda s: s[0] != s[1]).map(sorted)


def episode() -> Episode:
    recordings = (Recording("r", "/tmp/a.wav", "f", LENGTH, 48000, 1), Recording("s", "/tmp/b.wav", "g", LENGTH, 48000, 1))
    return replace(new_episode(), recordings=recordings, lanes=(Lane("l", "r", (0,), "Ines"), Lane("m", "s", (0,), "Tobias")))


ACTS = st.one_of(
    st.tuples(st.just("cut"), stretches),
    st.tuples(st.just("back"), st.integers(0, 20)),
    st.tuples(st.just("move"), st.tuples(stretches, frames)),
    st.tuples(st.just("copy"), st.tuples(stretches, frames)),
    st.tuples(st.just("break"), st.tuples(frames, st.integers(1, 3000))),
    st.tuples(st.just("remove"), st.integers(0, 20)),
    st.tuples(st.just("start"), frames),
    st.tuples(st.just("end"), frames),
)


def act(now: Episode, kind: str, value, number: int) -> Change:
    id = f"p{number}"
    if kind == "cut":
        return cut_stretch(now, *value)
    if kind == "back":
        return put_back(now, now.cuts[value % len(now.cuts)]) if now.cuts else put_back_all(now)
    if kind in ("move", "copy"):
        heard = program_map(now)
        (a, b), at = value
        first, last = heard.to_program_or_next(a), heard.to_program_or_next(b)
        parts = heard.stretches_between(min(first, last), max(first, last))
        change = move_stretches if kind == "move" else copy_stretches
        return change(now, parts, at, id)
    if kind == "break":
        return insert_break(now, value[0], value[1], id)
    if kind == "remove":
        return remove_placed(now, now.placed[value % len(now.placed)].id if now.placed else "none")
    return (set_start if kind == "start" else set_end)(now, value)


def check(now: Episode) -> None:
    heard = program_map(now)
    assert heard.program_frames == sum(s.frames for s in heard.spans)
    assert all(a.program + a.frames == b.program for a, b in pairwise(heard.spans))
    copies = {p.id for p in now.placed if p.kind is PlacedKind.COPY}
    first = sorted((s.start, s.end) for s in heard.spans if s.placed not in copies)
    assert all(a[1] <= b[0] for a, b in pairwise(first)), "nothing is heard twice but copies"
    # What is neither cut nor moved is heard at its place; what is moved and not cut is heard too.
    expected = sum(b - a for a, b in without(0, LENGTH, merged(now.cuts)))
    inside = sum(b - a for a, b in first if a < PARKED_FROM_FRAME)
    assert inside == expected
    for frame in range(0, LENGTH, 997):
        at = heard.to_program(frame)
        if at is not None:
            assert heard.to_session(at) == frame
        is_cut = any(c.start_frame <= frame < c.end_frame for c in now.cuts)
        assert at is None or not is_cut or any(s.placed in copies for s in heard.spans)
    many = heard.many_to_program(np.arange(0, LENGTH, 991))
    for frame, at in zip(range(0, LENGTH, 991), many, strict=True):
        assert at == (heard.to_program(frame) if any(a <= frame < b for a, b in first) else -1)


@given(st.lists(ACTS, max_size=12))
@settings(deadline=None, max_examples=60)
def test_any_sequence_keeps_every_frame_where_it_belongs_and_undo_gives_all_back(sequence):
    history = History(episode())
    states = [(history.episode, program_map(history.episode).spans)]
    for number, (kind, value) in enumerate(sequence):
        if history.do(act(history.episode, kind, value, number)):
            check(history.episode)
            states.append((history.episode, program_map(history.episode).spans))
    for before, spans in reversed(states[:-1]):
        history.undo()
        assert history.episode == before and program_map(history.episode).spans == spans


@given(st.lists(ACTS, max_size=8))
@settings(deadline=None, max_examples=25)
def test_all_lanes_stay_in_step(sequence):
    now = episode()
    for number, (kind, value) in enumerate(sequence):
        now = act(now, kind, value, number).episode
    count = np.arange(LENGTH, dtype=np.float32) / LENGTH
    heard = program_map(now)
    sounds = {"l": Sound(count[None], 48000), "m": Sound(count[None], 48000)}
    alone = [Program(SessionMix(replace(now, lanes=(lane,)), sounds), heard, 0.0) for lane in now.lanes]
    a, b = (p.read(0, heard.program_frames)[0] for p in alone)
    assert np.array_equal(a, b)
    for span in heard.spans:
        expected = count[span.start : span.end] if span.start < PARKED_FROM_FRAME else np.zeros(span.frames, np.float32)
        assert np.array_equal(a[span.program : span.program + span.frames], expected)


def test_what_is_moved_goes_back_when_it_is_taken_out():
    now = move_stretches(episode(), [(5000, 8000)], 1000, "m").episode
    assert program_map(now).stretches_between(0, 5000) == [(0, 1000), (5000, 8000), (1000, 2000)]
    assert moved_away(now) == [(5000, 8000)] and session_map(now).program_frames == LENGTH
    assert program_map(remove_placed(now, "m").episode).spans == program_map(episode()).spans


def test_a_take_that_is_cut_can_be_heard_as_a_patch():
    now = cut_stretch(episode(), 4000, 9000).episode
    now = copy_stretches(now, [(5000, 5500)], 12_000, "c").episode
    heard = program_map(now)
    assert heard.to_program(5200) == 12_000 - 5000 + 200 and heard.to_program(4200) is None


def test_an_insert_brings_its_lane_and_takes_it_along():
    recording = Recording("i", "/tmp/i.wav", "h", 3000, 48000, 2)
    now = insert_recording(episode(), recording, [Lane("n", "i", (0, 1), "Intro")], 0, "p", "Intro").episode
    assert now.frames == LENGTH and program_map(now).program_frames == LENGTH + 3000
    assert now.lane("n").is_insert and program_map(now).spans[0].start == now.lane("n").start_frame
    for gone in (remove_placed(now, "p").episode, remove_lane(now, "n").episode):
        assert gone.placed == () and len(gone.lanes) == 2 and len(gone.recordings) == 2


@pytest.mark.parametrize("put", [move_stretches, copy_stretches])
def test_what_was_moved_out_of_the_end_goes_with_the_lane_that_was_longer_and_comes_back_with_it(put):
    longer = Recording("x", "/tmp/x.wav", "h", LENGTH + 4000, 48000, 1)
    one = episode()
    one = replace(one, recordings=(*one.recordings, longer), lanes=(*one.lanes, Lane("x", "x", (0,), "Guest")))
    now = put(one, [(LENGTH - 500, LENGTH + 500)], 1000, "m").episode
    now = put(now, [(LENGTH + 1000, LENGTH + 2000)], 2000, "n").episode
    assert program_map(now).stretches_between(900, 1100) == [(900, 1000), (LENGTH - 500, LENGTH - 400)]
    shorter = remove_lane(now, "x").episode
    heard = program_map(shorter).spans
    assert all(span.end <= LENGTH for span in heard) and [(s.start, s.end) for s in heard if s.placed] == [(LENGTH - 500, LENGTH)]
    assert replace(shorter, recordings=now.recordings, lanes=now.lanes) == now


def test_a_nudge_before_the_beginning_moves_everything_that_is_anchored_but_inserts():
    now = insert_break(episode(), 5000, 1000, "b").episode
    now = toggle_split(cut_stretch(now, 100, 200).episode, 300).episode
    moved = nudge(now, "l", -50).episode
    assert moved.cuts == (Cut(150, 250),) and moved.splits == (350,)
    assert moved.placed[0].at_frame == 5050 and moved.placed[0].pieces == now.placed[0].pieces


def test_what_lay_under_the_program_before_its_beginning_comes_back_into_the_session_from_zero_on():
    one = episode()
    now = put_under(one, one.lanes[1].id, Bed(1000)).episode
    now = cut_stretch(nudge(now, one.lanes[1].id, -700).episode, 1000, 2000).episode
    assert now.frames == LENGTH and now.cuts[0].start_frame == 1000, "the session stays where it is"
    back = put_under(now, one.lanes[1].id, None).episode
    assert [lane.start_frame for lane in back.lanes] == [700, 0] and (back.cuts[0].start_frame, back.frames) == (1700, LENGTH + 700)


@pytest.mark.parametrize("discard", [False, True])
def test_undo_outlives_the_program(tmp_path, discard):
    document = Document(tmp_path, episode())
    for k in range(4):
        document.do(cut_stretch(document.episode, 1000 * k, 1000 * k + 100))
    document.undo()
    document.save(tmp_path / "e.dubbin")
    if discard:
        document.do(cut_stretch(document.episode, 9000, 9100))
    document.close()
    again = Document.opened(tmp_path, tmp_path / "e.dubbin")
    assert len(again.history.done) == (0 if discard else 3)
    if not discard:
        again.go_to(1)
        assert [c.start_frame for c in again.episode.cuts] == [0]
        again.go_to(3)
        assert again.episode == document.episode and again.redo() is not None
    again.close()


def test_what_is_put_in_at_the_end_leaves_nothing_of_the_session_behind_it():
    recording = Recording("i", "/tmp/i.wav", "h", 3000, 48000, 2)
    outro = insert_recording(episode(), recording, [Lane("n", "i", (0, 1), "Outro")], LENGTH - 1, "p", "Outro").episode
    assert [(s.end - s.start, s.placed) for s in program_map(outro).spans] == [(LENGTH, None), (3000, "p")]
    ended = insert_break(set_end(episode(), 15_000).episode, 14_999, 1000, "b").episode
    assert program_map(ended).stretches_between(0, 15_000) == [(0, 15_000)]
    before_a_seam = copy_stretches(cut_stretch(episode(), 4000, 9000).episode, [(0, 100)], 3999, "c").episode
    assert [s.frames for s in program_map(before_a_seam).spans] == [4000, 100, LENGTH - 9000]


def test_what_is_put_in_while_the_head_stands_in_an_insert_is_heard_behind_that():
    now = insert_break(episode(), 5000, 1000, "b").episode
    inside = now.placed[0].pieces[0].start_frame + 500
    now = insert_break(now, inside, 700, "c").episode
    assert [(s.frames, s.placed) for s in program_map(now).spans] == [(5000, None), (1000, "b"), (700, "c"), (LENGTH - 5000, None)]
    assert place_at(now, "b", inside).episode.placed == now.placed
