"""What menu and keys do to the view, the play head and the selection."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.lanes.go_to_time import GoToTime
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.session.needs import Needs
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

EDIT, PLAY, VIEW = Menu.EDIT, Menu.PLAY, Menu.VIEW
LANES = (ContextMenu.LANES,)


def lane_actions(
    session: Session, selection: Selection, view: Viewport, navigation: Navigation, lanes: LanesView, go_to: GoToTime
) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes
    has_range = Need(lambda: selection.range is not None, tr("Select a stretch first: drag over the lanes or the words."))

    return [
        Action("mark-start", EDIT, "selection", tr("Set selection start"), ("I",), navigation.mark_start, has_lanes),
        Action("mark-end", EDIT, "selection", tr("Set selection end"), ("O",), navigation.mark_end, has_lanes),
        Action("extend-back", EDIT, "selection", tr("Extend selection left 0.1 s"), ("Shift+Left",), lambda: navigation.extend(-0.1), has_lanes),
        Action("extend-on", EDIT, "selection", tr("Extend selection right 0.1 s"), ("Shift+Right",), lambda: navigation.extend(0.1), has_lanes),
        Action("select-all", EDIT, "selection", tr("Select the whole session"), ("Ctrl+A",), navigation.select_all, has_lanes),
        Action("back", PLAY, "head", tr("Back 1 s"), ("Left",), lambda: navigation.move_head(-1.0), has_lanes),
        Action("on", PLAY, "head", tr("Forward 1 s"), ("Right",), lambda: navigation.move_head(1.0), has_lanes),
        Action("back-fine", PLAY, "head", tr("Back 10 ms"), ("Alt+Left",), lambda: navigation.move_head(-0.01), has_lanes),
        Action("on-fine", PLAY, "head", tr("Forward 10 ms"), ("Alt+Right",), lambda: navigation.move_head(0.01), has_lanes),
        Action("back-5", PLAY, "head", tr("Back 5 s"), ("Shift+PgUp",), lambda: navigation.move_head(-5.0), has_lanes),
        Action("on-5", PLAY, "head", tr("Forward 5 s"), ("Shift+PgDown",), lambda: navigation.move_head(5.0), has_lanes),
        Action("go-to-time", PLAY, "head", tr("Go to time …"), ("Ctrl+G",), go_to.ask, has_lanes),
        Action("start", PLAY, "head", tr("Go to start"), ("Home",), navigation.go_start, has_lanes),
        Action("end", PLAY, "head", tr("Go to end"), ("End",), navigation.go_end, has_lanes),
        Action("fold", VIEW, "zoom", tr("Fold or unfold"), ("F",), navigation.fold, has_lanes, lambda: view.folded, LANES),
        Action("zoom-in", VIEW, "zoom", tr("Zoom in"), ("+", "=", "Ctrl++", "Ctrl+="), lambda: navigation.zoom(0.5), has_lanes),
        Action("zoom-out", VIEW, "zoom", tr("Zoom out"), ("-", "Ctrl+-"), lambda: navigation.zoom(2.0), has_lanes),
        Action("zoom-all", VIEW, "zoom", tr("Zoom to fit"), ("0", "Ctrl+0"), view.show_all, has_lanes),
        Action("zoom-selection", VIEW, "zoom", tr("Zoom to selection"), ("Z",), navigation.zoom_selection, has_range, on=LANES),
        Action("picture", VIEW, "lanes", tr("Waveform or spectrogram"), ("G",), lanes.pictures.next_picture, has_lanes, on=LANES),
        Action("higher", VIEW, "lanes", tr("Taller waveforms"), ("Up",), lambda: lanes.pictures.zoom_level(1.25), has_lanes),
        Action("lower", VIEW, "lanes", tr("Shorter waveforms"), ("Down",), lambda: lanes.pictures.zoom_level(0.8), has_lanes),
        Action("lane-up", VIEW, "lanes", tr("Lane above"), ("PgUp",), lambda: navigation.pick_neighbour(-1), has_lanes),
        Action("lane-down", VIEW, "lanes", tr("Lane below"), ("PgDown",), lambda: navigation.pick_neighbour(1), has_lanes),
    ]  # fmt: skip
