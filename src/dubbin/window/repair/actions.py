"""What menu and keys do in the Repair step."""

from __future__ import annotations

from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.repair.removed_file import RemovedFile
from dubbin.window.repair.touch_ups import TouchUps
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session

TOUCH_DOWN_DB = 18.0
LANES = (ContextMenu.LANES,)


def repair_actions(session: Session, touch_ups: TouchUps, removed: RemovedFile) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    return [
        Action(
            "write-removed",
            Menu.EPISODE,
            "deliver",
            "Export removed sound …",
            (),
            removed.ask_file,
            Need(removed.can_write, "Nothing is removed from this lane: switch a treatment on first."),
        ),
        Action(
            "touch-down",
            Menu.EDIT,
            "places",
            "Attenuate selected rectangle",
            ("T",),
            lambda: touch_ups.add(TOUCH_DOWN_DB),
            has_lanes,
            on=LANES,
        ),
        Action(
            "touch-fill",
            Menu.EDIT,
            "places",
            "Fill in selected rectangle",
            ("Shift+T",),
            lambda: touch_ups.add(None),
            has_lanes,
            on=LANES,
        ),
    ]
