"""What the editing keys do, at the play head and on the selection."""

from __future__ import annotations

from dubbin.core.episode import commands
from dubbin.core.episode.edit_commands import remove_placed
from dubbin.core.episode.model import Cut
from dubbin.core.speech.pauses import Pause
from dubbin.core.treat.touch_up import Spot
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.speech_desk import SpeechDesk

EDGE_REACH_S = 1.0  # an edge is nudged when the play head is this near


class Editing:
    def __init__(self, desk: Desk, selection: Selection, view: Viewport, speech: SpeechDesk) -> None:
        self._desk, self._selection, self._view, self._speech = desk, selection, view, speech

    # -- what can be done now ---------------------------------------------------------

    def can_cut(self) -> bool:
        return self._selection.range is not None or self._selection.placed is not None

    def selected_stretches(self) -> list[tuple[int, int]]:
        """What is selected, as session stretches in the order in which they are heard now."""
        return self._view.stretches(*self._selection.range) if self._selection.range is not None else []

    def can_put_back(self) -> bool:
        return self._target_cut() is not None

    def _target_cut(self) -> Cut | None:
        episode = self._desk.episode
        if self._selection.cut in episode.cuts:
            return self._selection.cut
        if self._selection.range is not None:
            a, b = self._selection.range
            return next((c for c in episode.cuts if c.start_frame < b and c.end_frame > a), None)
        head = self._selection.head
        # At a seam of the folded view the head stands on the first frame after the cut.
        return episode.cut_at(head) or next((c for c in episode.cuts if c.end_frame == head), None)

    # -- cuts -------------------------------------------------------------------------

    def cut(self) -> None:
        """Cut the selected stretch; the head goes to the seam."""
        if self._selection.placed is not None:
            self._desk.do(remove_placed(self._desk.episode, self._selection.placed))
            self._selection.clear()
            return
        if self._selection.range is None:
            self._desk.said.emit(
                "Select a stretch first: drag over the lanes or the words, or set its start with I and its end with O."
            )
            return
        stretches = self._word_stretches() if self._selection.rows else self.selected_stretches()
        if not stretches:
            return
        self._desk.do(commands.cut_stretches(self._desk.episode, stretches, title=self._cut_title()))
        self._selection.clear()
        self._selection.set_head(stretches[-1][1])

    def _word_stretches(self) -> list[tuple[int, int]]:
        """Cuts of the selected words, their edges where nothing is heard; words that stand apart in the session are cut apart."""
        groups: list[list[int]] = []
        for row in self._selection.rows:
            if groups and row == groups[-1][-1] + 1:
                groups[-1].append(row)
            else:
                groups.append([row])
        cuts = [self._speech.word_cut(group) for group in groups]
        return [(c.start_frame, c.end_frame) for c in cuts]

    def _cut_title(self) -> str | None:
        rows = self._selection.rows
        if not rows:
            return None
        words = [self._speech.table.words[r].text for r in rows]
        text = " ".join(words if len(words) <= 5 else [*words[:3], "…", words[-1]])
        return f"Cut “{text}”"

    def cut_piece(self) -> None:
        """Cut from the split or seam before the play head to the one after it."""
        episode, time_map = self._desk.episode, self._desk.map
        at = time_map.to_program(self._selection.head)
        if at is None:
            self._desk.said.emit("The play head stands in a cut; there is nothing to cut here.")
            return
        edges = sorted({0, time_map.program_frames, *time_map.seams(), *(f for s in episode.splits if (f := time_map.to_program(s)) is not None)})
        before = max(f for f in edges if f <= at)
        after = min((f for f in edges if f > at), default=time_map.program_frames)
        stretches = time_map.stretches_between(before, after)
        self._desk.do(commands.cut_stretches(episode, stretches, title=f"Cut the piece of {(after - before) / episode.rate:.2f} s"))
        self._selection.clear()
        if stretches:
            self._selection.set_head(min(stretches[-1][1], max(episode.frames - 1, 0)))

    def split(self) -> None:
        """Split at the play head, so that a piece can be cut by one key."""
        self._desk.do(commands.toggle_split(self._desk.episode, self._selection.head))

    def set_start(self) -> None:
        self._desk.do(commands.set_start(self._desk.episode, self._selection.head))

    def set_end(self) -> None:
        self._desk.do(commands.set_end(self._desk.episode, self._selection.head))

    def nudge_edge(self, seconds: float) -> None:
        """Move the nearest edge of a cut; everything after it follows."""
        episode = self._desk.episode
        head, frames = self._selection.head, round(seconds * episode.rate)
        near = [self._selection.cut] if self._selection.cut in episode.cuts else list(episode.cuts)
        edges = [(abs(f - head), c, at_start) for c in near if c for f, at_start in ((c.start_frame, True), (c.end_frame, False))]
        best = min(edges, key=lambda e: e[0], default=None)
        if best is None or (best[0] > EDGE_REACH_S * episode.rate and self._selection.cut is None):
            self._desk.said.emit("There is no edge of a cut near the play head. The comma and full-stop keys go to seams.")
            return
        _, cut, at_start = best
        start, end = (cut.start_frame + frames, cut.end_frame) if at_start else (cut.start_frame, cut.end_frame + frames)
        self._desk.do(commands.move_cut_edges(episode, cut, start, end))
        moved = next((c for c in self._desk.episode.cuts if (c.start_frame, c.end_frame) == (max(start, 0), end)), None)
        self._selection.pick_cut(moved)
        self._selection.set_head(start if at_start else end)

    def put_back(self) -> None:
        cut = self._target_cut()
        if cut is None:
            self._desk.said.emit(
                "There is no cut at the play head. Click one, or go to a seam with the comma and full-stop keys."
            )
            return
        self._desk.do(commands.put_back(self._desk.episode, cut))
        self._selection.clear()

    def put_back_all(self) -> None:
        self._desk.do(commands.put_back_all(self._desk.episode))
        self._selection.clear()

    # -- selection --------------------------------------------------------------------

    def mark_start(self) -> None:
        """The selection begins at the play head."""
        head, now = self._selection.head, self._selection.range
        end = now[1] if now and now[1] > head else self._desk.episode.frames
        self._selection.select(head, end)

    def mark_end(self) -> None:
        """The selection ends at the play head."""
        head, now = self._selection.head, self._selection.range
        start = now[0] if now and now[0] < head else 0
        self._selection.select(start, head)

    def select_all(self) -> None:
        self._selection.select(0, self._desk.episode.frames)

    def move_head(self, seconds: float) -> None:
        """Move by program time when folded, by session time when not."""
        time_map, rate = self._view.map, self._desk.episode.rate
        at = time_map.to_program_or_next(self._selection.head) + round(seconds * rate)
        at = min(max(at, 0), max(time_map.program_frames - 1, 0))
        self._selection.set_head(time_map.to_session(at))
        self._view.reveal(self._selection.head)

    def extend(self, seconds: float) -> None:
        """Move the head and take the selection along."""
        anchor = self._selection.head
        if self._selection.range is not None:
            start, end = self._selection.range
            anchor = start if self._selection.head >= end else end
        self.move_head(seconds)
        self._selection.select(anchor, self._selection.head)

    def go(self, session: int) -> None:
        self._selection.set_head(session)
        self._view.reveal(session)

    def go_start(self) -> None:
        self.go(0)

    def go_end(self) -> None:
        self.go(max(self._desk.episode.frames - 1, 0))

    # -- pauses -----------------------------------------------------------------------

    def pause_at_head(self) -> Pause | None:
        seconds = self._selection.head / self._desk.episode.rate
        return next((p for p in self._desk.pauses() if p.start_s <= seconds <= p.end_s), None)

    def toggle_pause(self) -> None:
        """Cut the pause at the play head, or put it back."""
        pause = self.pause_at_head()
        if pause is None:
            self._desk.said.emit("There is no pause at the play head. N goes to the next one.")
            return
        episode = self._desk.episode
        middle = round((pause.cut_start_s + pause.cut_end_s) / 2 * episode.rate)
        cut = episode.cut_at(middle)
        self._desk.do(commands.put_back(episode, cut) if cut else commands.cut_pause(episode, pause))

    def toggle_all_pauses(self) -> None:
        episode = self._desk.episode
        self._desk.do(commands.set_pauses(episode, episode.pauses, self._desk.pauses(), on=not episode.pauses_on))

    def next_pause(self, direction: int) -> None:
        rate = self._desk.episode.rate
        at = self._selection.head / rate
        found = self._desk.pauses()
        ahead = (
            [p for p in found if p.start_s > at + 0.01]
            if direction > 0
            else [p for p in found if p.start_s < at - 0.01]
        )
        if ahead:
            self.go(round((ahead[0] if direction > 0 else ahead[-1]).start_s * rate) + 1)

    # -- places -----------------------------------------------------------------------

    def mark_place(self) -> None:
        """Mark the play head's place, also while it plays; why can be noted later."""
        self._desk.do(commands.add_marker(self._desk.episode, self._selection.head))
        self._desk.said.emit("Marked. Note why in Intake, under Marked places.")

    def places(self) -> list[tuple[int, int]]:
        """Session frames of all places of findings of the picked lane, and of all markers."""
        lane, rate = self._desk.picked_lane, self._desk.episode.rate
        out = [(m.frame, m.frame) for m in self._desk.episode.markers]
        if lane is not None:
            for finding in self._desk.findings(lane):
                out += [
                    (lane.start_frame + round(a * rate), lane.start_frame + round(b * rate)) for a, b in finding.places_s
                ]
        return sorted(out)

    def next_place(self, direction: int) -> tuple[int, int] | None:
        """The next (1) or previous (-1) finding or marker from the play head."""
        at = self._selection.head
        found = self.places()
        ahead = [p for p in found if p[0] > at + 1] if direction > 0 else [p for p in found if p[0] < at - 1]
        return (ahead[0] if direction > 0 else ahead[-1]) if ahead else None

    def touch_up(self, depth_db: float | None) -> None:
        """Take down (by depth_db) or fill in the rectangle that is selected on a spectrogram."""
        band, span = self._selection.band, self._selection.range
        if band is None or span is None:
            self._desk.said.emit("Show spectrograms (G), then hold Alt and drag a rectangle around the sound.")
            return
        lane, rate = self._desk.episode.lane(band.lane_id), self._desk.episode.rate
        start, end = ((frame - lane.start_frame) / rate for frame in span)
        spot = Spot(max(start, 0.0), end, band.low_hz, band.high_hz, depth_db)
        self._desk.do(commands.add_touch_up(self._desk.episode, lane.id, spot))
        self._selection.clear()

    # -- lanes ------------------------------------------------------------------------

    def pick_neighbour(self, direction: int) -> None:
        lanes, picked = self._desk.episode.lanes, self._desk.picked_lane
        if picked is not None:
            index = [lane.id for lane in lanes].index(picked.id) + direction
            self._desk.pick_lane(lanes[min(max(index, 0), len(lanes) - 1)].id)

    def toggle_mute(self) -> None:
        lane = self._desk.picked_lane
        if lane:
            self._desk.do(commands.set_mute(self._desk.episode, lane.id, not lane.mute))

    def toggle_solo(self) -> None:
        lane = self._desk.picked_lane
        if lane:
            self._desk.do(commands.set_solo(self._desk.episode, lane.id, not lane.solo))
