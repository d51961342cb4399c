"""What most actions need, each with the sentence that says what to do where it is missing."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.parts.action import Need
from dubbin.window.session.session import Session


class Needs:
    """Made once for each list of actions."""

    def __init__(self, session: Session) -> None:
        self.lanes = Need(lambda: bool(session.episode.lanes), tr("Add recordings first: press Ctrl+I, or drop files on the window."))
        self.words = Need(
            lambda: bool(session.episode.transcripts),
            tr("There are no words yet: choose Transcribe in the Words menu, or import a transcript."),
        )
