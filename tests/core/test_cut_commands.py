"""Each command on cuts, to the frame: what it leaves, how its step is called, and what drags join."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.commands import cuts
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut, CutKind, Episode, FrameRange, Lane, Recording
from dubbin.core.episode.stretches import union, without
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.speech.pauses import Pause, PauseSettings
from dubbin.core.speech.transcript import Transcript, Word, WordKind

RATE = 48000
LENGTH = 100 * RATE
HAND, PAUSE, FILLER = CutKind.HAND, CutKind.PAUSE, CutKind.FILLER


def seconds(*pairs: tuple[float, float], kind: CutKind = HAND) -> tuple[Cut, ...]:
    return tuple(Cut(round(a * RATE), round(b * RATE), kind) for a, b in pairs)


def in_order(*made: Cut) -> tuple[Cut, ...]:
    return tuple(sorted(made, key=lambda c: (c.start_frame, c.end_frame, c.kind)))


@pytest.fixture
def episode() -> Episode:
    """A hundred seconds of one voice."""
    recording = Recording("r", "/a.wav", "f", LENGTH, RATE, 1)
    return replace(new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "Ines"),))


def pause(start: float, end: float) -> Pause:
    return Pause(start - 0.1, end + 0.1, start, end)


class TestCutting:
    def test_several_are_one_step_in_the_order_of_the_session(self, episode):
        change = cuts.cut_stretches(episode, [(8 * RATE, 9 * RATE), (RATE, 2 * RATE), (RATE, 2 * RATE)])
        assert change.title == "Cut 3.00 s" and change.episode.cuts == seconds((1, 2), (8, 9))
        assert cuts.cut_stretches(episode, [(0, RATE)], FILLER, "Cut “um”").title == "Cut “um”"
        assert cuts.cut_stretches(episode, [(0, RATE)], FILLER).episode.cuts == seconds((0, 1), kind=FILLER)

    def test_only_what_was_recorded_is_cut(self, episode):
        change = cuts.cut_stretches(episode, [(-RATE, RATE), (99 * RATE, 200 * RATE), (300 * RATE, 400 * RATE), (5 * RATE, 5 * RATE)])
        assert change.episode.cuts == seconds((0, 1), (99, 100)) and change.title == "Cut 2.00 s"

    def test_what_was_put_in_lies_elsewhere_and_is_cut_there(self, episode):
        at = PARKED_FROM_FRAME
        assert cuts.cut_stretch(episode, at, at + 10).episode.cuts == (Cut(at, at + 10),)

    def test_nothing_is_no_step(self, episode):
        for stretches in ([], [(5, 5)], [(9, 3)], [(200 * RATE, 300 * RATE)]):
            change = cuts.cut_stretches(episode, stretches)
            assert change.title == "Cut nothing" and change.episode is episode


class TestPuttingBack:
    def test_one_and_the_others_stay(self, episode):
        cut = cuts.cut_stretches(episode, [(RATE, 2 * RATE), (4 * RATE, 7 * RATE)]).episode
        change = cuts.put_back(cut, cut.cuts[1])
        assert change.title == "Put back 3.00 s" and change.episode.cuts == seconds((1, 2)) and change.episode.kept_pauses == ()

    def test_a_pause_is_kept_from_then_on_beside_those_before(self, episode):
        kept = FrameRange(50 * RATE, 51 * RATE)
        before = replace(episode, kept_pauses=(kept,), cuts=seconds((1, 2), kind=PAUSE))
        change = cuts.put_back(before, before.cuts[0])
        assert change.episode.cuts == () and change.episode.kept_pauses == (FrameRange(RATE, 2 * RATE), kept)

    def test_many_are_one_step_and_only_pauses_are_kept(self, episode):
        before = replace(episode, cuts=(*seconds((1, 2), kind=PAUSE), *seconds((4, 5)), *seconds((7, 8), kind=FILLER)))
        change = cuts.put_back_many(before, before.cuts[:2], "Put back 2 cuts")
        assert change.title == "Put back 2 cuts" and change.episode.cuts == before.cuts[2:]
        assert change.episode.kept_pauses == (FrameRange(RATE, 2 * RATE),)
        earlier = replace(before, kept_pauses=(FrameRange(0, 5),))
        assert cuts.put_back_many(earlier, [], "x").episode == earlier

    def test_all_of_it(self, episode):
        before = replace(episode, cuts=seconds((1, 2)), pauses_on=True, kept_pauses=(FrameRange(0, 5),))
        change = cuts.put_back_all(before)
        assert change.title == "Put back all cuts" and change.merge_key is None
        assert (change.episode.cuts, change.episode.pauses_on, change.episode.kept_pauses) == ((), False, ())


class TestEdges:
    def test_a_moved_cut_is_one_made_by_hand_and_a_drag_is_one_step(self, episode):
        before = replace(episode, cuts=(*seconds((1, 2), kind=FILLER), *seconds((5, 6))))
        change = cuts.move_cut_edges(before, before.cuts[0], round(0.5 * RATE), 3 * RATE)
        assert change.episode.cuts == seconds((0.5, 3), (5, 6)) and change.title == "Move the edge of a cut"
        assert change.merge_key == "edge filler" and change.episode.kept_pauses == ()

    def test_a_pause_that_was_moved_is_not_found_a_second_time(self, episode):
        kept = FrameRange(50 * RATE, 51 * RATE)
        before = replace(episode, cuts=seconds((1, 2), kind=PAUSE), kept_pauses=(kept,))
        after = cuts.move_cut_edges(before, before.cuts[0], RATE, round(1.5 * RATE)).episode
        assert after.cuts == seconds((1, 1.5)) and after.kept_pauses == (FrameRange(RATE, 2 * RATE), kept)
        assert cuts.pause_cuts(after, [pause(1, 2)]) == []

    def test_edges_stay_on_what_was_recorded(self, episode):
        before = replace(episode, cuts=seconds((1, 2)))
        assert cuts.move_cut_edges(before, before.cuts[0], -5, LENGTH + 5).episode.cuts == (Cut(0, LENGTH),)
        parked = replace(episode, cuts=(Cut(PARKED_FROM_FRAME, PARKED_FROM_FRAME + 10),))
        moved = cuts.move_cut_edges(parked, parked.cuts[0], PARKED_FROM_FRAME, PARKED_FROM_FRAME + 7).episode
        assert moved.cuts == (Cut(PARKED_FROM_FRAME, PARKED_FROM_FRAME + 7),)

    @pytest.mark.parametrize("end", [RATE, RATE - 1])
    def test_edges_that_meet_put_it_back(self, episode, end):
        before = replace(episode, cuts=seconds((1, 2)))
        change = cuts.move_cut_edges(before, before.cuts[0], RATE, end)
        assert change.episode.cuts == () and change.title == "Put back 1.00 s"


class TestPauses:
    def test_all_are_cut_but_those_that_were_put_back_and_what_is_cut_by_hand_stays(self, episode):
        before = replace(episode, cuts=seconds((30, 31)), kept_pauses=(FrameRange(10 * RATE, 11 * RATE),))
        settings = replace(PauseSettings(), longer_than_s=0.9)
        change = cuts.set_pauses(before, settings, [pause(5, 6), pause(10, 11)], on=True)
        assert change.title == "Cut all pauses" and change.merge_key is None
        assert change.episode.cuts == (*seconds((5, 6), kind=PAUSE), *seconds((30, 31)))
        assert change.episode.pauses_on and change.episode.pauses == settings and change.episode.kept_pauses == before.kept_pauses

    def test_off_puts_them_back_and_nothing_else(self, episode):
        before = replace(episode, cuts=(*seconds((5, 6), kind=PAUSE), *seconds((30, 31))), pauses_on=True)
        change = cuts.set_pauses(before, before.pauses, [pause(5, 6)], on=False)
        assert change.title == "Put back all pauses" and change.episode.cuts == seconds((30, 31)) and not change.episode.pauses_on

    def test_one_is_cut_although_it_was_put_back_before(self, episode):
        kept = (FrameRange(5 * RATE, 6 * RATE), FrameRange(50 * RATE, 51 * RATE))
        change = cuts.cut_pause(replace(episode, kept_pauses=kept, cuts=seconds((30, 31))), pause(5, 6))
        assert change.title == "Cut a pause of 1.00 s" and change.episode.kept_pauses == kept[1:]
        assert change.episode.cuts == (*seconds((5, 6), kind=PAUSE), *seconds((30, 31)))

    @pytest.mark.parametrize(
        ("kept", "is_cut"), [((5.0, 5.5), True), ((5.0, 5.51), False), ((5.6, 9.0), True), ((5.4, 9.0), False), ((6.0, 7.0), True)]
    )
    def test_a_pause_is_the_one_that_was_put_back_where_they_share_more_than_half(self, episode, kept, is_cut):
        """Of the shorter of both."""
        longer = (
            FrameRange(round(kept[0] * RATE) - RATE * 3, round(kept[1] * RATE))
            if kept[0] == 5.0
            else FrameRange(*(round(k * RATE) for k in kept))
        )
        found = cuts.pause_cuts(replace(episode, kept_pauses=(longer,)), [pause(5, 6)])
        assert bool(found) == is_cut

    def test_they_end_with_the_session(self, episode):
        assert cuts.pause_cuts(episode, [pause(99, 104), pause(101, 102)]) == list(seconds((99, 100), kind=PAUSE))

    def test_none_touches_a_word_of_any_voice_wherever_its_recording_begins(self, episode):
        other = Recording("s", "/b.wav", "g", LENGTH, RATE, 1)
        words = Transcript("m", (Word("late", 2 * RATE, 3 * RATE), Word("breath", 6 * RATE, 7 * RATE, WordKind.SOUND)))
        before = replace(
            episode,
            recordings=(*episode.recordings, other),
            lanes=(*episode.lanes, Lane("m", "s", (0,), "Tobias", start_frame=RATE)),
            transcripts=(words,),
            cuts=(*seconds((1.9, 3.1), kind=PAUSE), *seconds((6.5, 8.5), kind=PAUSE), *seconds((2.5, 3.5))),
        )
        after = cuts.pauses_beside_words(before)
        assert [c for c in after.cuts if c.kind is HAND] == [*seconds((2.5, 3.5))]
        assert [c for c in after.cuts if c.kind is PAUSE] == [*seconds((1.9, 3.0), kind=PAUSE), *seconds((6.5, 8.5), kind=PAUSE)]

    def test_stretches_are_kept_beside_those_before(self, episode):
        before = replace(episode, kept_pauses=(FrameRange(9, 12),))
        assert cuts.keep_pauses(before, [FrameRange(1, 3), FrameRange(9, 12)]).kept_pauses == (FrameRange(1, 3), FrameRange(9, 12))


class TestEnds:
    def test_the_program_has_one_beginning_and_one_end_and_other_cuts_stay(self, episode):
        before = replace(episode, cuts=(*seconds((0, 1), kind=FILLER), *seconds((30, 31)), *seconds((98, 100), kind=FILLER)))
        first = cuts.set_start(before, 5 * RATE)
        assert first.title == "Set the start of the program"
        assert first.episode.cuts == (*seconds((0, 1), kind=FILLER), *seconds((0, 5), (30, 31)), *seconds((98, 100), kind=FILLER))
        assert cuts.set_start(first.episode, 3 * RATE).episode.cuts == in_order(*before.cuts, *seconds((0, 3)))
        assert cuts.set_start(first.episode, 0).episode.cuts == before.cuts == cuts.set_start(first.episode, -9).episode.cuts
        last = cuts.set_end(before, 90 * RATE)
        assert last.title == "Set the end of the program" and seconds((90, 100))[0] in last.episode.cuts
        assert cuts.set_end(last.episode, 95 * RATE).episode.cuts == in_order(*before.cuts, *seconds((95, 100)))
        assert cuts.set_end(last.episode, LENGTH).episode.cuts == before.cuts == cuts.set_end(last.episode, LENGTH + 9).episode.cuts

    def test_beyond_the_session_all_is_cut(self, episode):
        assert cuts.set_start(episode, 2 * LENGTH).episode.cuts == (Cut(0, LENGTH),) == cuts.set_end(episode, -5).episode.cuts

    def test_an_empty_session_has_no_ends(self):
        assert cuts.set_start(new_episode(), 5).episode.cuts == () == cuts.set_end(new_episode(), -5).episode.cuts


class TestSplits:
    def test_there_and_gone_again_in_order(self, episode):
        one = cuts.toggle_split(episode, 5 * RATE)
        two = cuts.toggle_split(one.episode, 2 * RATE)
        assert (one.title, two.episode.splits) == ("Split", (2 * RATE, 5 * RATE))
        gone = cuts.toggle_split(two.episode, 5 * RATE)
        assert (gone.title, gone.episode.splits) == ("Join at a split", (2 * RATE,))

    def test_on_the_session(self, episode):
        assert cuts.toggle_split(episode, -5).episode.splits == (0,) and cuts.toggle_split(episode, 2 * LENGTH).episode.splits == (LENGTH,)


# -- the map of the program ---------------------------------------------------------------

spans = st.lists(st.tuples(st.integers(0, 500), st.integers(1, 60), st.sampled_from([None, None, "copy", "moved"])), max_size=8)


def laid(parts) -> TimeMap:
    """Stretches of a session that do not overlap but for copies, in any order."""
    out, at = [], 0
    for gap, frames, placed in parts:
        start = at + gap
        out.append((start, start + frames, placed))
        at = start + frames
    out.sort(key=lambda s: (s[1] * 7919) % 101)  # as after moves
    copies = [(max(a - 3, 0), b, "copy") for a, b, p in out if p == "copy"]
    return TimeMap([*((a, b, p) for a, b, p in out if p != "copy"), *copies], frozenset({"copy"}))


@given(spans)
def test_many_frames_at_once_are_as_one_at_a_time(parts):
    found = laid(parts)
    session, program = np.arange(-5, 700), np.arange(0, found.program_frames + 20)
    assert found.many_to_session(program).tolist() == [found.to_session(int(f)) for f in program]
    own = sorted((s for s in found.spans if s.placed != "copy"), key=lambda s: s.start)
    copies = [s for s in found.spans if s.placed == "copy"]
    for f, at, after in zip(
        session.tolist(), found.many_to_program(session).tolist(), found.many_to_program_or_next(session).tolist(), strict=True
    ):
        heard = next((s.program + f - s.start for s in own if s.start <= f < s.end), None)
        following = next((s.program for s in own if s.start > f), found.program_frames)
        assert at == (-1 if heard is None else heard) and after == (following if heard is None else heard)
        copied = next((s.program + f - s.start for s in copies if s.start <= f < s.end), None)
        assert found.to_program(f) == (copied if heard is None else heard)
        assert found.to_program_or_next(f) == (following if found.to_program(f) is None else found.to_program(f))


def test_stretches_that_are_neighbours_again_are_joined_and_others_are_not():
    """As where something was moved into its own neighbourhood."""
    found = TimeMap([(100, 200), (200, 300, "moved"), (300, 400), (50, 60), (60, 70), (500, 510)])
    assert found.stretches_between(0, 330) == [(100, 400), (50, 70), (500, 510)]
    assert found.stretches_between(150, 305) == [(250, 400), (50, 55)] and found.stretches_between(310, 310) == []
    assert found.seams() == [300, 320]


def test_stretches_that_touch_are_one_and_what_lies_outside_is_left():
    assert union([(5, 9), (0, 3), (3, 5), (20, 30), (21, 22)]) == [(0, 9), (20, 30)]
    assert without(10, 20, [(0, 10), (12, 14), (20, 30)]) == [(10, 12), (14, 20)]
    assert without(10, 20, [(0, 5), (5, 12), (18, 25)]) == [(12, 18)] and without(10, 20, [(10, 20)]) == [] == without(10, 20, [(0, 40)])


@given(spans, st.integers(0, 600), st.integers(0, 600))
def test_what_is_heard_between_two_frames(parts, start, stop):
    found = laid(parts)
    heard = [f for a, b in found.stretches_between(start, stop) for f in range(a, b)]
    program = range(max(start, 0), min(stop, found.program_frames))
    assert heard == [found.to_session(f) for f in program]
    pieces = found.stretches_between(start, stop)
    assert all(a < b for a, b in pieces) and all(x[1] != y[0] for x, y in pairwise(pieces)), "neighbours are joined"
    between = found.spans_between(start, stop)
    overlapping = [k for k, s in enumerate(found.spans) if s.program < stop and s.program + s.frames > start]
    assert [k for k in between if k in overlapping] == overlapping
    assert len(between) - len(overlapping) <= 1, "past the end the last one is named"


@given(spans)
def test_seams_know_what_lies_on_both_sides(parts):
    found = laid(parts)
    expected = {b.program: (a.end, b.start) for a, b in pairwise(found.spans) if a.end != b.start}
    assert found.seams() == list(expected) == found.seam_lengths[0].tolist()
    for at, sides in expected.items():
        assert found.seam_frames(at) == sides and found.seam_frames(at + 1) in (None, expected.get(at + 1))
    assert found.seam_frames(0) is None
    assert found.seam_lengths[1].tolist() == [max(after - before, 0) for before, after in expected.values()]


def test_an_empty_program_is_asked_like_any_other():
    empty = TimeMap([])
    assert (
        empty.to_session(7) == 0
        and empty.to_program(7) is None
        and empty.to_program_or_next(7) == 0
        and list(empty.spans_between(0, 9)) == []
    )
    for many in (empty.many_to_session, empty.many_to_program_or_next):
        assert many(np.array([3, 4])).tolist() == [0, 0]
    none = empty.many_to_program(np.array([3, 4]))
    assert none.tolist() == [-1, -1] and none.dtype == np.int64
    assert empty.seams() == [] == empty.seam_lengths[0].tolist() and empty.seam_frames(0) is None
