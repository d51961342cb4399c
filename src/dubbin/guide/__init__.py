"""The user guide that ships with the program: its text, and what it has paragraphs about."""

from __future__ import annotations

import re
from functools import lru_cache
from pathlib import Path

FOLDER = Path(__file__).parent
HEADING = re.compile(r'<h([123]) id="([\w-]+)">(.*?)</h\1>')


@lru_cache(maxsize=1)
def text() -> str:
    """The guide as HTML."""
    return (FOLDER / "guide.html").read_text("utf-8")


@lru_cache(maxsize=1)
def headings() -> tuple[tuple[int, str, str], ...]:
    """(level, anchor, title) of every section, in order."""
    return tuple((int(level), anchor, title) for level, anchor, title in HEADING.findall(text()))


def anchor_of(title: str) -> str:
    """Where the guide tells of what is called so in the window; nothing where it does not."""
    anchor = "-".join(re.sub(r"[^a-z0-9]+", " ", title.lower()).split())
    return anchor if any(anchor == known for _, known, _ in headings()) else ""
