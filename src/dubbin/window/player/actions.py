"""What menu and keys do to the sound: play, seams, what is heard."""

from __future__ import annotations

from dubbin.core.mix.monitor import MonitorMode
from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

PLAY = Menu.PLAY
LANES = (ContextMenu.LANES,)
EVERYWHERE = (ContextMenu.LANES, ContextMenu.WORDS)


def player_actions(session: Session, selection: Selection, playing: Playing) -> list[Action]:
    monitor = session.monitor

    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    def has_seams() -> bool:
        return bool(playing.seams())

    def has_stretch() -> bool:
        return selection.range is not None or selection.cut is not None

    return [
        Action("play", PLAY, "play", "Play or stop", ("Space",), playing.toggle, has_lanes, on=EVERYWHERE),
        Action("play-selection", PLAY, "play", "Hear the selection or cut as recorded", ("Shift+Space",), playing.play_selection, has_stretch, on=EVERYWHERE),
        Action("loop", PLAY, "play", "Loop", ("L",), playing.toggle_loop, checked=lambda: playing.loop),
        Action("previous-seam", PLAY, "seams", "Previous seam", (",",), lambda: playing.go_seam(-1), has_seams),
        Action("next-seam", PLAY, "seams", "Next seam", (".",), lambda: playing.go_seam(1), has_seams),
        Action("hear-seam", PLAY, "seams", "Hear this seam", ("H",), playing.hear_seam, has_seams, on=LANES),
        Action("walk-next", PLAY, "seams", "Walk to next seam", ("J",), playing.walk, has_seams),
        Action("match", PLAY, "places", "Treated as loud as recorded", ("Shift+W",), lambda: monitor.set_matched(not monitor.matched),
               checked=lambda: monitor.matched),
        Action("hear-recorded", PLAY, "monitor", "Hear recorded", ("Q",), lambda: monitor.set_mode(MonitorMode.RECORDED)),
        Action("hear-treated", PLAY, "monitor", "Hear treated", ("W",), lambda: monitor.set_mode(MonitorMode.TREATED)),
        Action("hear-removed", PLAY, "monitor", "Hear removed", ("E",), lambda: monitor.set_mode(MonitorMode.REMOVED)),
    ]  # fmt: skip
