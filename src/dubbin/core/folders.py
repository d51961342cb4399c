"""Where Dubbin keeps things on this computer, after the XDG rules."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.in_time import can_be_used
from dubbin.core.texts import tr

PREFERENCES = "preferences.json"
MOST_CACHE_GB = 24  # of treated sound, kept between one use of the program and the next


@dataclass(frozen=True)
class Folders:
    """cache: working copies and computed tiles, safe to delete; state: journals; documents: the demo episode; unusable: the place that somebody chose for
    the cache, where it can't be used now (a disk that is not plugged in) and the cache lies where it does without a choice."""

    cache: Path
    state: Path
    documents: Path
    unusable: Path | None = None

    @property
    def remark(self) -> str:
        """What somebody should know about these folders; "" where there is nothing."""
        if self.unusable is None:
            return ""
        return tr("The cache can't be kept in {folder} now. This time it lies in {other}.").format(folder=self.unusable, other=self.cache)

    @property
    def copies(self) -> Path:
        """Working copies of recordings."""
        return self.cache / "recordings"

    @property
    def tiles(self) -> Path:
        """Treated sound."""
        return self.cache / "treated"

    @property
    def results(self) -> Path:
        """Figures of recordings and of treated sound."""
        return self.cache / "figures"

    @property
    def backups(self) -> Path:
        """Earlier saved states of episodes, in a folder each."""
        return self.state / "backups"

    @property
    def cards(self) -> Path:
        """What running the card did, a file an episode."""
        return self.state / "cards"

    @property
    def most_tile_bytes(self) -> int:
        """Room that treated sound may take between uses, as somebody prefers it."""
        gb = _preference(self.state, "cache_gb")
        return int(gb if isinstance(gb, int) and gb > 0 else MOST_CACHE_GB) * 10**9

    @property
    def translations(self) -> Path:
        """Catalogues of translations of the person's own."""
        return self.state / "translations"

    @property
    def languages(self) -> list[str]:
        """Codes of the languages that somebody prefers: the one that was chosen, else what the environment asks for."""
        chosen = _preference(self.state, "language")
        if isinstance(chosen, str) and chosen:
            return [chosen]
        wanted = [os.environ.get(name, "") for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")]
        return [code for value in wanted for code in value.split(":") if code]

    @property
    def journals(self) -> Path:
        """Journals of open and of closed episodes."""
        return self.state / "journals"


def user_folders() -> Folders:
    """The person's own folders; DUBBIN_HOME puts all three below one folder."""
    home = os.environ.get("DUBBIN_HOME")
    if home:
        base = Path(home)
        return _with_chosen_cache(Folders(base / "cache", base / "state", base / "documents"))
    import platformdirs

    return _with_chosen_cache(
        Folders(
            platformdirs.user_cache_path("dubbin"), platformdirs.user_state_path("dubbin"), platformdirs.user_documents_path() / "Dubbin"
        )
    )


def _with_chosen_cache(folders: Folders) -> Folders:
    """The same folders with the cache where somebody prefers it, if it can be there now."""
    chosen = _preference(folders.state, "cache_folder")
    if not isinstance(chosen, str) or not Path(chosen).is_absolute():
        return folders
    cache = Path(chosen)
    return replace(folders, cache=cache) if can_be_used(cache) else replace(folders, unusable=cache)


def _preference(state: Path, name: str) -> Any:
    """A value that the window's preferences hold; None where there is none."""
    try:
        found = json.loads((state / PREFERENCES).read_text())
        return found.get(name) if isinstance(found, dict) else None
    except (OSError, ValueError):
        return None
