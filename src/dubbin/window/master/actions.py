"""What menu and keys do in the Master step."""

from __future__ import annotations

from dubbin.window.master.exporting import Exporting
from dubbin.window.parts.action import Action, Menu
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

EPISODE = Menu.EPISODE


def master_actions(session: Session, selection: Selection, exporting: Exporting) -> list[Action]:
    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    def has_selection() -> bool:
        return selection.range is not None

    return [
        Action("export", EPISODE, "import", "Make the masters …", ("Ctrl+M",), exporting.choose_export, has_lanes),
        Action("clip", EPISODE, "deliver", "Make a clip of the selection …", (), exporting.choose_clip, has_selection),
        Action("stems", EPISODE, "deliver", "Write stems …", (), exporting.choose_stems, has_lanes),
        Action("into-video", EPISODE, "deliver", "Put the sound into its video …", (), exporting.choose_video, exporting.has_videos),
    ]
