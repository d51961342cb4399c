"""What is measured of the program as a whole: its loudness through time, its peaks, and what a target will come to."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.prediction import ProgramFigures, measure_program
from dubbin.core.episode.model import Episode
from dubbin.core.measure.history import LoudnessHistory
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.texts import tr
from dubbin.window.session.session import Session

HEARD = ("lanes", "cuts", "placed", "seam_ms", "seam_auto", "seams", "recordings")  # fields of an episode on which its sound depends


def sounds_otherwise(before: Episode, after: Episode) -> bool:
    """Whether a change can be heard in the program."""
    return any(getattr(before, name) != getattr(after, name) for name in HEARD)


def is_same_sound(a: Episode | None, b: Episode) -> bool:
    """Whether two states of an episode sound alike; there may be none yet."""
    return a is not None and not sounds_otherwise(a, b)


class ProgramMeasure(QObject):
    """Measured when somebody asks, once for each state that sounds otherwise."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.figures: ProgramFigures | None = None
        self._measured_of: Episode | None = None
        session.episode_changed.connect(self._on_changed)
        session.balancing.changed.connect(self._forget)

    def _forget(self) -> None:
        """The balance is known better: what was measured of the program is old."""
        self._measured_of = None

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.figures, self._measured_of = None, None

    @property
    def history(self) -> LoudnessHistory | None:
        """Loudness of the program; None while it is being measured."""
        return self.figures.history if self.figures is not None else None

    def measure(self) -> None:
        """Measure the program, if it has changed since the last time."""
        episode = self._session.document.history.episode
        known = is_same_sound(self._measured_of, episode)
        busy = self._session.jobs.is_busy("program")
        if not self._session.recordings.are_all_read or (known and (self.figures is not None or busy)):
            return
        self._measured_of, self.figures = episode, None
        program = self._session.monitor.program(mode=MonitorMode.TREATED)

        def done(result: ProgramFigures) -> None:
            self.figures = result
            self.changed.emit()

        self._session.jobs.start("program", tr("Measuring the program"), lambda task: measure_program(program, task), done)
