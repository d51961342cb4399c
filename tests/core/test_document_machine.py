"""All that can be done to an episode, in any order, with undo, saving, closing, crashes and recovery in between; after each step what must hold, holds.

`DUBBIN_SOAK=N` has it go on for N times as many runs.
"""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import replace
from pathlib import Path

from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from dubbin.core.episode.balance_settings import Bed
from dubbin.core.episode.commands import arrangement, balance, cuts, delivery, lanes, markers, recordings, seams, treatments, words
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.episode.model import (
    Cover,
    CoverKind,
    CutKind,
    Episode,
    Lane,
    Recording,
    Role,
    SeamShape,
)
from dubbin.core.speech.pauses import Pause
from tests.conftest import MUTANTS, SOAK
from tests.core.holds import all_holds
from tests.core.machine_episode import LENGTH, RATE, first_episode

FRAME = st.one_of(st.integers(-RATE, LENGTH + RATE), st.sampled_from([0, 1, LENGTH - 1, LENGTH, 10 * RATE, 10 * RATE + 1, 20 * RATE]))
FRAMES = st.integers(1, 8 * RATE)
TEXT = st.text(st.characters(exclude_categories=["Cs"]), max_size=12)
PICK = st.integers(0, 1000)


FIRST = first_episode()
PAUSES = [Pause(4.0 * k + 0.55, 4.0 * k + 0.95, 4.0 * k + 0.6, 4.0 * k + 0.9) for k in range(12)]


class DocumentMachine(RuleBasedStateMachine):
    """The document against a list of the states that it went through."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp(prefix="dubbin-machine-"))
        self.path = self.folder / "e.dubbin"
        save_episode(first_episode(), self.path)
        self.document = Document.opened(self.folder / "journals", self.path)
        self.states = [self.document.episode]
        self.ids = 0

    def teardown(self) -> None:
        self.document._journal.abandon()
        shutil.rmtree(self.folder, ignore_errors=True)

    # -- helpers --------------------------------------------------------------------------

    @property
    def episode(self) -> Episode:
        return self.document.episode

    def new_id(self) -> str:
        self.ids += 1
        return f"n{self.ids}"

    def lane(self, pick: int) -> Lane:
        return self.episode.lanes[pick % len(self.episode.lanes)]

    def do(self, change: Change) -> None:
        depth = len(self.document.history.done)
        before = self.episode
        assert before == self.states[depth]
        done = self.document.do(change)
        now = len(self.document.history.done)
        assert done == (change.episode != before) and now in ((depth, depth + 1) if done else (depth,))
        if done:
            self.states[now if now > depth else depth :] = [self.episode]
            assert self.episode == change.episode

    # -- edits ----------------------------------------------------------------------------

    @rule(start=FRAME, frames=FRAMES, kind=st.sampled_from([CutKind.HAND, CutKind.FILLER, CutKind.RETAKE]))
    def cut(self, start, frames, kind):
        self.do(cuts.cut_stretch(self.episode, start, start + frames, kind))

    @rule(starts=st.lists(FRAME, max_size=4), frames=FRAMES)
    def cut_many(self, starts, frames):
        self.do(cuts.cut_stretches(self.episode, [(s, s + frames) for s in starts]))

    @precondition(lambda self: self.episode.cuts)
    @rule(pick=PICK)
    def put_back(self, pick):
        self.do(cuts.put_back(self.episode, self.episode.cuts[pick % len(self.episode.cuts)]))

    @precondition(lambda self: self.episode.cuts)
    @rule(pick=PICK, start=FRAME, frames=FRAMES)
    def move_edges(self, pick, start, frames):
        self.do(cuts.move_cut_edges(self.episode, self.episode.cuts[pick % len(self.episode.cuts)], start, start + frames))

    @rule()
    def put_all_back(self):
        self.do(cuts.put_back_all(self.episode))

    @rule(on=st.booleans())
    def pauses(self, on):
        self.do(cuts.set_pauses(self.episode, self.episode.pauses, PAUSES, on=on))

    @rule(pick=PICK)
    def one_pause(self, pick):
        self.do(cuts.cut_pause(self.episode, PAUSES[pick % len(PAUSES)]))

    @rule(frame=FRAME)
    def start_here(self, frame):
        self.do(cuts.set_start(self.episode, frame))

    @rule(frame=FRAME)
    def end_here(self, frame):
        self.do(cuts.set_end(self.episode, frame))

    @rule(frame=FRAME)
    def split(self, frame):
        self.do(cuts.toggle_split(self.episode, frame))

    @rule(start=st.integers(0, LENGTH - 1), frames=FRAMES, to=st.integers(0, LENGTH))
    def move(self, start, frames, to):
        self.do(arrangement.move_stretches(self.episode, [(start, min(start + frames, LENGTH))], to, self.new_id()))

    @rule(start=st.integers(0, LENGTH - 1), frames=FRAMES, to=st.integers(0, LENGTH))
    def copy(self, start, frames, to):
        self.do(arrangement.copy_stretches(self.episode, [(start, min(start + frames, LENGTH))], to, self.new_id()))

    @rule(at=st.integers(0, LENGTH), frames=FRAMES, cue=st.booleans(), name=TEXT)
    def insert_break(self, at, frames, cue, name):
        self.do(arrangement.insert_break(self.episode, at, frames, self.new_id(), name, cue))

    @rule(at=st.integers(0, LENGTH), frames=FRAMES)
    def insert(self, at, frames):
        id = self.new_id()
        put = Recording(id, f"/{id}.wav", id * 4, frames, RATE, 1)
        self.do(arrangement.insert_recording(self.episode, put, [Lane(id, id, (0,), "Intro", Role.EFFECT)], at, id, "Intro"))

    @precondition(lambda self: self.episode.placed)
    @rule(pick=PICK, to=st.integers(0, LENGTH))
    def place(self, pick, to):
        item = self.episode.placed[pick % len(self.episode.placed)]
        self.do(arrangement.place_at(self.episode, item.id, to))

    @precondition(lambda self: self.episode.placed)
    @rule(pick=PICK)
    def take_out(self, pick):
        self.do(arrangement.remove_placed(self.episode, self.episode.placed[pick % len(self.episode.placed)].id))

    @rule(before=FRAME, after=FRAME, ms=st.none() | st.floats(0, 500), shape=st.sampled_from(SeamShape))
    def seam(self, before, after, ms, shape):
        self.do(seams.set_seam(self.episode, before, after, ms, shape))

    # -- marks, words, lanes, balance -----------------------------------------------------

    @rule(frame=FRAME, text=TEXT)
    def marker(self, frame, text):
        self.do(markers.add_marker(self.episode, frame, text))

    @rule(frame=FRAME, text=TEXT)
    def chapter(self, frame, text):
        self.do(markers.add_chapter(self.episode, frame, text))

    @precondition(lambda self: self.episode.markers)
    @rule(pick=PICK, frame=FRAME)
    def move_marker(self, pick, frame):
        self.do(markers.move_marker(self.episode, self.episode.markers[pick % len(self.episode.markers)], frame))

    @precondition(lambda self: self.episode.markers)
    @rule(pick=PICK)
    def remove_marker(self, pick):
        self.do(markers.remove_marker(self.episode, self.episode.markers[pick % len(self.episode.markers)]))

    @precondition(lambda self: self.episode.transcripts)
    @rule(pick=PICK, number=PICK, text=TEXT)
    def correct(self, pick, number, text):
        found = self.episode.transcripts[pick % len(self.episode.transcripts)]
        if found.words:
            self.do(words.correct_word(self.episode, found.lane, number % len(found.words), text))

    @rule(wrong=st.sampled_from(["a1", "b2", "nothing", ""]), right=TEXT)
    def correct_all(self, wrong, right):
        self.do(words.correct_everywhere(self.episode, wrong, right))

    @rule(pick=PICK, name=TEXT)
    def name(self, pick, name):
        self.do(lanes.name_voice(self.episode, self.lane(pick).id, name))

    @rule(
        pick=PICK,
        start=st.integers(0, LENGTH - 1),
        frames=FRAMES,
        kind=st.sampled_from([CoverKind.SILENCE, CoverKind.LOWER, CoverKind.OTHER]),
    )
    def cover(self, pick, start, frames, kind):
        self.do(lanes.cover(self.episode, self.lane(pick).id, Cover(start, min(start + frames, LENGTH), kind), "Cover"))

    @rule(pick=PICK)
    def uncover(self, pick):
        lane = self.lane(pick)
        self.do(lanes.uncover(self.episode, lane.id, lane.covers[:1]))

    @precondition(lambda self: len(self.episode.lanes) > 2)
    @rule(pick=PICK)
    def remove_lane(self, pick):
        self.do(lanes.remove_lane(self.episode, self.lane(pick).id))

    @precondition(lambda self: any(not lane.is_insert for lane in self.episode.lanes))
    @rule(pick=PICK, frames=st.integers(-2 * RATE, 2 * RATE))
    def nudge(self, pick, frames):
        session = [lane for lane in self.episode.lanes if not lane.is_insert]
        self.do(recordings.nudge(self.episode, session[pick % len(session)].id, frames))

    @rule(pick=PICK, db=st.floats(-100, 100), pan=st.floats(-200, 200), on=st.booleans())
    def balance(self, pick, db, pan, on):
        id = self.lane(pick).id
        self.do(balance.set_level(self.episode, id, db))
        self.do(balance.set_pan(self.episode, id, pan))
        self.do(balance.set_mute(self.episode, id, on))

    @rule(pick=PICK, frame=FRAME, db=st.floats(-60, 30))
    def line(self, pick, frame, db):
        self.do(balance.set_line_point(self.episode, self.lane(pick).id, frame, db))

    @rule(pick=PICK, fade_in=st.integers(-RATE, 100 * RATE), fade_out=st.integers(-RATE, 100 * RATE))
    def fades(self, pick, fade_in, fade_out):
        self.do(balance.set_fades(self.episode, self.lane(pick).id, fade_in, fade_out))

    @precondition(lambda self: any(lane.role is Role.MUSIC for lane in self.episode.lanes))
    @rule(under=st.booleans())
    def music(self, under):
        lane = next(lane for lane in self.episode.lanes if lane.role is Role.MUSIC)
        self.do(balance.put_under(self.episode, lane.id, Bed(RATE) if under else None))

    @rule(pick=PICK, name=st.sampled_from(["denoise", "dehum", "declick"]), strength=st.integers(0, 100), on=st.booleans())
    def treat(self, pick, name, strength, on):
        self.do(treatments.change_use(self.episode, self.lane(pick).id, name, "Treat", on=on, strength=strength))

    @rule(title=TEXT)
    def title(self, title):
        self.do(delivery.set_title(self.episode, title))

    # -- history and disk -----------------------------------------------------------------

    @rule()
    def undo(self):
        depth = len(self.document.history.done)
        assert (self.document.undo() is None) == (depth == 0)
        assert self.episode == self.states[max(depth - 1, 0)], "undo gives the very same"

    @rule()
    def redo(self):
        depth = len(self.document.history.done)
        if self.document.redo() is not None:
            assert self.episode == self.states[depth + 1]
        else:
            assert depth == len(self.states) - 1

    @rule(steps=st.integers(-1, 40))
    def go_to(self, steps):
        self.document.go_to(steps)
        assert len(self.document.history.done) == min(max(steps, 0), len(self.states) - 1)
        assert self.episode == self.states[len(self.document.history.done)]

    @rule(pick=PICK, db=st.floats(-20, 20))
    def preview(self, pick, db):
        before = self.episode
        shown = replace(before, lanes=tuple(replace(lane, level_db=db) for lane in before.lanes))
        self.document.preview(shown)
        assert self.episode == shown and self.document.history.episode == before
        self.document.end_preview()
        assert self.episode == before

    @rule()
    def save(self):
        self.document.save()
        assert self.document.is_saved and load_episode(self.path) == self.episode, "file and memory are the same"

    @rule()
    def close_and_open(self):
        self.document.save()
        depth, before = len(self.document.history.done), self.episode
        self.document.close()
        self.document = Document.opened(self.folder / "journals", self.path)
        assert self.episode == before and len(self.document.history.done) == depth
        assert len(self.document.history.undone) == len(self.states) - 1 - depth

    @rule()
    def crash(self):
        depth, before, is_saved = len(self.document.history.done), self.episode, not self.document.has_changes
        self.document._journal.abandon()
        found = left_over(self.folder / "journals")
        if found:
            self.document = Document.recovered(self.folder / "journals", found[0])
            assert self.episode == before and len(found) == 1
        else:
            assert is_saved or load_episode(self.path) == before, "nothing that was told as done is lost"
            self.document = Document.opened(self.folder / "journals", self.path)
            assert self.episode == before
        kept = len(self.document.history.done)
        assert kept in (depth, 0)
        if kept != depth or len(self.document.history.undone) != len(self.states) - 1 - depth:
            self.states = [*self.document_states()]

    def document_states(self) -> list[Episode]:
        """Of a history that was read anew: all of it, by going through it."""
        depth = len(self.document.history.done)
        self.document.go_to(0)
        found = [self.episode]
        while self.document.redo() is not None:
            found.append(self.episode)
        self.document.go_to(depth)
        return found

    @invariant()
    def what_must_hold_holds(self):
        all_holds(self.episode, FIRST)


DocumentMachine.TestCase.settings = settings(
    max_examples=8 if MUTANTS else 40 * SOAK,
    stateful_step_count=40,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    print_blob=True,
    phases=[Phase.explicit, Phase.reuse, Phase.generate, Phase.target],
)
test_any_work_on_an_episode_keeps_what_must_hold = DocumentMachine.TestCase
