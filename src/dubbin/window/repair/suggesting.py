"""The suggested repairs of one recording, or of all, in one press; afterwards held back to what the voice allows, as soon as that is known."""

from __future__ import annotations

from dataclasses import dataclass

from dubbin.core.episode.commands.treatments import find_use, set_repairs
from dubbin.core.episode.model import Episode, Lane, Role
from dubbin.core.texts import tr
from dubbin.window.session.session import Session


@dataclass(frozen=True)
class Given:
    """A strength that was suggested before it was known how much the voice allows."""

    lane: str
    treatment: str
    strength: int


class Suggesting:
    def __init__(self, session: Session) -> None:
        self._session = session
        self._given: list[Given] = []
        session.findings_changed.connect(self._hold_back)
        session.episode_changed.connect(self._on_episode_changed)

    def suggested(self, lane: Lane, name: str) -> int | None:
        """The strength that the findings ask for, no further than the voice allows."""
        report, guard = self._session.analyses.report(lane), self._session.analyses.guard(lane, name)
        found = next((s.strength for s in report.suggested if s.treatment == name), None) if report else None
        if found is None or guard is None:
            return found
        return min(found, int(100 * guard.highest_strength))

    def missing(self, lane: Lane) -> dict[str, int]:
        """Suggested repairs of a lane that are not on, with their strengths."""
        report = self._session.analyses.report(lane)
        names = [s.treatment for s in report.suggested] if report is not None else []
        found = {name: self.suggested(lane, name) for name in names if not find_use(lane, name).on}
        return {name: strength for name, strength in found.items() if strength}

    def lanes(self) -> list[Lane]:
        """The lanes that repairs are suggested for."""
        return [lane for lane in self._session.episode.lanes if lane.role is Role.VOICE]

    def can_repair(self, lanes: list[Lane]) -> bool:
        return any(self.missing(lane) for lane in lanes)

    def repair(self, lanes: list[Lane]) -> None:
        """Switch on what is suggested, in one step."""
        wanted = {lane.id: self.missing(lane) for lane in lanes}
        names = ", ".join(lane.voice for lane in lanes if wanted[lane.id])
        if names:
            self._session.do(set_repairs(self._session.episode, wanted, tr("Suggested repairs for {names}").format(names=names)))
            self._session.end_merge()
            self._given += [Given(lane, name, strength) for lane, found in wanted.items() for name, strength in found.items()]

    def _hold_back(self) -> None:
        """Where the voice allows less than was given, and nobody has changed it since, take the strength back to that."""
        analyses, episode = self._session.analyses, self._session.document.history.episode
        less: dict[str, dict[str, int]] = {}
        for given in list(self._given):
            lane = next((lane for lane in episode.lanes if lane.id == given.lane), None)
            guard = analyses.guard(lane, given.treatment) if lane is not None else None
            if lane is not None and guard is None:
                continue
            self._given.remove(given)
            if lane is None or guard is None:
                continue
            use, most = find_use(lane, given.treatment), int(100 * guard.highest_strength)
            if use.on and use.strength == given.strength and most < given.strength:
                less.setdefault(lane.id, {})[given.treatment] = most
        if less:
            self._session.do(set_repairs(episode, less, tr("Repairs held back to what the voice allows")))
            self._session.end_merge()

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self._given.clear()
