"""What a person prefers on this computer, kept in a small file between uses."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from dubbin.core.folders import PREFERENCES
from dubbin.core.sound.writing import replacing

BACKUPS, AUTOSAVE_MINUTES = 10, 0  # kept of an episode; 0 minutes: saved only when somebody says so


class Preferences:
    """Plain values by name; a file that can't be read or written is no reason to stop."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / PREFERENCES
        self._values: dict[str, Any] = {}
        try:
            values = json.loads(self._path.read_text())
            self._values = values if isinstance(values, dict) else {}
        except (OSError, ValueError):
            pass

    def get(self, name: str, default: Any) -> Any:
        """A value; the default when there is none of the default's type."""
        value = self._values.get(name, default)
        return value if default is None or isinstance(value, type(default)) else default

    def set(self, name: str, value: Any) -> None:
        if self._values.get(name) == value:
            return
        self._values[name] = value
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(self._path) as temporary:
                temporary.write_text(json.dumps(self._values, indent=1))
        except OSError:
            pass
