"""What menu and keys do in the Repair step."""

from __future__ import annotations

from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.repair.removed_file import RemovedFile
from dubbin.window.repair.touch_ups import TouchUps
from dubbin.window.session.session import Session

TOUCH_DOWN_DB = 18.0
LANES = (ContextMenu.LANES,)


def repair_actions(session: Session, touch_ups: TouchUps, removed: RemovedFile) -> list[Action]:
    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    return [
        Action("write-removed", Menu.EPISODE, "deliver", "Write what was removed …", (), removed.ask_file, removed.can_write),
        Action(
            "touch-down",
            Menu.EDIT,
            "places",
            "Take the selected rectangle down",
            ("T",),
            lambda: touch_ups.add(TOUCH_DOWN_DB),
            has_lanes,
            on=LANES,
        ),
        Action(
            "touch-fill",
            Menu.EDIT,
            "places",
            "Fill the selected rectangle in",
            ("Shift+T",),
            lambda: touch_ups.add(None),
            has_lanes,
            on=LANES,
        ),
    ]
