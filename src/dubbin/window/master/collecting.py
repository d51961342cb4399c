"""An episode with all that it needs, copied into a folder or an archive of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from dubbin.core.deliver.collecting import ARCHIVE, Collected, collect
from dubbin.core.deliver.master import safe_name
from dubbin.core.texts import tr, tr_count
from dubbin.window.session.made_files import say_made
from dubbin.window.shell.shared import Shared


class Collecting:
    def __init__(self, shared: Shared) -> None:
        self._window, self._session, self._folder = shared.window, shared.session, shared.folder

    def choose(self) -> None:
        name = safe_name(self._session.episode.title)
        kinds = (tr("New folder (*)"), tr("Archive (*{suffix})").format(suffix=ARCHIVE))
        chosen, kind = QFileDialog.getSaveFileName(
            self._window, tr("Collect the episode and all that it needs"), str(Path(self._folder()) / name), ";;".join(kinds)
        )
        if chosen:
            path = Path(chosen)
            self.collect(path.with_name(f"{path.name}{ARCHIVE}") if kind == kinds[1] and path.suffix.lower() != ARCHIVE else path)

    def collect(self, out: Path) -> None:
        """Copy the episode as it is now, in the background."""
        session, episode = self._session, self._session.episode

        def done(found: Collected) -> None:
            made = tr_count(
                "{episode} is there, with {count} file.", "{episode} is there, with {count} files.", found.files, episode=found.episode
            )
            say_made(session, "\n".join((made, *found.remarks)), found.episode.parent)

        session.jobs.start("collect", tr("Collecting into {name}").format(name=out.name), lambda task: collect(episode, out, task), done)
