"""What menu and keys do in the Balance step."""

from __future__ import annotations

from dubbin.core.episode.commands.balance import set_mute, set_solo
from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session

LANES = (ContextMenu.LANES,)


def balance_actions(session: Session) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    def mute() -> None:
        lane = session.picked_lane
        if lane is not None:
            session.do(set_mute(session.episode, lane.id, not lane.mute))

    def solo() -> None:
        lane = session.picked_lane
        if lane is not None:
            session.do(set_solo(session.episode, lane.id, not lane.solo))

    return [
        Action("mute", Menu.EDIT, "mute", tr("Mute lane"), ("M",), mute, has_lanes, on=LANES),
        Action("solo", Menu.EDIT, "mute", tr("Solo lane"), ("S",), solo, has_lanes, on=LANES),
    ]
