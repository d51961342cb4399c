"""Recordings that are added to an episode in which they were before: what was done to them then is offered."""

from __future__ import annotations

from dubbin.core.episode.former import FormerLane, former_lanes, give_back, is_worth_it
from dubbin.core.texts import tr
from dubbin.window.session.session import Session
from dubbin.window.shell.notices import Notices


class FormerLanes:
    """Looks at every recording that is added."""

    def __init__(self, session: Session, notices: Notices) -> None:
        self._session, self._notices = session, notices
        session.recordings.added.connect(self.offer)

    def offer(self, recording_ids: list[str]) -> None:
        """Say that recordings were in the episode before, and offer what was done to them then."""
        history = self._session.document.history
        here = history.episode.recordings
        # What is still there was not taken out: somebody wants it twice.
        new = [
            r for r in here if r.id in recording_ids and not any(o.fingerprint == r.fingerprint for o in here if o.id not in recording_ids)
        ]
        found = {r.id: former_lanes(history.earlier(), r) for r in new}
        found = {id: former for id, former in found.items() if is_worth_it(former)}
        if found:
            names = ", ".join(dict.fromkeys(item.lane.voice for former in found.values() for item in former))
            self._notices.say(
                tr("{names} was in this episode before: words, name, place and treatments are still known.").format(names=names),
                ((tr("Restore them"), lambda: self._give_back(found)),),
            )

    def _give_back(self, found: dict[str, list[FormerLane]]) -> None:
        for recording_id, former in found.items():
            if any(r.id == recording_id for r in self._session.episode.recordings):
                self._session.do(give_back(self._session.episode, recording_id, former))
