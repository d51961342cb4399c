"""What menu and keys do to the view, the play head and the selection."""

from __future__ import annotations

from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

EDIT, PLAY, VIEW = Menu.EDIT, Menu.PLAY, Menu.VIEW
LANES = (ContextMenu.LANES,)


def lane_actions(session: Session, selection: Selection, view: Viewport, navigation: Navigation, lanes: LanesView) -> list[Action]:
    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    return [
        Action("mark-start", EDIT, "selection", "Selection starts here", ("I",), navigation.mark_start, has_lanes),
        Action("mark-end", EDIT, "selection", "Selection ends here", ("O",), navigation.mark_end, has_lanes),
        Action("extend-back", EDIT, "selection", "Extend selection back 0.1 s", ("Shift+Left",), lambda: navigation.extend(-0.1), has_lanes),
        Action("extend-on", EDIT, "selection", "Extend selection on 0.1 s", ("Shift+Right",), lambda: navigation.extend(0.1), has_lanes),
        Action("select-all", EDIT, "selection", "Select the whole session", ("Ctrl+A",), navigation.select_all, has_lanes),
        Action("back", PLAY, "head", "Back 1 s", ("Left",), lambda: navigation.move_head(-1.0), has_lanes),
        Action("on", PLAY, "head", "On 1 s", ("Right",), lambda: navigation.move_head(1.0), has_lanes),
        Action("back-fine", PLAY, "head", "Back 10 ms", ("Alt+Left",), lambda: navigation.move_head(-0.01), has_lanes),
        Action("on-fine", PLAY, "head", "On 10 ms", ("Alt+Right",), lambda: navigation.move_head(0.01), has_lanes),
        Action("start", PLAY, "head", "To the start", ("Home",), navigation.go_start, has_lanes),
        Action("end", PLAY, "head", "To the end", ("End",), navigation.go_end, has_lanes),
        Action("fold", VIEW, "zoom", "Fold or unfold", ("F",), navigation.fold, has_lanes, lambda: view.folded, LANES),
        Action("zoom-in", VIEW, "zoom", "Closer", ("+", "="), lambda: navigation.zoom(0.5), has_lanes),
        Action("zoom-out", VIEW, "zoom", "Further away", ("-",), lambda: navigation.zoom(2.0), has_lanes),
        Action("zoom-all", VIEW, "zoom", "See everything", ("0",), view.show_all, has_lanes),
        Action("zoom-selection", VIEW, "zoom", "See the selection", ("Z",), navigation.zoom_selection, lambda: selection.range is not None, on=LANES),
        Action("picture", VIEW, "lanes", "Waves, spectrograms, or both", ("G",), lanes.next_picture, has_lanes, on=LANES),
        Action("higher", VIEW, "lanes", "Higher waves", ("Up",), lambda: lanes.zoom_level(1.25), has_lanes),
        Action("lower", VIEW, "lanes", "Lower waves", ("Down",), lambda: lanes.zoom_level(0.8), has_lanes),
        Action("lane-up", VIEW, "lanes", "Lane above", ("PgUp",), lambda: navigation.pick_neighbour(-1), has_lanes),
        Action("lane-down", VIEW, "lanes", "Lane below", ("PgDown",), lambda: navigation.pick_neighbour(1), has_lanes),
    ]  # fmt: skip
