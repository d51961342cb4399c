"""Actions are data: menu, command search, shortcut sheet and tests come from one list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


def always() -> bool:
    return True


@dataclass(frozen=True)
class Action:
    """keys: shortcuts in Qt's notation, the first is shown. enabled: asked whenever it matters."""

    id: str
    menu: str
    text: str
    keys: tuple[str, ...]
    run: Callable[[], None]
    enabled: Callable[[], bool] = always
    checked: Callable[[], bool] | None = None


MENUS = ("Episode", "Edit", "Words", "Program", "Play", "View", "Help")
SEPARATORS_AFTER = {
    "open", "save-as", "add-recordings", "redo", "touch-fill", "put-back-all", "select-all", "all-pauses", "loop", "end", "next-pause", "walk-next", "match",
    "master-step", "zoom-selection", "nudge-on-100", "program-end", "cut-fillers", "next-retake", "rename-voice", "find-previous", "split-speakers",
    "insert-file", "copy-chapters", "quit", "run-card", "into-video", "cover-noise",
}  # fmt: skip
