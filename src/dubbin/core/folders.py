"""Where Dubbin keeps things on this computer, after the XDG rules."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

PREFERENCES = "preferences.json"
MOST_CACHE_GB = 24  # of treated sound, kept between one use of the program and the next


@dataclass(frozen=True)
class Folders:
    """cache: working copies and computed tiles, safe to delete; state: journals; documents: the demo episode."""

    cache: Path
    state: Path
    documents: Path

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
        return Folders(_cache_in(base / "state", base / "cache"), base / "state", base / "documents")
    import platformdirs

    state = platformdirs.user_state_path("dubbin")
    return Folders(_cache_in(state, platformdirs.user_cache_path("dubbin")), state, platformdirs.user_documents_path() / "Dubbin")


def _cache_in(state: Path, default: Path) -> Path:
    """The cache's place, as somebody prefers it."""
    chosen = _preference(state, "cache_folder")
    return Path(chosen) if isinstance(chosen, str) and Path(chosen).is_absolute() else default


def _preference(state: Path, name: str) -> Any:
    """A value that the window's preferences hold; None where there is none."""
    try:
        found = json.loads((state / PREFERENCES).read_text())
        return found.get(name) if isinstance(found, dict) else None
    except (OSError, ValueError):
        return None
