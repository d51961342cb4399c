"""What holds of every episode, whatever was done to it: asked by tests that do anything in any order."""

from __future__ import annotations

from itertools import pairwise

from dubbin.core.episode.model import PARKED_FROM_FRAME, Episode, PlacedKind
from dubbin.core.episode.time_map import program_map, session_map


def the_program_is_its_spans(episode: Episode) -> None:
    found = program_map(episode)
    at = 0
    for span in found.spans:
        assert span.start < span.end and span.program == at and span.start >= 0
        assert span.end <= max(episode.frames, 0) or span.start >= PARKED_FROM_FRAME, "nothing is heard that was not recorded"
        at += span.frames
    assert found.program_frames == at
    copies = {p.id for p in episode.placed if p.kind is PlacedKind.COPY}
    heard = sorted((s.start, s.end) for s in found.spans if s.placed not in copies)
    assert all(a[1] <= b[0] for a, b in pairwise(heard)), "nothing but a copy is heard twice"
    for k, span in enumerate(found.spans):
        if span.placed not in copies:
            assert found.to_program(span.start) == span.program and found.to_session(span.program) == span.start, k


def what_is_cut_is_not_heard(episode: Episode) -> None:
    copies = {p.id for p in episode.placed if p.kind is PlacedKind.COPY}  # a copy stays where its own sound is cut
    heard = [(s.start, s.end) for s in program_map(episode).spans if s.placed not in copies]
    for cut in episode.cuts:
        assert cut.start_frame < cut.end_frame
        assert not any(a < cut.end_frame and cut.start_frame < b for a, b in heard)
    assert [c.start_frame for c in episode.cuts] == sorted(c.start_frame for c in episode.cuts)


def lanes_stay_in_step(episode: Episode, first: Episode) -> None:
    """first: the episode as it was before anything was done to it."""
    session = {lane.id for lane in first.lanes}
    assert all(lane.start_frame >= 0 for lane in episode.lanes if lane.id in session and lane.bed is None)
    assert {lane.recording for lane in episode.lanes} == {r.id for r in episode.recordings}
    assert len({lane.id for lane in episode.lanes}) == len(episode.lanes) and session_map(episode).program_frames >= 0


def words_lie_where_they_were_said(episode: Episode, first: Episode) -> None:
    said = {t.lane: t for t in first.transcripts}
    for transcript in episode.transcripts:
        starts = [w.start_frame for w in transcript.words]
        assert starts == sorted(starts) and set(starts) <= {w.start_frame for w in said[transcript.lane].words}


def marks_are_in_order_and_on_the_clock(episode: Episode) -> None:
    assert list(episode.markers) == sorted(episode.markers) and list(episode.splits) == sorted(set(episode.splits))
    assert all(m.frame >= 0 for m in episode.markers)


def levels_are_figures_that_can_be_heard(episode: Episode) -> None:
    for lane in episode.lanes:
        assert -100 <= lane.pan <= 100 and lane.level_db <= 60 and lane.fade_in_frames >= 0 and lane.fade_out_frames >= 0
        assert [p.frame for p in lane.line] == sorted(p.frame for p in lane.line)
        covered = [(c.start_frame, c.end_frame) for c in lane.covers]
        assert all(start < end for start, end in covered) and covered == sorted(covered)


def all_holds(episode: Episode, first: Episode) -> None:
    the_program_is_its_spans(episode)
    what_is_cut_is_not_heard(episode)
    lanes_stay_in_step(episode, first)
    words_lie_where_they_were_said(episode, first)
    marks_are_in_order_and_on_the_clock(episode)
    levels_are_figures_that_can_be_heard(episode)
