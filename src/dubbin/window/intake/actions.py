"""What menu and keys do in the Intake step."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.intake.lining_up import LiningUp
from dubbin.window.intake.places import Places
from dubbin.window.intake.recording_files import RecordingFiles
from dubbin.window.parts.action import Action, ContextMenu, Menu, Need
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session


def intake_actions(session: Session, files: RecordingFiles, lining_up: LiningUp, places: Places) -> list[Action]:
    needs = Needs(session)
    has_lanes = needs.lanes

    has_several = Need(lambda: len(session.episode.recordings) > 1, tr("Add at least two recordings of one session first."))
    return [
        Action("add-recordings", Menu.EPISODE, "import", tr("Add recordings …"), ("Ctrl+I",), files.choose),
        Action("line-up", Menu.EDIT, "places", tr("Align by sound"), (), lining_up.line_up, has_several),
        Action("mark-place", Menu.EDIT, "places", tr("Add marker"), ("A",), places.mark, has_lanes, on=(ContextMenu.LANES,)),
        Action("previous-place", Menu.PLAY, "places", tr("Previous finding or marker"), ("Shift+V",), lambda: places.hear_next(-1), has_lanes),
        Action("next-place", Menu.PLAY, "places", tr("Next finding or marker"), ("V",), lambda: places.hear_next(1), has_lanes),
    ]  # fmt: skip
