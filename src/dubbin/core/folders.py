"""Where Dubbin keeps things on this computer, after the XDG rules."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path


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
    def journals(self) -> Path:
        """Journals of open and of closed episodes."""
        return self.state / "journals"


def user_folders() -> Folders:
    """The person's own folders; DUBBIN_HOME puts all three below one folder."""
    home = os.environ.get("DUBBIN_HOME")
    if home:
        base = Path(home)
        return Folders(base / "cache", base / "state", base / "documents")
    import platformdirs

    return Folders(
        platformdirs.user_cache_path("dubbin"),
        platformdirs.user_state_path("dubbin"),
        platformdirs.user_documents_path() / "Dubbin",
    )
