"""What menu and keys do in the Master step."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.master.collecting import Collecting
from dubbin.window.master.exporting import Exporting
from dubbin.window.master.listening import Listening
from dubbin.window.parts.action import Action, Menu, Need
from dubbin.window.session.needs import Needs
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session

EPISODE = Menu.EPISODE


def master_actions(session: Session, selection: Selection, exporting: Exporting) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    has_selection = Need(lambda: selection.range is not None, tr("Select a stretch first: drag over the lanes or the words."))
    has_videos = Need(exporting.has_videos, tr("None of the recordings is a video."))
    return [
        Action("export", EPISODE, "import", tr("Make masters …"), ("Ctrl+M",), exporting.choose_export, has_lanes),
        Action("clip", EPISODE, "deliver", tr("Make clip from selection …"), (), exporting.choose_clip, has_selection),
        Action("stems", EPISODE, "deliver", tr("Export stems …"), (), exporting.choose_stems, has_lanes),
        Action("into-video", EPISODE, "deliver", tr("Finished sound for the video …"), (), exporting.choose_video, has_videos),
    ]


def sharing_actions(session: Session, listening: Listening, collecting: Collecting) -> list[Action]:
    has_lanes = Needs(session).lanes
    return [
        Action("listening-page", EPISODE, "deliver", tr("Write listening page …"), (), listening.choose_page, has_lanes),
        Action("collect", EPISODE, "save", tr("Collect with all files …"), (), collecting.choose, has_lanes),
        Action("take-comments", EPISODE, "deliver", tr("Take comments …"), (), listening.choose_comments, has_lanes),
    ]
