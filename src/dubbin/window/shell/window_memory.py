"""What the window remembers between uses: its size, how the room is shared out, episodes that were open, and where one was in each."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray
from PyQt6.QtWidgets import QMainWindow

from dubbin.core.in_time import files_there
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.shell.step import Step

MOST_RECENT, MOST_PLACES = 10, 60


class RecentEpisodes:
    """Paths of episodes, the latest first; those that are gone are left out."""

    def __init__(self, preferences: Preferences) -> None:
        self._preferences = preferences

    def paths(self) -> list[Path]:
        return list(self.changed_at())

    def changed_at(self) -> dict[Path, float]:
        """The same, with when each was last saved, in seconds since 1970."""
        found = self._preferences.get("recent", [])
        return files_there([Path(p) for p in found if isinstance(p, str)])

    def add(self, path: Path) -> None:
        if self._preferences.get("recent", [])[:1] == [str(path.absolute())]:
            return  # nobody need look at the others, whose folders may not answer
        known = [str(p) for p in self.paths() if p != path.absolute()]
        self._preferences.set("recent", [str(path.absolute()), *known][:MOST_RECENT])


class WindowMemory:
    """Reads and writes the preferences; what can't be understood there is left alone."""

    def __init__(self, preferences: Preferences) -> None:
        self._preferences = preferences

    def own_keys(self) -> dict[str, tuple[str, ...]]:
        """Keys that somebody gave to actions, by their ids."""
        kept = self._preferences.get("keys", {})
        return {id: tuple(keys) for id, keys in kept.items() if isinstance(keys, list) and all(isinstance(k, str) for k in keys)}

    def restore_size(self, window: QMainWindow) -> None:
        text = self._preferences.get("window", "")
        if text:
            window.restoreGeometry(QByteArray.fromHex(text.encode("ascii", "replace")))

    def keep_size(self, window: QMainWindow) -> None:
        self._preferences.set("window", window.saveGeometry().toHex().data().decode())

    def sizes(self, name: str, default: tuple[int, ...]) -> list[int]:
        """How a splitter shares out the room: of a step's page, or of the frame."""
        kept = self._preferences.get("sizes", {}).get(name)
        usable = isinstance(kept, list) and len(kept) == len(default) and all(isinstance(v, int) and v >= 0 for v in kept) and any(kept)
        return list(kept) if usable else list(default)

    def keep_sizes(self, name: str, sizes: list[int]) -> None:
        self._preferences.set("sizes", {**self._preferences.get("sizes", {}), name: sizes})

    def keep_place(self, session: Session, step: Step, view: Viewport, selection: Selection) -> None:
        """Where one is in an episode: step, part that is seen, play head."""
        places = dict(self._preferences.get("places", {}))
        places.pop(session.episode.id, None)
        places[session.episode.id] = {
            "step": step.value, "folded": view.folded, "start": view.start, "stop": None if view.is_whole else view.stop, "head": selection.head,
        }  # fmt: skip
        self._preferences.set("places", dict(list(places.items())[-MOST_PLACES:]))

    def restore_place(self, session: Session, view: Viewport, selection: Selection) -> Step | None:
        """Show what was shown; the step that was in front, None where the episode is not known."""
        place: Any = self._preferences.get("places", {}).get(session.episode.id)
        try:
            step, start, stop, head = Step(place["step"]), float(place["start"]), place["stop"], int(place["head"])
            view.set_folded(bool(place["folded"]))
            if stop is not None:
                view.show_range(start, float(stop))
            selection.set_head(min(head, max(session.episode.frames - 1, 0)))
            return step
        except (TypeError, KeyError, ValueError):
            return None
