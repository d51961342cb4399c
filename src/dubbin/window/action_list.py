"""The one list of everything that can be done by menu, key or command search."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dubbin.core.mix.hear import Hear
from dubbin.window.actions import Action
from dubbin.window.desk import Desk
from dubbin.window.edit_action_list import EditTools, make_edit_actions
from dubbin.window.editing import Editing
from dubbin.window.lanes.selection import Selection
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.playing import Playing
from dubbin.window.steps import Step

TOUCH_DOWN_DB = 18.0


@dataclass(frozen=True)
class WindowActs:
    """What only the window itself can do."""

    new: Callable[[], None]
    open: Callable[[], None]
    open_demo: Callable[[], None]
    save: Callable[[], None]
    save_as: Callable[[], None]
    add: Callable[[], None]
    export: Callable[[], None]
    quit: Callable[[], None]
    go_step: Callable[[Step], None]
    search: Callable[[], None]
    shortcuts: Callable[[], None]
    about: Callable[[], None]
    toggle_night: Callable[[], None]
    zoom_level: Callable[[float], None]
    next_picture: Callable[[], None]
    line_up: Callable[[], None]


def make_actions(
    desk: Desk, selection: Selection, view: Viewport, editing: Editing, playing: Playing, acts: WindowActs, tools: EditTools
) -> dict[str, Action]:
    """All actions by id, in the order of the menus."""

    def has_lanes() -> bool:
        return bool(desk.episode.lanes)

    def has_cuts() -> bool:
        return bool(desk.episode.cuts)

    def has_seams() -> bool:
        return bool(playing.seams())

    def fold() -> None:
        view.set_folded(not view.folded)

    def zoom_selection() -> None:
        if selection.range is not None:
            a, b = view.map.to_program_or_next(selection.range[0]), view.map.to_program_or_next(max(selection.range[1] - 1, 0)) + 1
            view.show_range(a - (b - a) * 0.1, b + (b - a) * 0.1)

    def hear_place(direction: int) -> None:
        place = editing.next_place(direction)
        if place is not None:
            playing.play_place(*place)

    def undo() -> None:
        title = desk.document.undo()
        if title:
            desk.said.emit(f"Undone: {title}")

    def redo() -> None:
        title = desk.document.redo()
        if title:
            desk.said.emit(f"Done again: {title}")

    rows = [
        Action("new", "Episode", "New episode", ("Ctrl+N",), acts.new),
        Action("open", "Episode", "Open …", ("Ctrl+O",), acts.open),
        Action("open-demo", "Episode", "Open the demo episode", (), acts.open_demo),
        Action("save", "Episode", "Save", ("Ctrl+S",), acts.save),
        Action("save-as", "Episode", "Save as …", ("Ctrl+Shift+S",), acts.save_as),
        Action("add-recordings", "Episode", "Add recordings …", ("Ctrl+I",), acts.add),
        Action("export", "Episode", "Make the masters …", ("Ctrl+M",), acts.export, has_lanes),
        Action("quit", "Episode", "Quit", ("Ctrl+Q",), acts.quit),
        Action("line-up", "Edit", "Line up by sound", (), acts.line_up, lambda: len(desk.episode.recordings) > 1),
        Action("mark-place", "Edit", "Mark this place", ("K",), editing.mark_place, has_lanes),
        Action("touch-down", "Edit", "Take the selected rectangle down", ("T",), lambda: editing.touch_up(TOUCH_DOWN_DB), has_lanes),
        Action("touch-fill", "Edit", "Fill the selected rectangle in", ("Shift+T",), lambda: editing.touch_up(None), has_lanes),
        Action("undo", "Edit", "Undo", ("Ctrl+Z",), undo, lambda: bool(desk.document.history.done)),
        Action("redo", "Edit", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), redo, lambda: bool(desk.document.history.undone)),
        Action("cut", "Edit", "Cut selection", ("X", "Delete"), editing.cut, editing.can_cut),
        Action("put-back", "Edit", "Put back", ("B", "Backspace"), editing.put_back, editing.can_put_back),
        Action("put-back-all", "Edit", "Put back all", (), editing.put_back_all, has_cuts),
        Action("mark-start", "Edit", "Selection starts here", ("I",), editing.mark_start, has_lanes),
        Action("mark-end", "Edit", "Selection ends here", ("O",), editing.mark_end, has_lanes),
        Action("extend-back", "Edit", "Extend selection back 0.1 s", ("Shift+Left",), lambda: editing.extend(-0.1), has_lanes),
        Action("extend-on", "Edit", "Extend selection on 0.1 s", ("Shift+Right",), lambda: editing.extend(0.1), has_lanes),
        Action("select-all", "Edit", "Select the whole session", ("Ctrl+A",), editing.select_all, has_lanes),
        Action("toggle-pause", "Edit", "Cut or put back this pause", ("P",), editing.toggle_pause, has_lanes),
        Action("all-pauses", "Edit", "Cut or put back all pauses", ("Ctrl+P",), editing.toggle_all_pauses, has_lanes),
        Action("mute", "Edit", "Mute the lane", ("M",), editing.toggle_mute, has_lanes),
        Action("solo", "Edit", "Solo the lane", ("S",), editing.toggle_solo, has_lanes),
        Action("play", "Play", "Play or stop", ("Space",), playing.toggle, has_lanes),
        Action("play-selection", "Play", "Hear the selection or cut as recorded", ("Shift+Space",), playing.play_selection,
               lambda: selection.range is not None or selection.cut is not None),
        Action("loop", "Play", "Loop", ("L",), playing.toggle_loop, checked=lambda: playing.loop),
        Action("back", "Play", "Back 1 s", ("Left",), lambda: editing.move_head(-1.0), has_lanes),
        Action("on", "Play", "On 1 s", ("Right",), lambda: editing.move_head(1.0), has_lanes),
        Action("back-fine", "Play", "Back 10 ms", ("Alt+Left",), lambda: editing.move_head(-0.01), has_lanes),
        Action("on-fine", "Play", "On 10 ms", ("Alt+Right",), lambda: editing.move_head(0.01), has_lanes),
        Action("start", "Play", "To the start", ("Home",), editing.go_start, has_lanes),
        Action("end", "Play", "To the end", ("End",), editing.go_end, has_lanes),
        Action("previous-pause", "Play", "Previous pause", ("Shift+N",), lambda: editing.next_pause(-1), has_lanes),
        Action("next-pause", "Play", "Next pause", ("N",), lambda: editing.next_pause(1), has_lanes),
        Action("previous-seam", "Play", "Previous seam", (",",), lambda: playing.go_seam(-1), has_seams),
        Action("next-seam", "Play", "Next seam", (".",), lambda: playing.go_seam(1), has_seams),
        Action("hear-seam", "Play", "Hear this seam", ("H",), playing.hear_seam, has_seams),
        Action("walk-next", "Play", "Walk to next seam", ("J",), playing.walk, has_seams),
        Action("previous-place", "Play", "Previous finding or marker", ("Shift+V",), lambda: hear_place(-1), has_lanes),
        Action("next-place", "Play", "Next finding or marker", ("V",), lambda: hear_place(1), has_lanes),
        Action("match", "Play", "Treated as loud as recorded", ("Shift+W",), lambda: desk.set_matched(not desk.matched),
               checked=lambda: desk.matched),
        Action("hear-recorded", "Play", "Hear recorded", ("Q",), lambda: desk.set_hear(Hear.RECORDED)),
        Action("hear-treated", "Play", "Hear treated", ("W",), lambda: desk.set_hear(Hear.TREATED)),
        Action("hear-residue", "Play", "Hear the residue", ("E",), lambda: desk.set_hear(Hear.RESIDUE)),
        *(
            Action(f"{step.value.lower()}-step", "View", f"Go to {step.value}", (f"Ctrl+{k + 1}",), lambda s=step: acts.go_step(s))
            for k, step in enumerate(Step)
        ),
        Action("fold", "View", "Fold or unfold", ("F",), fold, has_lanes, checked=lambda: view.folded),
        Action("zoom-in", "View", "Closer", ("+", "="), lambda: view.zoom(0.5, _head_x(view, selection)), has_lanes),
        Action("zoom-out", "View", "Further away", ("-",), lambda: view.zoom(2.0, _head_x(view, selection)), has_lanes),
        Action("zoom-all", "View", "See everything", ("0",), view.show_all, has_lanes),
        Action("zoom-selection", "View", "See the selection", ("Z",), zoom_selection, lambda: selection.range is not None),
        Action("picture", "View", "Waves, spectrograms, or both", ("G",), acts.next_picture, has_lanes),
        Action("higher", "View", "Higher waves", ("Up",), lambda: acts.zoom_level(1.25), has_lanes),
        Action("lower", "View", "Lower waves", ("Down",), lambda: acts.zoom_level(0.8), has_lanes),
        Action("lane-up", "View", "Lane above", ("PgUp",), lambda: editing.pick_neighbour(-1), has_lanes),
        Action("lane-down", "View", "Lane below", ("PgDown",), lambda: editing.pick_neighbour(1), has_lanes),
        Action("night", "View", "Night colours", ("Ctrl+Shift+N",), acts.toggle_night),
        Action("search", "Help", "Search commands …", ("Ctrl+K",), acts.search),
        Action("shortcuts", "Help", "Shortcuts", ("F1",), acts.shortcuts),
        Action("about", "Help", "About Dubbin", (), acts.about),
    ]  # fmt: skip
    return {action.id: action for action in [*rows, *make_edit_actions(desk, tools)]}


def _head_x(view: Viewport, selection: Selection) -> float | None:
    """Zoom around the play head when it is seen."""
    x = view.x_of(selection.head)
    return x if 0 <= x <= view.width else None
