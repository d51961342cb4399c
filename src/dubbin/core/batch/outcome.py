"""What came of one input of a batch, and the file beside the masters that remembers it."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from dubbin.core.batch.inputs import BatchInput
from dubbin.core.deliver.recipe import Recipe
from dubbin.core.sound.writing import replacing
from dubbin.core.there import is_there

STATE = "batch.json"


@dataclass(frozen=True)
class Outcome:
    """Of one input. masters: (file, target, passes, problems); error: why nothing came of it. remarks: sentences on what could not be done. again: whether it was done before and is taken from then.
    seconds: that it took."""

    file: str
    masters: tuple[dict[str, Any], ...] = ()
    entries: tuple[dict[str, str], ...] = ()
    error: str | None = None
    remarks: tuple[str, ...] = ()
    again: bool = False
    seconds: float = 0.0

    @property
    def passes(self) -> bool:
        """Whether masters came of it, and all of them pass."""
        return self.error is None and bool(self.masters) and all(m["pass"] for m in self.masters)


def input_key(item: BatchInput, recipe: Recipe | None) -> str:
    """A name for all that the masters of an input depend on; empty where a file of it is not there."""
    try:
        seen = [(str(file.resolve()), file.stat().st_size, file.stat().st_mtime_ns) for file in item.recordings]
    except OSError:
        return ""
    known = (item.voices, item.tags) if item.files else ()
    return hashlib.blake2b(repr((seen, recipe, *known)).encode(), digest_size=16).hexdigest()


class DoneBefore:
    """What was finished, in a file beside the masters."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._known: dict[str, Any] = {}
        try:
            known = json.loads(path.read_text())
            self._known = known if isinstance(known, dict) else {}
        except (OSError, ValueError, RecursionError):
            pass

    def find(self, key: str) -> Outcome | None:
        """An outcome whose files are all still there."""
        plain: Any = self._known.get(key)
        if not isinstance(plain, dict):
            return None
        try:
            outcome = Outcome(
                plain["file"],
                tuple(plain["masters"]),
                tuple(plain["entries"]),
                plain["error"],
                tuple(plain["remarks"]),
                True,
                float(plain.get("seconds", 0.0)),
            )
            there = all(m["pass"] in (True, False) and m["file"] is not None and is_there(Path(m["file"])) for m in outcome.masters)
        except (KeyError, TypeError, ValueError, OSError, OverflowError):
            return None
        return outcome if outcome.error is None and outcome.masters and there else None

    def keep(self, key: str, outcome: Outcome) -> None:
        """Remember an outcome at once: whatever ends the batch, it is known next time."""
        if not key:
            return
        self._known[key] = asdict(outcome)
        with replacing(self._path) as temporary:
            temporary.write_text(json.dumps(self._known, indent=1))
