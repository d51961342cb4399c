"""What menu and keys do to the sound: play, seams, what is heard."""

from __future__ import annotations

from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.player.playing import Playing
from dubbin.window.player.seam_walk import SeamWalk
from dubbin.window.session.needs import Needs
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

PLAY = Menu.PLAY
LANES = (ContextMenu.LANES,)
EVERYWHERE = (ContextMenu.LANES, ContextMenu.WORDS)


def player_actions(session: Session, selection: Selection, playing: Playing, walk: SeamWalk) -> list[Action]:
    monitor = session.monitor

    needs = Needs(session)
    has_lanes = needs.lanes
    has_seams = Need(lambda: bool(walk.all()), tr("There are no seams yet: nothing is cut."))
    has_stretch = Need(
        lambda: selection.range is not None or selection.cut is not None,
        tr("Select a stretch first, or click a cut: that is what is played."),
    )

    return [
        Action("play", PLAY, "play", tr("Play or stop"), ("Space",), playing.toggle, has_lanes, on=EVERYWHERE),
        Action("play-selection", PLAY, "play", tr("Play selection or cut"), ("Shift+Space",), playing.play_selection, has_stretch, on=EVERYWHERE),
        Action("loop", PLAY, "play", tr("Loop"), ("Ctrl+L",), playing.toggle_loop, checked=lambda: playing.loop),
        Action("shuttle-on", PLAY, "speed", tr("Shuttle forward, faster"), ("L",), lambda: playing.shuttle(1), has_lanes),
        Action("shuttle-back", PLAY, "speed", tr("Shuttle slower, backward"), ("J",), lambda: playing.shuttle(-1), has_lanes),
        Action("stop", PLAY, "speed", tr("Stop"), ("K",), playing.stop),
        Action("faster", PLAY, "speed", tr("Increase play speed"), ("Shift+L",), lambda: playing.step_speed(1)),
        Action("slower", PLAY, "speed", tr("Decrease play speed"), ("Shift+J",), lambda: playing.step_speed(-1)),
        Action("normal-speed", PLAY, "speed", tr("Normal play speed"), ("Shift+K",), lambda: playing.set_speed(1.0)),
        Action("previous-seam", PLAY, "seams", tr("Previous seam"), (",",), lambda: walk.go(-1), has_seams),
        Action("next-seam", PLAY, "seams", tr("Next seam"), (".",), lambda: walk.go(1), has_seams),
        Action("hear-seam", PLAY, "seams", tr("Hear this seam"), ("H",), walk.hear, has_seams, on=LANES),
        Action("walk-next", PLAY, "seams", tr("Walk to next seam"), ("Shift+H",), walk.walk, has_seams),
        Action("match", PLAY, "monitor", tr("Match loudness"), ("Shift+W",), lambda: monitor.set_matched(not monitor.matched),
               checked=lambda: monitor.matched),
        Action("compare", PLAY, "monitor", tr("Compare with recorded"), ("C",), monitor.compare, has_lanes),
        Action("hear-recorded", PLAY, "monitor", tr("Hear recorded"), ("Q",), lambda: monitor.set_mode(MonitorMode.RECORDED)),
        Action("hear-treated", PLAY, "monitor", tr("Hear treated"), ("W",), lambda: monitor.set_mode(MonitorMode.TREATED)),
        Action("hear-removed", PLAY, "monitor", tr("Hear removed"), ("E",), lambda: monitor.set_mode(MonitorMode.REMOVED)),
    ]  # fmt: skip
