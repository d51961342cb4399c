"""What menu and keys do in the Repair step."""

from __future__ import annotations

from dubbin.core.episode.model import Lane
from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.repair.removed_file import RemovedFile
from dubbin.window.repair.suggesting import Suggesting
from dubbin.window.repair.touch_ups import TouchUps
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session

TOUCH_DOWN_DB = 18.0
LANES = (ContextMenu.LANES,)


def repair_actions(session: Session, touch_ups: TouchUps, removed: RemovedFile, suggesting: Suggesting) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    def picked() -> list[Lane]:
        return [session.picked_lane] if session.picked_lane is not None else []

    nothing = tr("Nothing more is suggested: what the measurements ask for is on, or is still being measured.")
    return [
        Action(
            "repair-lane",
            Menu.EDIT,
            "repairs",
            tr("Repair this recording as suggested"),
            (),
            lambda: suggesting.repair(picked()),
            Need(lambda: suggesting.can_repair(picked()), nothing),
            on=LANES,
        ),
        Action(
            "repair-all",
            Menu.EDIT,
            "repairs",
            tr("Repair all recordings as suggested"),
            ("Ctrl+Shift+R",),
            lambda: suggesting.repair(suggesting.lanes()),
            Need(lambda: suggesting.can_repair(suggesting.lanes()), nothing),
        ),
        Action(
            "write-removed",
            Menu.EPISODE,
            "deliver",
            tr("Export removed sound …"),
            (),
            removed.ask_file,
            Need(removed.can_write, tr("Nothing is removed from this lane: switch a treatment on first.")),
        ),
        Action(
            "touch-down",
            Menu.EDIT,
            "places",
            tr("Attenuate selected rectangle"),
            ("T",),
            lambda: touch_ups.add(TOUCH_DOWN_DB),
            has_lanes,
            on=LANES,
        ),
        Action(
            "touch-fill",
            Menu.EDIT,
            "places",
            tr("Fill in selected rectangle"),
            ("Shift+T",),
            lambda: touch_ups.add(None),
            has_lanes,
            on=LANES,
        ),
    ]
