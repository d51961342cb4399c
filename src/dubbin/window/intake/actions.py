"""What menu and keys do in the Intake step."""

from __future__ import annotations

from dubbin.window.intake.lining_up import LiningUp
from dubbin.window.intake.places import Places
from dubbin.window.intake.recording_files import RecordingFiles
from dubbin.window.parts.action import Action, ContextMenu, Menu
from dubbin.window.session.session import Session


def intake_actions(session: Session, files: RecordingFiles, lining_up: LiningUp, places: Places) -> list[Action]:
    def has_lanes() -> bool:
        return bool(session.episode.lanes)

    def has_several() -> bool:
        return len(session.episode.recordings) > 1

    return [
        Action("add-recordings", Menu.EPISODE, "import", "Add recordings …", ("Ctrl+I",), files.choose),
        Action("line-up", Menu.EDIT, "places", "Line up by sound", (), lining_up.line_up, has_several),
        Action("mark-place", Menu.EDIT, "places", "Mark this place", ("K",), places.mark, has_lanes, on=(ContextMenu.LANES,)),
        Action("previous-place", Menu.PLAY, "places", "Previous finding or marker", ("Shift+V",), lambda: places.hear_next(-1), has_lanes),
        Action("next-place", Menu.PLAY, "places", "Next finding or marker", ("V",), lambda: places.hear_next(1), has_lanes),
    ]  # fmt: skip
