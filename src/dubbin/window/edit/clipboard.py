"""What was cut or copied last, to be put in elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

from dubbin.core.episode.model import Episode
from dubbin.window.session.session import Session


class Clipboard:
    """stretches: (start, end) session frames, in the order in which they were heard. is_cut: they were cut, and are heard nowhere any more."""

    def __init__(self, session: Session) -> None:
        self.stretches: list[tuple[int, int]] = []
        self.is_cut = False
        session.episode_changed.connect(self._on_episode_changed)

    def take(self, stretches: Sequence[tuple[int, int]], *, cut: bool = False) -> None:
        self.stretches, self.is_cut = list(stretches), cut

    def clear(self) -> None:
        self.take(())

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self.clear()  # its frames mean nothing in another episode
