"""The lists of the Edit step: fillers, retakes, seams, what was put in, and the history."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QTableWidgetItem

from dubbin.core.episode import edit_commands
from dubbin.core.episode.commands import note_marker, remove_marker
from dubbin.core.episode.model import Marker, Placed, PlacedKind, SeamShape
from dubbin.window.arranging import Arranging
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection
from dubbin.window.parts.figures import clock, span_text
from dubbin.window.parts.table import FigureTable
from dubbin.window.playing import Playing
from dubbin.window.seam_watch import SeamWatch, seams_of
from dubbin.window.speech_desk import FoundFiller, FoundRetake, SpeechDesk


class ActiveTable(FigureTable):
    """A table that is filled from rows of texts, only when these change; ticks and clicks are told by row."""

    def __init__(self, name: str, columns: Sequence[str], stretched: int | None = None) -> None:
        super().__init__(name, columns, stretched)
        self._shown: list[tuple[object, ...]] | None = None
        self._filling = False
        self.on_ticked: Callable[[int, bool], None] = lambda row, on: None
        self.on_row: Callable[[int], None] = lambda row: None
        self.itemChanged.connect(self._ticked)
        self.cellClicked.connect(lambda row, _: self.on_row(row))
        self.currentCellChanged.connect(lambda row, _c, before, _b: self.hasFocus() and row != before and row >= 0 and self.on_row(row))

    def _ticked(self, item: QTableWidgetItem) -> None:
        if not self._filling and item.column() == 0 and item.flags() & Qt.ItemFlag.ItemIsUserCheckable:
            self.on_ticked(item.row(), item.checkState() == Qt.CheckState.Checked)

    def fill(self, rows: list[tuple[object, ...]], ticks: bool = False) -> bool:
        """Show rows; with `ticks` the first of each is True, False or None (no box). Whether anything changed."""
        if rows == self._shown:
            return False
        self._shown = rows
        self._filling = True
        self.setRowCount(len(rows))
        for row, values in enumerate(rows):
            if ticks:
                box = QTableWidgetItem()
                flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                if values[0] is not None:
                    box.setFlags(flags | Qt.ItemFlag.ItemIsUserCheckable)
                    box.setCheckState(Qt.CheckState.Checked if values[0] else Qt.CheckState.Unchecked)
                else:
                    box.setFlags(flags)
                self.setItem(row, 0, box)
                self.show_row(row, [str(v) for v in values[1:]], first=1)
            else:
                self.show_row(row, [str(v) for v in values])
        self._filling = False
        return True


class FillerList(ActiveTable):
    """A row for each word of each voice to cut them by kind, then every filler by itself."""

    def __init__(self, desk: Desk, speech: SpeechDesk, arranging: Arranging, playing: Playing) -> None:
        super().__init__("Fillers", ("Cut", "Filler", "Voice", "At", "Length", "Note"), 5)
        self._desk, self._speech, self._arranging, self._playing = desk, speech, arranging, playing
        self._entries: list[list[FoundFiller]] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        fillers, table, rate = self._speech.fillers(), self._speech.table, self._desk.episode.rate
        kinds: dict[tuple[str, str], list[FoundFiller]] = {}
        for filler in fillers:
            kinds.setdefault((filler.text.lower(), filler.voice), []).append(filler)
        rows: list[tuple[object, ...]] = []
        self._entries = []
        for (text, voice), group in sorted(kinds.items(), key=lambda k: -len(k[1])):
            cut = sum(self._arranging.is_filler_cut(f) for f in group)
            tight = sum(f.cut.is_tight and not self._arranging.is_filler_cut(f) for f in group)
            note = f"{cut} cut" + (f", {tight} tightly joined" if tight else "")
            rows.append((cut == len(group), f"all “{text}”, {len(group)}", voice, "", "", note))
            self._entries.append(group)
        for filler in fillers:
            start, end = int(table.starts[filler.row]), int(table.ends[filler.row])
            note = "tightly joined: listen before you cut" if filler.cut.is_tight else ""
            rows.append((self._arranging.is_filler_cut(filler), f"“{filler.text}”", filler.voice, clock(start / rate, 1), span_text((end - start) / rate), note))
            self._entries.append([filler])
        self.fill(rows, ticks=True)

    def _tick(self, row: int, on: bool) -> None:
        group = self._entries[row]
        (self._arranging.cut_fillers if on else self._arranging.put_fillers_back)(group)
        self._shown = None
        self.refresh()

    def _go(self, row: int) -> None:
        if row < len(self._entries) and len(self._entries[row]) == 1:
            filler = self._entries[row][0]
            self._playing.play_place(int(self._speech.table.starts[filler.row]), int(self._speech.table.ends[filler.row]))


class RetakeList(ActiveTable):
    """Takes of a line together; the ticked one is heard."""

    def __init__(self, desk: Desk, speech: SpeechDesk, arranging: Arranging, playing: Playing) -> None:
        super().__init__("Retakes", ("Keep", "Take", "Voice", "At", "What is said"), 4)
        self._desk, self._speech, self._arranging, self._playing = desk, speech, arranging, playing
        self._entries: list[tuple[FoundRetake, int]] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        episode, rows = self._desk.episode, []
        self._entries = []
        for found in self._speech.retakes():
            voice = episode.lane(found.lane).voice
            for k, (start, end) in enumerate(found.spans):
                heard = episode.cut_at((start + end) // 2) is None
                kind = "stumble" if found.retake.is_stumble else "by its sound" if found.retake.by_sound else "line"
                text = found.retake.takes[k].text
                rows.append((heard, f"{k + 1} of {len(found.spans)} · {kind}" if k == 0 else f"{k + 1} of {len(found.spans)}", voice, clock(start / episode.rate, 1), text))
                self._entries.append((found, k))
        self.fill(rows, ticks=True)

    def _tick(self, row: int, on: bool) -> None:
        found, take = self._entries[row]
        if on:
            self._arranging.keep_take(found, take)
        else:  # of two the other one is left; of more the last that is not this
            self._arranging.keep_take(found, next(k for k in range(len(found.spans) - 1, -1, -1) if k != take))
        self._shown = None
        self.refresh()

    def _go(self, row: int) -> None:
        if row < len(self._entries):
            found, take = self._entries[row]
            self._playing.play_place(*found.spans[take])


class CrosstalkList(ActiveTable):
    """Places where two speak at once; a click selects one and plays it, so that it can be cut, or one voice lowered."""

    def __init__(self, desk: Desk, speech: SpeechDesk, selection: Selection, playing: Playing) -> None:
        super().__init__("Two at once", ("At", "Length", "Who"), 2)
        self._desk, self._speech, self._selection, self._playing = desk, speech, selection, playing
        self.on_row = self._go

    def refresh(self) -> None:
        episode = self._desk.episode
        names = {lane.id: lane.voice for lane in episode.lanes}
        self.fill([(clock(a, 1), span_text(b - a), " and ".join(names.get(i, "") for i in lanes)) for lanes, a, b in self._speech.crosstalk()])

    def _go(self, row: int) -> None:
        found = self._speech.crosstalk()
        if row < len(found):
            rate = self._desk.episode.rate
            _, a, b = found[row]
            self._playing.play_place(round(a * rate), round(b * rate))
            self._selection.select(round(a * rate), round(b * rate))


class SeamList(ActiveTable):
    """Every seam: how it is joined, and what measurement doubts."""

    SHAPES = tuple(SeamShape)

    def __init__(self, desk: Desk, seams: SeamWatch, playing: Playing) -> None:
        super().__init__("Seams", ("At", "Cut", "Crossfade", "Shape", "Doubt"), 4)
        self._desk, self._seams, self._playing = desk, seams, playing
        self._entries: list[tuple[int, int]] = []
        self.on_row = self._go

    def refresh(self) -> None:
        self._seams.look()
        time_map, rate = self._desk.map, self._desk.episode.rate
        program = self._desk.program()
        at = {f: s for s in time_map.seams() if (f := time_map.seam_frames(s)) is not None}
        own = {(s.before_frame, s.after_frame) for s in self._desk.episode.seams}
        self._entries = seams_of(time_map)
        rows = []
        for seam in self._entries:
            check = self._seams.check(seam)
            plan = program.plan(time_map.span_at(at[seam])) if len(self._entries) <= 200 else None
            length = f"{2000 * plan.half / rate:.0f} ms{' (own)' if seam in own else ''}" if plan else "automatic"
            gone = seam[1] - seam[0]
            doubt = "…" if check is None else ", ".join(check.problems) or "none"
            rows.append((clock(at[seam] / rate, 1), f"−{span_text(gone / rate)}" if 0 < gone < 10**11 else "moved", length, plan.shape.value if plan else "automatic", doubt))
        self.fill(rows)

    def _go(self, row: int) -> None:
        if row < len(self._entries):
            self._playing.play_seam(*self._entries[row])

    def picked(self) -> tuple[int, int] | None:
        row = self.currentRow()
        return self._entries[row] if 0 <= row < len(self._entries) else None


class SeamSettings(QComboBox):
    """Length and shape of the picked seam."""

    CHOICES: tuple[tuple[str, float | None, SeamShape], ...] = (
        ("Automatic", None, SeamShape.AUTO), ("2 ms", 2.0, SeamShape.AUTO), ("10 ms", 10.0, SeamShape.AUTO), ("30 ms", 30.0, SeamShape.AUTO),
        ("80 ms", 80.0, SeamShape.AUTO), ("200 ms", 200.0, SeamShape.AUTO), ("10 ms, equal gain", 10.0, SeamShape.GAIN),
        ("30 ms, equal power", 30.0, SeamShape.POWER),
    )  # fmt: skip

    def __init__(self, desk: Desk, seams: SeamList) -> None:
        super().__init__()
        self.setAccessibleName("Crossfade of the picked seam")
        self.addItems([c[0] for c in self.CHOICES])
        self._desk, self._seams = desk, seams
        self.activated.connect(self._on_chosen)
        seams.currentCellChanged.connect(lambda *_: self.show_seam())

    def show_seam(self) -> None:
        seam = self._seams.picked()
        self.setEnabled(seam is not None)
        own = next((s for s in self._desk.episode.seams if (s.before_frame, s.after_frame) == seam), None)
        wanted = (own.ms, own.shape) if own else (None, SeamShape.AUTO)
        index = next((k for k, (_, ms, shape) in enumerate(self.CHOICES) if (ms, shape) == wanted), 0)
        self.setCurrentIndex(index)

    def _on_chosen(self, index: int) -> None:
        seam = self._seams.picked()
        if seam is not None:
            _, ms, shape = self.CHOICES[index]
            self._desk.do(edit_commands.set_seam(self._desk.episode, *seam, ms, shape))


class ProgramList(ActiveTable):
    """Chapters, markers, breaks, inserts, moves and copies in the order in which they are heard."""

    def __init__(self, desk: Desk, selection: Selection, go: Callable[[int], None]) -> None:
        super().__init__("In the program", ("At", "What", "Name", "Length"), 2)
        self._desk, self._selection, self._go_to = desk, selection, go
        self._entries: list[Marker | Placed] = []
        self.on_row = self._go

    def refresh(self) -> None:
        episode, time_map = self._desk.episode, self._desk.map
        entries: list[tuple[int, Marker | Placed, tuple[object, ...]]] = []
        for marker in episode.markers:
            at = time_map.to_program_or_next(marker.frame)
            entries.append((at, marker, (clock(at / episode.rate, 1), "chapter" if marker.is_chapter else "marker", marker.text, "")))
        for item in episode.placed:
            heard = [s.program for s in time_map.spans if s.placed == item.id]
            at = heard[0] if heard else time_map.to_program_or_next(item.at_frame)
            what = item.kind.value + (", with a cue tone" if item.cue else "")
            entries.append((at, item, (clock(at / episode.rate, 1), what, item.name, span_text(item.frames / episode.rate))))
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
            self._desk.do(remove_marker(self._desk.episode, entry))
        elif entry is not None:
            self._desk.do(edit_commands.remove_placed(self._desk.episode, entry.id))
            self._selection.clear()

    def rename(self, name: str) -> None:
        entry = self.picked()
        if isinstance(entry, Marker):
            self._desk.do(note_marker(self._desk.episode, entry, name))
        elif entry is not None:
            self._desk.do(edit_commands.rename_placed(self._desk.episode, entry.id, name))

    def move_to(self, frame: int) -> None:
        """Have the picked one at another place."""
        entry = self.picked()
        if isinstance(entry, Marker):
            self._desk.do(edit_commands.move_marker(self._desk.episode, entry, frame))
        elif entry is not None:
            self._desk.do(edit_commands.place_at(self._desk.episode, entry.id, frame))


class HistoryList(ActiveTable):
    """All steps; a click goes back to the state after one, or forth again."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("History", ("", "Step"), 1)
        self._desk = desk
        self.on_row = self._go

    def refresh(self) -> None:
        history = self._desk.document.history
        rows: list[tuple[object, ...]] = [("" if history.done else "●", "As it was opened first")]
        rows += [("●" if k == len(history.done) - 1 else "", step.title) for k, step in enumerate(history.done)]
        rows += [("", f"{step.title}  (undone)") for step in reversed(history.undone)]
        if self.fill(rows):
            item = self.item(len(history.done), 1)
            if item is not None:
                self.scrollToItem(item)

    def _go(self, row: int) -> None:
        self._desk.document.go_to(row)
        self._shown = None
        self.refresh()
