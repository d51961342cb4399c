"""What menu and keys do in the Master step."""

from __future__ import annotations

from dubbin.window.master.exporting import Exporting
from dubbin.window.parts.action import Action, Menu, Need
from dubbin.window.session.needs import Needs
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

EPISODE = Menu.EPISODE


def master_actions(session: Session, selection: Selection, exporting: Exporting) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    has_selection = Need(lambda: selection.range is not None, "Select a stretch first: drag over the lanes or the words.")
    has_videos = Need(exporting.has_videos, "None of the recordings is a video.")
    return [
        Action("export", EPISODE, "import", "Make masters …", ("Ctrl+M",), exporting.choose_export, has_lanes),
        Action("clip", EPISODE, "deliver", "Make clip from selection …", (), exporting.choose_clip, has_selection),
        Action("stems", EPISODE, "deliver", "Export stems …", (), exporting.choose_stems, has_lanes),
        Action("into-video", EPISODE, "deliver", "Replace sound of video …", (), exporting.choose_video, has_videos),
    ]
