"""What the keys do to words, fillers and retakes; moves, copies, breaks and inserts; covers, chapters and seams."""

from __future__ import annotations

import uuid
from dataclasses import replace
from pathlib import Path

from dubbin.core.episode import commands, edit_commands
from dubbin.core.episode.intake import take_in
from dubbin.core.episode.model import Cover, CoverKind, CutKind, Lane, Role
from dubbin.core.jobs import Task
from dubbin.core.speech.chapters import suggest_chapters
from dubbin.core.speech.transcript import Word, WordKind
from dubbin.window.desk import Desk
from dubbin.window.editing import Editing
from dubbin.window.lanes.selection import Selection
from dubbin.window.speech_desk import FoundFiller, FoundRetake, SpeechDesk

BREAK_S = 1.0
CHAPTER_EARLY_S = 0.25  # a chapter begins this long before its first word


def new_id() -> str:
    return uuid.uuid4().hex[:8]


class Arranging:
    def __init__(self, desk: Desk, selection: Selection, speech: SpeechDesk, editing: Editing) -> None:
        self._desk, self._selection, self._speech, self._editing = desk, selection, speech, editing
        self.clip: list[tuple[int, int]] = []

    # -- fillers ----------------------------------------------------------------------

    def is_filler_cut(self, filler: FoundFiller) -> bool:
        middle = (int(self._speech.table.starts[filler.row]) + int(self._speech.table.ends[filler.row])) // 2
        return self._desk.episode.cut_at(middle) is not None

    def cut_fillers(self, fillers: list[FoundFiller], title: str | None = None) -> None:
        """Cut hesitations in one step; those that are tightly joined only when they are asked for one by one."""
        wanted = [f for f in fillers if not self.is_filler_cut(f)]
        if len(fillers) > 1:
            wanted = [f for f in wanted if not f.cut.is_tight]
        if not wanted:
            self._desk.said.emit("There is no filler left to cut." if fillers else "No filler was found.")
            return
        stretches = [(f.cut.start_frame, f.cut.end_frame) for f in wanted]
        title = title or (f"Cut {len(wanted)} fillers" if len(wanted) > 1 else f"Cut “{wanted[0].text}”")
        self._desk.do(commands.cut_stretches(self._desk.episode, stretches, CutKind.FILLER, title))

    def put_fillers_back(self, fillers: list[FoundFiller]) -> None:
        cuts = set()
        for filler in fillers:
            middle = (int(self._speech.table.starts[filler.row]) + int(self._speech.table.ends[filler.row])) // 2
            cuts |= {c for c in self._desk.episode.cuts if c.kind is CutKind.FILLER and c.start_frame <= middle < c.end_frame}
        if cuts:
            self._desk.do(commands.put_back_many(self._desk.episode, cuts, f"Put back {len(cuts)} fillers" if len(cuts) > 1 else "Put back a filler"))

    def toggle_filler(self) -> None:
        """Cut the filler at the play head, or put it back."""
        head, rate = self._selection.head, self._desk.episode.rate
        near = [f for f in self._speech.fillers() if f.cut.start_frame - rate // 4 <= head <= f.cut.end_frame + rate // 4]
        if not near:
            self._desk.said.emit("There is no filler at the play head. U goes to the next one.")
            return
        filler = min(near, key=lambda f: abs(int(self._speech.table.starts[f.row]) - head))
        (self.put_fillers_back if self.is_filler_cut(filler) else self.cut_fillers)([filler])

    def next_filler(self, direction: int) -> FoundFiller | None:
        starts = [(int(self._speech.table.starts[f.row]), f) for f in self._speech.fillers()]
        ahead = [x for x in starts if (x[0] > self._selection.head + 1 if direction > 0 else x[0] < self._selection.head - 1)]
        if not ahead:
            return None
        return (ahead[0] if direction > 0 else ahead[-1])[1]

    # -- retakes ----------------------------------------------------------------------

    def kept_take(self, found: FoundRetake) -> int | None:
        """The one take that is not cut; None while more than one is heard."""
        heard = [k for k, (a, b) in enumerate(found.spans) if self._desk.episode.cut_at((a + b) // 2) is None]
        return heard[0] if len(heard) == 1 else None

    def keep_take(self, found: FoundRetake, keep: int) -> None:
        """Keep one take of a line and cut the others."""
        a, b = found.spans[0][0], found.spans[-1][1]
        old = [c for c in self._desk.episode.cuts if c.kind is CutKind.RETAKE and c.start_frame < b and c.end_frame > a]
        base = commands.put_back_many(self._desk.episode, old, "").episode if old else self._desk.episode
        text = found.retake.takes[keep].text
        short = text if len(text) < 40 else text[:38] + "…"
        self._desk.do(commands.cut_stretches(base, self._speech.take_cuts(found, keep), CutKind.RETAKE, f"Keep the take “{short}”"))

    def put_takes_back(self, found: FoundRetake) -> None:
        a, b = found.spans[0][0], found.spans[-1][1]
        old = [c for c in self._desk.episode.cuts if c.kind is CutKind.RETAKE and c.start_frame < b and c.end_frame > a]
        self._desk.do(commands.put_back_many(self._desk.episode, old, "Put the takes back"))

    def keep_last_takes(self) -> None:
        """Of every line that was said again keep the last take."""
        open_ones = [r for r in self._speech.retakes() if self.kept_take(r) is None]
        stretches = [s for r in open_ones for s in self._speech.take_cuts(r, len(r.spans) - 1)]
        if not stretches:
            self._desk.said.emit("No line was found that is said twice.")
            return
        self._desk.do(commands.cut_stretches(self._desk.episode, stretches, CutKind.RETAKE, f"Keep the last take of {len(open_ones)} lines"))

    # -- words ------------------------------------------------------------------------

    def selected_word(self) -> tuple[int, Word] | None:
        """The one word that is selected, or the one at the play head: its row and itself."""
        table, rows = self._speech.table, self._selection.rows
        row = rows[0] if rows else table.row_at(self._selection.head)
        return (row, table.words[row]) if row is not None and row < len(table) else None

    def correct(self, row: int, text: str, everywhere: bool = False) -> None:
        table = self._speech.table
        word = table.words[row]
        if text.strip() == word.text:
            return
        if everywhere and text.strip():
            self._desk.do(edit_commands.correct_everywhere(self._desk.episode, word.text, text.strip()))
        else:
            self._desk.do(edit_commands.correct_word(self._desk.episode, table.voice(row).lane, int(table.numbers[row]), text))
        self._selection.clear()

    def rename_voice(self, row: int, name: str) -> None:
        """Name who says a word, wherever that voice stands."""
        voice = self._speech.table.voice(row)
        transcript = self._desk.episode.transcript(voice.lane)
        if transcript is not None and len(transcript.speakers) > 1:
            self._desk.do(edit_commands.name_speaker(self._desk.episode, voice.lane, voice.speaker, name))
        else:
            self._desk.do(commands.name_voice(self._desk.episode, voice.lane, name))

    # -- moves and copies -------------------------------------------------------------

    def can_copy(self) -> bool:
        return self._selection.range is not None

    def copy(self) -> None:
        """Take what is selected to be put in elsewhere."""
        if self._selection.rows:
            rows = list(self._selection.rows)
            cut = self._speech.word_cut(rows)
            self.clip = [(cut.start_frame, cut.end_frame)] if rows == list(range(rows[0], rows[-1] + 1)) else self._editing.selected_stretches()
        else:
            self.clip = self._editing.selected_stretches()
        seconds = sum(b - a for a, b in self.clip) / self._desk.episode.rate
        self._desk.said.emit(f"{seconds:.2f} s taken. Ctrl+V puts a copy in at the play head, Ctrl+Shift+V moves it there.")

    def put_copy(self) -> None:
        if not self.clip:
            self._desk.said.emit("Nothing was taken yet: select a stretch and press Ctrl+C.")
            return
        self._desk.do(edit_commands.copy_stretches(self._desk.episode, self.clip, self._selection.head, new_id()))

    def move_here(self) -> None:
        if not self.clip:
            self._desk.said.emit("Nothing was taken yet: select a stretch and press Ctrl+C.")
            return
        if any(a < self._selection.head < b for a, b in self.clip):
            self._desk.said.emit("The play head stands inside what is to be moved. Put it where the stretch shall be heard.")
            return
        self._desk.do(edit_commands.move_stretches(self._desk.episode, self.clip, self._selection.head, new_id()))
        self.clip = []
        self._selection.clear()

    # -- breaks and inserts -----------------------------------------------------------

    def insert_break(self, seconds: float = BREAK_S, name: str = "Break", cue: bool = False) -> None:
        frames = round(seconds * self._desk.episode.rate)
        self._desk.do(edit_commands.insert_break(self._desk.episode, self._selection.head, frames, new_id(), name, cue))

    def insert_file(self, path: Path) -> None:
        """Put a sound file in at the play head."""
        at, rate = self._selection.head, self._desk.episode.rate

        def work(task: Task):  # type: ignore[no-untyped-def]
            return take_in(path, self._desk.copies, rate, task)

        def done(taken) -> None:  # type: ignore[no-untyped-def]
            lanes = [replace(lane, role=Role.MUSIC if lane.role is Role.VOICE and len(lane.channels) > 1 else lane.role) for lane in taken.lanes]
            name = lanes[0].voice
            self._desk.do(edit_commands.insert_recording(self._desk.episode, taken.recording, lanes, at, new_id(), name))
            if taken.remarks:
                self._desk.said.emit("\n".join(taken.remarks))

        self._desk.jobs.start(("insert", path), f"Reading {path.name}", work, done)

    # -- covers -----------------------------------------------------------------------

    def can_cover(self) -> bool:
        return self._selection.range is not None and self._desk.picked_lane is not None

    def cover(self, kind: CoverKind, gain_db: float = -12.0) -> None:
        """Mute, lower or bleep what is selected: of a word its own lane, else the picked one."""
        if self._selection.range is None:
            self._desk.said.emit("Select a word or a stretch first.")
            return
        table, episode = self._speech.table, self._desk.episode
        rows = self._selection.rows
        lane: Lane | None = episode.lane(table.voice(rows[0]).lane) if rows else self._desk.picked_lane
        if lane is None:
            return
        a, b = self._selection.range
        start, end = a - lane.start_frame, b - lane.start_frame
        frames = episode.recording(lane.recording).frames
        start, end = max(start, 0), min(end, frames)
        if end <= start:
            self._desk.said.emit(f"{lane.voice} is not recorded there.")
            return
        noise = self._speech.room_noise(lane, start) if kind is CoverKind.NOISE else None
        what = {CoverKind.SILENCE: "Mute", CoverKind.LOWER: "Lower", CoverKind.TONE: "Bleep", CoverKind.NOISE: "Cover"}[kind]
        item = Cover(start, end, kind, gain_db, noise)
        self._desk.do(edit_commands.cover(episode, lane.id, item, f"{what} {(end - start) / episode.rate:.2f} s of {lane.voice}"))

    def uncover(self) -> None:
        """Have the covers heard again that lie in the selection or at the play head."""
        episode = self._desk.episode
        a, b = self._selection.range or (self._selection.head, self._selection.head + 1)
        for lane in episode.lanes:
            gone = [c for c in lane.covers if c.start_frame + lane.start_frame < b and c.end_frame + lane.start_frame > a]
            if gone:
                self._desk.do(edit_commands.uncover(episode, lane.id, gone))
                return
        self._desk.said.emit("Nothing is muted or covered here.")

    # -- chapters ---------------------------------------------------------------------

    def add_chapter(self, title: str) -> None:
        self._desk.do(edit_commands.add_chapter(self._desk.episode, self._selection.head, title))

    def suggest_chapters(self) -> None:
        """Chapters from long pauses and changes of vocabulary, in what is heard."""
        table, episode, time_map = self._speech.table, self._desk.episode, self._desk.map
        heard = time_map.many_to_program((table.starts + table.ends) // 2) >= 0
        words = [
            Word(w.text, int(s), int(e), w.kind) for w, s, e, h in zip(table.words, table.starts, table.ends, heard, strict=True)
            if h and w.kind is WordKind.WORD
        ]  # fmt: skip
        ideas = suggest_chapters(words, episode.rate)
        if len(ideas) < 2:
            self._desk.said.emit("There is too little text for chapters." if not words else "No change of subject was found.")
            return
        early = round(CHAPTER_EARLY_S * episode.rate)
        marks = [(max(idea.frame - early, 0), idea.title) for idea in ideas]
        self._desk.do(edit_commands.set_chapters(episode, marks, f"Suggest {len(marks)} chapters"))
