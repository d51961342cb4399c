"""Cuts by hand: of a selection, of words, of a piece; put back; their edges moved; the program's start and end."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog

from dubbin.core.episode.commands.arrangement import remove_placed
from dubbin.core.episode.commands.cuts import (
    cut_stretches,
    move_cut_edges,
    put_back,
    put_back_all,
    put_back_many,
    set_end,
    set_start,
    toggle_split,
)
from dubbin.core.episode.model import Cut
from dubbin.core.episode.time_map import program_map
from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.window.edit.clipboard import Clipboard
from dubbin.window.shell.shared import Shared

MOST_NUDGE_MS = 10_000.0
EDGE_REACH_S = 1.0  # an edge is nudged when the play head is this near


class Cutting:
    def __init__(self, shared: Shared, clipboard: Clipboard) -> None:
        self._session, self._selection, self._view, self._speech = shared.session, shared.selection, shared.view, shared.speech
        self._window, self._clipboard, self._playing = shared.window, clipboard, shared.playing

    # -- what can be done now ---------------------------------------------------------

    def can_cut(self) -> bool:
        return self._selection.range is not None or bool(self._selection.rows) or self._selection.placed is not None

    def selected_stretches(self) -> list[tuple[int, int]]:
        """What is selected, as session stretches in the order in which they are heard now."""
        return self._view.stretches(*self._selection.range) if self._selection.range is not None else []

    def can_put_back(self) -> bool:
        return self._target() is not None or bool(self._scattered_cuts())

    def _scattered_cuts(self) -> set[Cut]:
        """Cuts over words that are selected all over the session."""
        cuts = (self._session.episode.cut_at((a + b) // 2) for a, b in self._selection.spans)
        return {cut for cut in cuts if cut is not None}

    def _target(self) -> Cut | None:
        """The cut that is meant: the picked one, one in the selection, or the one at the play head."""
        episode = self._session.episode
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
        """Cut what is selected, to be put in elsewhere or not; the head goes to the seam."""
        if self._selection.placed is not None:
            self._session.do(remove_placed(self._session.episode, self._selection.placed))
            self._selection.clear()
            return
        if self._selection.range is None and not self._selection.rows:
            self._session.said.emit(
                tr("Select a stretch first: drag over the lanes or the words, or set its start with I and its end with O.")
            )
            return
        stretches = self._stretches_to_cut()
        if not stretches:
            return
        self._clipboard.take(stretches, cut=True)
        self._session.do(cut_stretches(self._session.episode, stretches, title=self._title()))
        self._selection.clear()
        self._selection.set_head(stretches[-1][1])

    def _stretches_to_cut(self) -> list[tuple[int, int]]:
        rows = self._selection.rows
        return list(self._speech.reading_cuts(rows)) if rows else self.selected_stretches()

    def preview(self) -> None:
        """Hear how the selection would sound cut, before it is."""
        stretches = self._stretches_to_cut()
        if stretches:
            after = cut_stretches(self._session.episode, stretches).episode
            self._playing.play_without(program_map(after), stretches[0][0])

    def _title(self) -> str | None:
        rows = self._selection.rows
        if not rows:
            return None
        words = [self._speech.table.words[r].text for r in rows]
        if self._selection.spans:
            return tr("Cut {count} × “{words}”").format(count=len(rows), words=words[0])
        text = " ".join(words if len(words) <= 5 else [*words[:3], "…", words[-1]])
        return tr("Cut “{text}”").format(text=text)

    def cut_piece(self) -> None:
        """Cut from the split or seam before the play head to the one after it."""
        episode, time_map = self._session.episode, self._session.map
        at = time_map.to_program(self._selection.head)
        if at is None:
            self._session.said.emit(tr("The play head stands in a cut; there is nothing to cut here."))
            return
        edges = sorted(
            {0, time_map.program_frames, *time_map.seams(), *(f for s in episode.splits if (f := time_map.to_program(s)) is not None)}
        )
        before = max(f for f in edges if f <= at)
        after = min((f for f in edges if f > at), default=time_map.program_frames)
        stretches = time_map.stretches_between(before, after)
        self._session.do(
            cut_stretches(
                episode, stretches, title=tr("Cut the piece of {after} s").format(after=number((after - before) / episode.rate, 2))
            )
        )
        self._selection.clear()
        if stretches:
            self._selection.set_head(min(stretches[-1][1], max(episode.frames - 1, 0)))

    def put_back(self) -> None:
        scattered = self._scattered_cuts()
        if scattered:
            title = tr("Put back {count} cuts").format(count=len(scattered)) if len(scattered) > 1 else tr("Put back a cut")
            self._session.do(put_back_many(self._session.episode, scattered, title))
            self._selection.clear()
            return
        cut = self._target()
        if cut is None:
            self._session.said.emit(tr("There is no cut at the play head. Click one, or go to a seam with the comma and full-stop keys."))
            return
        self._session.do(put_back(self._session.episode, cut))
        self._selection.clear()

    def put_back_all(self) -> None:
        self._session.do(put_back_all(self._session.episode))
        self._selection.clear()

    # -- edges ------------------------------------------------------------------------

    def split(self) -> None:
        """Split at the play head, so that a piece can be cut by one key."""
        self._session.do(toggle_split(self._session.episode, self._selection.head))

    def set_start(self) -> None:
        self._session.do(set_start(self._session.episode, self._selection.head))

    def set_end(self) -> None:
        self._session.do(set_end(self._session.episode, self._selection.head))

    def ask_nudge(self) -> None:
        """Move the nearest edge by so many milliseconds as are typed."""
        ms, done = QInputDialog.getDouble(
            self._window,
            tr("Move the edge"),
            tr("By how many milliseconds (with a minus: earlier):"),
            0.0,
            -MOST_NUDGE_MS,
            MOST_NUDGE_MS,
            2,
        )
        if done and ms:
            self.nudge_edge(ms / 1000)

    def nudge_edge(self, seconds: float) -> None:
        """Move the nearest edge of a cut; everything after it follows."""
        episode = self._session.episode
        head, frames = self._selection.head, round(seconds * episode.rate)
        near = [self._selection.cut] if self._selection.cut in episode.cuts else list(episode.cuts)
        edges = [(abs(f - head), c, at_start) for c in near if c for f, at_start in ((c.start_frame, True), (c.end_frame, False))]
        best = min(edges, key=lambda e: e[0], default=None)
        if best is None or (best[0] > EDGE_REACH_S * episode.rate and self._selection.cut is None):
            self._session.said.emit(tr("There is no edge of a cut near the play head. The comma and full-stop keys go to seams."))
            return
        _, cut, at_start = best
        start, end = (cut.start_frame + frames, cut.end_frame) if at_start else (cut.start_frame, cut.end_frame + frames)
        self._session.do(move_cut_edges(episode, cut, start, end))
        moved = next((c for c in self._session.episode.cuts if (c.start_frame, c.end_frame) == (max(start, 0), end)), None)
        self._selection.pick_cut(moved)
        self._selection.set_head(start if at_start else end)
