"""Looks at every seam in the background, and keeps what was found."""

from __future__ import annotations

from collections.abc import Hashable

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.jobs import Task
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import Program
from dubbin.core.mix.seam_check import SeamCheck, check_seam
from dubbin.core.texts import tr
from dubbin.window.session.session import Session

Seam = tuple[int, int]


class SeamWatch(QObject):
    """A seam is known by the session frames (past the last before, first after)."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._checks: dict[Seam, SeamCheck] = {}
        self._of: Hashable = None

    def check(self, seam: Seam) -> SeamCheck | None:
        """What was found at a seam; None while nobody has looked."""
        return self._checks.get(seam)

    def is_doubtful(self, seam: Seam) -> bool:
        """Whether measurement doubts a seam; no while nobody has looked."""
        check = self.check(seam)
        return check is not None and check.is_doubtful

    def program(self) -> Program:
        """The program as seams are judged: treated where that is ready, so that nothing is waited for."""
        ready = all(
            self._session.analyses.treated(lane) is not None or not any(u.on for u in lane.repairs) for lane in self._session.episode.lanes
        )
        return self._session.monitor.program(mode=MonitorMode.TREATED if ready else MonitorMode.RECORDED)

    def look(self) -> None:
        """Look at the seams that nobody has looked at yet."""
        analyses, lanes = self._session.analyses, self._session.episode.lanes
        key = tuple((lane.id, analyses.key(lane), lane.start_frame, lane.level_db, lane.mute) for lane in lanes)
        if key != self._of:
            self._of = key
            self._checks.clear()
        missing = [s for s in self._session.map.seam_pairs if s not in self._checks]
        if not missing or self._session.jobs.is_busy("seams"):
            return
        mix = self.program().mix

        def work(task: Task) -> list[tuple[Seam, SeamCheck]]:
            out = []
            for k, seam in enumerate(missing):
                task.step(k / len(missing))
                out.append((seam, check_seam(mix, *seam)))
            return out

        def done(found: list[tuple[Seam, SeamCheck]]) -> None:
            if key == self._of:
                self._checks.update(found)
                self.changed.emit()

        self._session.jobs.start("seams", tr("Looking at seams"), work, done, quiet=True)
