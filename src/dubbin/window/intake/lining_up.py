"""Lining up recordings by their sound, in the background."""

from __future__ import annotations

from dubbin.core.episode.lining_up import LinedUp, line_up, lined_up, to_line_up
from dubbin.core.jobs import Task
from dubbin.core.measure.alignment import Alignment
from dubbin.core.texts import tr
from dubbin.window.session.session import Session


class LiningUp:
    """alignments: by recording, what was found when it was lined up last."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.alignments: dict[str, Alignment] = {}

    def line_up(self) -> None:
        """Line all recordings up with the first voice by their sound, in the background."""
        episode, session = self._session.episode, self._session
        lanes = to_line_up(episode)
        if len(lanes) < 2 or any(lane.recording not in session.recordings for lane in lanes):
            session.said.emit(tr("There must be at least two recordings of voices to line up."))
            return
        copies = session.recordings.copies

        def work(task: Task) -> list[LinedUp]:
            return line_up(episode, copies, task)

        def done(results: list[LinedUp]) -> None:
            here = {r.id for r in session.episode.recordings}
            results = [r for r in results if r.lane.recording in here and r.first.recording in here]
            self.alignments.update({r.lane.recording: r.found for r in results if r.found is not None})
            if any(r.found is not None for r in results):
                session.do(lined_up(session.episode, results))
            session.said.emit(" ".join(text for r in results for text in r.texts()))

        session.jobs.start(tr("line up"), tr("Aligning the recordings"), work, done)
