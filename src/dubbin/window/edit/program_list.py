"""The list of what stands in the program besides the session: chapters, markers, breaks, inserts, moves and copies."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.episode.commands.arrangement import place_at, remove_placed, rename_placed
from dubbin.core.episode.commands.markers import move_marker, note_marker, remove_marker
from dubbin.core.episode.model import Marker, Placed, PlacedKind
from dubbin.core.figures import clock, span_text
from dubbin.core.texts import tr
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session


class ProgramList(ActiveTable):
    """Chapters, markers, breaks, inserts, moves and copies in the order in which they are heard."""

    def __init__(self, session: Session, selection: Selection, go: Callable[[int], None]) -> None:
        super().__init__(
            tr("In the program"),
            (tr("At"), tr("What"), tr("Name"), tr("Length")),
            2,
            tr("Breaks, inserted sounds, moved stretches and chapters stand here: Ctrl+B inserts a break, Ctrl+Shift+K adds a chapter."),
        )
        self._session, self._selection, self._go_to = session, selection, go
        self._entries: list[Marker | Placed] = []
        self.on_row = self._go

    def refresh(self) -> None:
        episode, time_map = self._session.episode, self._session.map
        entries: list[tuple[int, Marker | Placed, tuple[object, ...]]] = []
        for marker in episode.markers:
            at = time_map.to_program_or_next(marker.frame)
            entries.append(
                (at, marker, (clock(at / episode.rate, 1), tr("chapter") if marker.is_chapter else tr("marker"), marker.text, ""))
            )
        for item in episode.placed:
            heard = [s for s in time_map.spans if s.placed == item.id]  # without what is cut of it, and what has gone with a lane
            at = heard[0].program if heard else time_map.to_program_or_next(item.at_frame)
            what = tr(item.kind.value) + (tr(", with a cue tone") if item.cue else "")
            length = span_text(sum(s.frames for s in heard) / episode.rate) if heard else tr("not heard")
            entries.append((at, item, (clock(at / episode.rate, 1), what, item.name, length)))
        entries.sort(key=lambda e: e[0])
        self._entries = [e[1] for e in entries]
        self.fill([e[2] for e in entries])

    def picked(self) -> Marker | Placed | None:
        row = self.currentRow()
        return self._entries[row] if 0 <= row < len(self._entries) else None

    def _go(self, row: int) -> None:
        if row >= len(self._entries):
            return
        entry = self._entries[row]
        if isinstance(entry, Marker):
            self._go_to(entry.frame)
        else:
            self._go_to(entry.pieces[0].start_frame if entry.kind is not PlacedKind.COPY else entry.at_frame)
            self._selection.pick_placed(entry.id)

    def remove(self) -> None:
        entry = self.picked()
        if isinstance(entry, Marker):
            self._session.do(remove_marker(self._session.episode, entry))
        elif entry is not None:
            self._session.do(remove_placed(self._session.episode, entry.id))
            self._selection.clear()

    def rename(self, name: str) -> None:
        entry = self.picked()
        if isinstance(entry, Marker):
            self._session.do(note_marker(self._session.episode, entry, name))
        elif entry is not None:
            self._session.do(rename_placed(self._session.episode, entry.id, name))

    def move_to(self, frame: int) -> None:
        """Have the picked one at another place."""
        entry = self.picked()
        if isinstance(entry, Marker):
            self._session.do(move_marker(self._session.episode, entry, frame))
        elif entry is not None:
            self._session.do(place_at(self._session.episode, entry.id, frame))
