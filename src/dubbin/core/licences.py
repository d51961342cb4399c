"""Under which licences stands what the program is made of, and their texts, as its packages bring them along."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.metadata import Distribution, PackageNotFoundError, distribution
from pathlib import Path

PROGRAM = "dubbin"
TEXTS = re.compile(r"(licen[cs]e|copying|notice|copyright)", re.IGNORECASE)
LONGEST_NAME = 60  # of a licence; some packages write its whole text in that place
ROOT = Path(__file__).parents[1]
OWN_PARTS = (  # what ships in the program's own package from others: name, licence, file with its text
    ("Alegreya Sans (typeface)", "OFL-1.1", "fonts/OFL.txt"),
    ("speaker encoder (weights)", "Apache-2.0", "core/speech/weights/speaker-encoder-LICENSE"),
)


@dataclass(frozen=True)
class Licence:
    """Of one part of the program. name: as it is called; title: of its licence; text: its licence's, empty where it brings none."""

    name: str
    version: str
    title: str
    text: str


@lru_cache(maxsize=1)
def licences() -> tuple[Licence, ...]:
    """Of the program itself first, then of all that it needs, by name."""
    known: dict[str, Licence] = {}
    waiting = [PROGRAM]
    while waiting:
        name = waiting.pop()
        key = re.sub(r"[-_.]+", "-", name).lower()
        if key in known:
            continue
        try:
            found = distribution(name)
        except PackageNotFoundError:
            continue  # of another system, or not wanted
        known[key] = Licence(found.metadata["Name"], found.version, _title(found), _text(found))
        waiting += [required for line in found.requires or () if (required := _required(line))]
    own = known.pop(PROGRAM, None)
    clone = ROOT.parents[1] / "LICENSE"
    if own is not None and not own.text and clone.is_file():  # run from a clone, which is no whole package
        own = replace(own, text=clone.read_text(encoding="utf-8"))
    parts = [Licence(name, "", title, (ROOT / file).read_text(encoding="utf-8", errors="replace")) for name, title, file in OWN_PARTS]
    return (*([own] if own else []), *sorted([*known.values(), *parts], key=lambda item: item.name.casefold()))


def _required(line: str) -> str:
    """The name in a requirement; nothing where it holds only for an extra."""
    requirement, _, marker = line.partition(";")
    return "" if "extra" in marker else re.split(r"[\s<>=!~\[(@]", requirement.strip(), maxsplit=1)[0]


def _title(found: Distribution) -> str:
    about = found.metadata
    for name in ("License-Expression", "License"):
        value = " ".join((about[name] or "").split()) if name in about else ""
        if value and value != "UNKNOWN" and len(value) <= LONGEST_NAME:
            return value
    named = [c.rsplit(" :: ", 1)[1] for c in about.get_all("Classifier") or () if c.startswith("License :: ") and c.count(" :: ") > 1]
    return ", ".join(named) or "see its text"


def _text(found: Distribution) -> str:
    """The texts that it brings along, one after the other."""
    texts = []
    for file in found.files or ():
        if TEXTS.search(file.name) and file.suffix.lower() in ("", ".txt", ".md", ".rst") and ".py" not in file.name:
            try:
                texts.append(Path(str(file.locate())).read_text(encoding="utf-8", errors="replace").strip())
            except OSError:
                continue
    return "\n\n\n".join(dict.fromkeys(texts))
