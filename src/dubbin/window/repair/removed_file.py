"""What was removed from a lane, written to a file of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.deliver.master import safe_name
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound.writing import check_output, write_sound
from dubbin.core.texts import tr
from dubbin.window.session.made_files import say_made
from dubbin.window.shell.shared import Shared

BITS = 24
FILES = tr("WAV (*.wav);;FLAC (*.flac)")


class RemovedFile:
    def __init__(self, shared: Shared) -> None:
        self._window, self._session, self._folder = shared.window, shared.session, shared.folder

    def can_write(self) -> bool:
        """Whether something is taken from the picked lane."""
        lane = self._session.picked_lane
        return lane is not None and (any(use.on for use in lane.repairs) or bool(lane.touch_ups))

    def ask_file(self) -> None:
        lane = self._session.picked_lane
        if lane is None or not self.can_write():
            self._session.said.emit(tr("Nothing is removed from this lane: switch a treatment on first."))
            return
        suggestion = Path(self._folder()) / f"{safe_name(lane.voice)}.removed.wav"
        name, _ = QFileDialog.getSaveFileName(
            self._window, tr("What was removed from {voice}").format(voice=lane.voice), str(suggestion), FILES
        )
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """Write what the repairs of the picked lane took away, in the background; as loud as it was, and as long as the recording."""
        session, lane = self._session, self._session.picked_lane
        sound = session.analyses.sound(lane) if lane is not None else None
        if lane is None or sound is None:
            session.said.emit(tr("The recording is still being read."))
            return
        path = path if path.suffix.lower() in (".wav", ".flac") else path.with_name(path.name + ".wav")
        try:
            check_output(path, tuple(Path(r.path) for r in session.episode.recordings))
        except DubbinError as error:
            session.said.emit(str(error))
            return

        def work(task: Task) -> None:
            sound.repaired.prepare(task.part(0.0, 0.8))
            write_sound(sound.heard(MonitorMode.REMOVED), path, BITS, task.part(0.8, 1.0))

        def done(_: None) -> None:
            say_made(session, tr("What was removed from {voice} is in {path}.").format(voice=lane.voice, path=path), path.parent)

        session.jobs.start(("removed", lane.id), tr("Writing what was removed from {voice}").format(voice=lane.voice), work, done)
