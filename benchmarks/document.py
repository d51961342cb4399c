"""The page of figures, section by section: what is measured again takes the place of its own section, and the others stay."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from pathlib import Path

OUT = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"
HEAD = """# Benchmarks

Made by `./benchmarks/run` from the demo's synthetic voices, and with `--voices FOLDER` from recordings of real people, where it says so. PESQ is wide-band (ITU-T P.862.2),
STOI as published in 2011, SI-SDR against the clean voice, DNSMOS P.835 overall, word error by a small English recogniser (faster-whisper,
tiny); echo is scored against direct sound and the first 50 ms. Levels in dB. Speed in times real time on two cores of the machine
at hand; machines are noisy: compare rows of one run only. Each section says when it was measured. What single changes did is told in
[before-and-after.md](before-and-after.md).
"""


def table(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> list[str]:
    """Lines of a table."""
    return [_line(heads), _line(["---"] * len(heads)), *(_line(row) for row in rows)]


def _line(cells: Sequence[str]) -> str:
    return f"| {' | '.join(cells)} |"


def put(heading: str, lines: Sequence[str], path: Path = OUT) -> None:
    """Write a section in the place of the one of that heading; a new one goes to the end."""
    _, *sections = path.read_text().split("\n## ") if path.exists() else [""]
    known = {section.split("\n", 1)[0]: section.strip() for section in sections}
    known[heading] = "\n".join([heading, "", f"Measured on {datetime.date.today()}.", "", *lines])
    path.write_text("\n".join([HEAD, *(f"## {section}\n" for section in known.values())]))
